"""A submission beside the key of what was handed out: made once, and passed on."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from functools import cached_property

from msgspec import Struct

from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.git.commits import Commit, Commits
from muddled_orchard.core.git.lines import Lines, alike, by_lines, lines_of
from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.core.git.trees import Blob, Tree
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
        """What `git status` would show, but for the files that were handed out and in no commit."""
        start = self.key.scenario.start
        handed_out = start.work.keys() | ({CLAIM} if start.own else set())
        found = uncommitted(self.evidence, self.head_tree, self.key.texts)
        return tuple(change for change in found if change.path not in handed_out or change.how == "unmerged")

    @property
    def changed_paths(self) -> set[str]:
        """The tracked paths that are not as the commit has them that is checked out."""
        return {change.path for change in self.changes if change.how != "untracked"}

    def changed_by(self, commit: Commit) -> set[str]:
        """The paths that a commit has otherwise than its first parent."""
        parent = self.commits.get(commit.parents[0]) if commit.parents else None
        before = parent.tree if parent else {}
        return {path for path in {*commit.tree, *before} if commit.tree.get(path) != before.get(path)}

    def is_the_work(self, commit: Commit) -> bool:
        """Whether a commit of the learner's has only to do with work that was handed out uncommitted."""
        work = self.work_lines
        if not work or commit.id not in self.evidence.commits or len(commit.parents) != 1:
            return False
        changed = self.changed_by(commit)
        before = self.commits[commit.parents[0]].tree if commit.parents[0] in self.commits else {}
        if not changed or not changed <= work.keys():
            return False
        return all(self._is_of_work(path, before.get(path), commit.tree.get(path)) for path in changed)

    def _is_of_work(self, path: str, before: Blob | None, after: Blob | None) -> bool:
        was, now = self.lines_as_read(before), self.lines_as_read(after)
        added, gone = self.work_lines[path]
        return now - was <= added and was - now <= gone

    @cached_property
    def work_lines(self) -> Mapping[str, tuple[Counter[str], Counter[str]]]:
        """For each file with work that was handed out uncommitted the lines that it adds, and those that it
        takes out, in normal forms."""
        head = self.key.refs.get(branch_ref(self.key.history.checked_out))
        before = self.key.commits[head].tree if head else {}
        form = alike(self.key.scenario.spacing)
        found = {}
        for path, text in self.key.scenario.start.work.items():
            was, now = self.lines_as_read(before.get(path)), Counter(form(lines_of(text)))
            found[path] = (now - was, was - now)
        return found

    def lines_as_read(self, blob: Blob | None) -> Counter[str]:
        """The lines of a file in normal forms, each as often as it occurs; none where it is missing or
        binary."""
        data = self.texts.get(blob.id, b"") if blob else b""
        return Counter(alike(self.key.scenario.spacing)(lines_of(data)) if by_lines(data) else ())

    def lines_at(self, tree: Tree, path: str) -> Lines:
        """The lines of a file in a tree; none where it is missing or binary."""
        blob = tree.get(path)
        data = self.texts.get(blob.id, b"") if blob is not None else b""
        return lines_of(data) if by_lines(data) else ()

    @property
    def head_tree(self) -> Tree:
        """What the commit holds that is checked out; nothing where there is none."""
        head = self.commits.get(self.evidence.head_commit or "")
        return head.tree if head else {}
