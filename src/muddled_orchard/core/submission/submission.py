"""A submission beside the key of what was handed out: made once, and passed on."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from msgspec import Struct

from muddled_orchard.core.git.commits import Commits
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.status import Uncommitted, uncommitted


class Submission(Struct, frozen=True, dict=True):
    """What was found, and the key of what was handed out."""

    evidence: Evidence
    key: Key

    @cached_property
    def commits(self) -> Commits:
        """Every commit of both by id: the story's, the solution's by the key, the learner's own."""
        return {**self.key.commits, **self.evidence.commits}

    @cached_property
    def texts(self) -> Mapping[str, bytes]:
        """The contents of both by blob id."""
        return {**self.key.texts, **self.evidence.texts}

    @cached_property
    def changes(self) -> tuple[Uncommitted, ...]:
        """What `git status` would show, but for the files in which work was handed out that is not
        committed."""
        work = self.key.scenario.start.work
        found = uncommitted(self.evidence, self.head_tree, self.key.texts)
        return tuple(change for change in found if change.path not in work or change.how == "unmerged")

    @property
    def head_tree(self) -> Tree:
        """What the commit holds that is checked out; nothing where there is none."""
        head = self.commits.get(self.evidence.head_commit or "")
        return head.tree if head else {}
