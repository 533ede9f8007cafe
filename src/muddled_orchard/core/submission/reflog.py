"""What HEAD's reflog says of how somebody worked."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import islice
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.exercise.task import ResultKind
from muddled_orchard.core.git.commits import Commit, Commits, ancestors, ancestry
from muddled_orchard.core.submission.evidence import Evidence

Went = Literal["conflict", "clean", "unknown"]
"""How an operation went, as far as the reflog says it."""

_RESET = "reset: moving to "
_PICKED = ("cherry-pick:", "commit (cherry-pick):", "revert:", "commit: Revert ")
REBASE = pattern(r"(rebase|pull\b[^:]*) \(")
"""What a line of a rebase begins with; a pull that rebases has its own options there."""

_RETURNS = pattern(r"\((?:finish|abort)\): returning to refs/heads/(\S+)$")
_MOST_REBASES, _MOST_REBASED = 50, 500
_TO_ID = pattern(rf"{_RESET}[0-9a-f]{{40}}")
_AT_HEAD = f"{_RESET}HEAD"


def how_it_went(commit: Commit, said: str) -> Went:
    """Whether a merge, a copy or a revert stopped at a conflict, by what is said where it was made
    (`first_said`)."""
    if len(commit.parents) > 1:
        stopped, clean = said.startswith("commit (merge)"), "Merge made by" in said
    else:
        clean = said.startswith(("cherry-pick:", "revert:"))
        stopped = not clean and said.startswith("commit")
    return "conflict" if stopped else "clean" if clean else "unknown"


class Rebased(Struct, frozen=True):
    """A commit that a rebase put on another base, and what it made of it. `stopped`: it did not go by
    itself. `on` is the branch that was rebased, `onto` what was named as its new base; empty where that is
    not said."""

    old: Commit
    made: Commit
    stopped: bool
    on: str
    onto: str


def rebased(evidence: Evidence, commits: Commits) -> Iterator[Rebased]:
    """What rebases made of which commits, each by the one that says the same; of those with another message
    by the next one. `commits` are all that there are. The newest rebases are read, and of each so many
    commits: a reflog can say anything."""
    steps = [
        move.what.partition("(")[2].partition(")")[0] if REBASE.match(move.what) else ""
        for move in evidence.reflog
    ]
    starts = [number for number, step in enumerate(steps) if step == "start"][-_MOST_REBASES:]
    first = starts[0] if starts else len(steps)
    left: list[Commit] = []  # of the old ones, the first one first
    on = onto = ""
    for number, move in enumerate(evidence.reflog[first:], start=first):
        step = steps[number]
        if step == "start":
            there = ancestors(commits, move.new)
            moved = (one for one in ancestry(commits, move.old) if one.id not in there)
            left = list(islice(moved, _MOST_REBASED))[::-1]
            onto = move.what.partition(": checkout ")[2]
            end = next((at for at in range(number, len(steps)) if steps[at] in ("finish", "abort")), number)
            returns = _RETURNS.search(evidence.reflog[end].what)
            on = returns[1] if returns else ""
            continue
        if step in ("finish", "abort"):
            left = []
        # Who commits at a stop leaves a line as of any commit.
        by_hand = bool(left) and move.what.startswith("commit") and "amend" not in move.what
        made = commits.get(move.new)
        if made is None or not (by_hand or step in ("pick", "continue", "reword", "edit")):
            continue
        same = (one for one in left if (one.author, one.subject) == (made.author, made.subject))
        old = next(same, left[0] if left else None)
        if old is not None:
            left.remove(old)
            yield Rebased(old, made, by_hand or step == "continue", on, onto)


def kept_commits(evidence: Evidence, commits: Commits) -> set[str]:
    """The ids of the commits that are not thrown away: a branch, a tag or HEAD still leads to them, or a
    rebase or an amended commit made others of them that are kept."""
    kept: set[str] = set()

    def keep(tip: str | None) -> None:
        stack = [tip] if tip is not None and tip not in kept else []
        while stack:
            at = stack.pop()
            if at not in kept and at in commits:
                kept.add(at)
                stack.extend(commits[at].parents)

    for tip in (*evidence.refs.values(), evidence.head_commit):
        keep(tip)
    came_to_be_kept = False
    for move in reversed(evidence.reflog):
        if move.what.startswith("commit (amend)") and move.new in kept:
            keep(move.old)
        elif REBASE.match(move.what):
            step = move.what.partition("(")[2].partition(")")[0]
            if step in ("finish", "abort"):
                came_to_be_kept = step == "finish" and move.new in kept
            elif step == "start" and came_to_be_kept:
                keep(move.old)
    return kept


class GivenUpCounts(Struct, frozen=True):
    """How often operations were given up, as far as the reflog says so: rebases, patches that `git am`
    applied, and resets to where HEAD stood.

    The abort of a merge is a reset to HEAD there, and so is a `git stash` whose stash is gone; that of a
    pick or a revert is one to a commit's id, and so is skipping the only one.
    """

    rebases: int = 0
    patches: int = 0
    resets: int = 0
    named: int = 0
    """Of the resets those to HEAD or another name: `merge --abort` leaves such a one, and a skipped pick does
    not."""

    def __bool__(self) -> bool:
        return bool(self.rebases or self.patches or self.resets)

    def enough_for(self, results: Sequence[ResultKind]) -> bool:
        """Whether the last of these operations can have been given up: they are those that were to be, in
        order, by what they leave."""
        last, others = results[-1], [result for result in results if result != "rewritten branch"]
        if last == "rewritten branch":
            return self.rebases >= len(results) - len(others)
        return self.named >= others.count("merge") if last == "merge" else self.resets >= len(others)


def first_said(evidence: Evidence) -> Mapping[str, str]:
    """What is said where HEAD first came to each commit, by id: how it was made, where it was made here.
    Whoever switches branches at a commit leaves another line for it."""
    return {move.new: move.what for move in reversed(evidence.reflog)}


def given_up(evidence: Evidence, stashes_before: int = 0) -> GivenUpCounts:
    """What was given up; `stashes_before` is how much was in the stash when it was handed out. Each stash
    that is there beyond that has left a reset to HEAD, which is not counted."""
    back = [move.what for number, move in enumerate(evidence.reflog) if move.new in _before(evidence, number)]
    resets = [what for what in back if what.startswith(_RESET)]
    stashed = min(max(0, evidence.stashes - stashes_before), resets.count(_AT_HEAD))
    return GivenUpCounts(
        rebases=sum(what.startswith("rebase (abort)") for what in back),
        patches=sum(what.startswith("am --abort") for what in back),
        resets=len(resets) - stashed,
        named=sum(not _TO_ID.fullmatch(what) for what in resets) - stashed,
    )


def resets_elsewhere(evidence: Evidence) -> list[str]:
    """What was reset to, where HEAD then stood elsewhere, the oldest first."""
    moved = (move for move in evidence.reflog if move.what.startswith(_RESET) and move.new != move.old)
    return [move.what.removeprefix(_RESET) for move in moved]


def _before(evidence: Evidence, number: int) -> set[str]:
    """Where HEAD may have stood when the operation that a line ends was begun: before all of a rebase, or
    before any of the picks or reverts that went well."""
    log, at = evidence.reflog, number
    if REBASE.match(log[number].what):
        while at > 0 and REBASE.match(log[at - 1].what) and "(start)" not in log[at].what:
            at -= 1
        return {log[at].old}
    while at > 0 and log[at - 1].what.startswith(_PICKED):
        at -= 1
    return {move.old for move in log[at : number + 1]}
