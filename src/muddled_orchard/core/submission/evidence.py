"""What was found in a submission: plain data, read once from a quarantine (`vcs.read`)."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.core.git.trees import Blob, Tree
from muddled_orchard.core.merging.conflict import MergeResult


class Pending(Struct, frozen=True):
    """An operation that was begun and neither finished nor aborted.

    `kind` is `merge`, `squash`, `rebase`, `am`, `cherry-pick` or `revert`; `brings` the commits that it
    brings in (MERGE_HEAD, CHERRY_PICK_HEAD, ...), empty where Git writes none. Of a rebase: `number` is the
    step at hand of `total`, `branch` the branch that is rebased, `onto` its new base. Of `am`: whether Git
    merges where a patch does not apply (`three_way`). Of picks or reverts of several commits without
    `brings`: whether the one that they stopped at was `committed` since; otherwise it was reset.
    """

    kind: str
    brings: tuple[str, ...] = ()
    number: int = 0
    total: int = 0
    branch: str = ""
    onto: str = ""
    three_way: bool = False
    committed: bool = False

    @property
    def was_reset(self) -> bool:
        """Whether picks or reverts wait, and the one at which they had stopped was reset, so that Git no
        longer knows which that was: it would go on with the next."""
        return self.kind in ("cherry-pick", "revert") and not (self.brings or self.committed)


class IndexEntry(Struct, frozen=True):
    """An entry of the index: `stage` is 0, or 1 base, 2 ours, 3 theirs of an unmerged path."""

    path: str
    stage: int
    blob: Blob


class Move(Struct, frozen=True):
    """A line of HEAD's reflog, the oldest first."""

    old: str
    new: str
    what: str


class RuleRun(Struct, frozen=True):
    """What became of a rule's command over the result: whether it ended with 0 (None: it could not be run),
    and why not, in words."""

    passed: bool | None
    reason: str = ""


class Evidence(Struct, frozen=True, kw_only=True):
    """A submission.

    `commits` are those that the hand-out did not have, `texts` the contents (by blob id) that it did
    not have. `head` is the branch that is checked out (None when detached), `head_commit` the commit.
    `refs` holds full names. `working` lists the working tree, `.git` and noise of operating systems
    left out; it is None where there is none to see (a bare repository). `remote` are the branches of the
    `origin.git` beside the repository behind which there is all that they name, None where that was not
    handed in; `remote_parents` are the parents of commits there that were not handed out. `ignored` are the
    paths in it that the repository's own ignore rules cover. `commits_alone`: it came as a bundle, which
    shows neither a working tree nor what is pending. `is_remote`: it is a bare repository that learners push
    to, and no clone of another one. `bisecting`: a `git bisect` was begun. `merges` are
    those that the learner really had where they differ from the key's, by the place of their request; `runs`
    what became of the rules that run a command, by their place among the rules. `pushes` tell who pushed to
    it, the oldest first: a learner's id, and where the branches stood then; empty where nobody saw that.
    """

    head: str | None
    head_commit: str | None
    refs: Mapping[str, str]
    commits: Mapping[str, Commit] = field(default_factory=dict)
    texts: Mapping[str, bytes] = field(default_factory=dict)
    pending: Pending | None = None
    index: tuple[IndexEntry, ...] = ()
    working: Tree | None = None
    ignored: frozenset[str] = frozenset()
    reflog: tuple[Move, ...] = ()
    stashes: int = 0
    remote: Mapping[str, str] | None = None
    remote_parents: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    commits_alone: bool = False
    is_remote: bool = False
    bisecting: bool = False
    merges: Mapping[tuple[str, ...], MergeResult] = field(default_factory=dict)
    runs: Mapping[int, RuleRun] = field(default_factory=dict)
    pushes: tuple[tuple[str, tuple[str, ...]], ...] = ()

    def pushers(self) -> dict[str, str]:
        """Who pushed each commit first, a learner's id, as far as that was seen."""
        found: dict[str, str] = {}
        for who, tips in self.pushes:
            waiting = list(tips)
            while waiting:
                id_ = waiting.pop()
                if id_ in self.commits and id_ not in found:
                    found[id_] = who
                    waiting.extend(self.commits[id_].parents)
        return found

    @property
    def shows_doing(self) -> bool:
        """Whether it can show what is in no commit: what was given up, stashed, or lies uncommitted."""
        return self.working is not None and not self.commits_alone

    def branch(self, name: str) -> str | None:
        """The commit that a local branch stands at."""
        return self.refs.get(branch_ref(name))

    @property
    def unmerged(self) -> tuple[str, ...]:
        """The paths that the index still holds in several stages."""
        return tuple(sorted({entry.path for entry in self.index if entry.stage}))
