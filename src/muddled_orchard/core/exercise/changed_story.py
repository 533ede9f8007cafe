"""Whether a scenario that was changed still hands out what it handed out before."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from muddled_orchard.core.exercise.arriving import arrivals
from muddled_orchard.core.exercise.history import History, PlannedCommit
from muddled_orchard.core.exercise.variants import Values, Variant, Variants


def first_change(before: Variants, now: Variants, codes: Iterable[str]) -> str:
    """What differs first between what two versions of a scenario hand out, as words that a sentence can begin
    with; empty where no learner could tell them apart. `codes` are the variants that were handed out.

    Everything but commits, branches, stashes and work that is not committed may differ. Raises BadInput where
    a variant can't be made.
    """
    compared: set[tuple[Values, Values]] = set()
    for code in codes:
        old, new = before.of(code), now.of(code)
        if (old.values, new.values) in compared:
            continue  # they differ in their codes alone
        compared.add((old.values, new.values))
        if found := _difference(old, new):
            return found
    return ""


def _difference(old: Variant, new: Variant) -> str:
    begins, began = (variant.scenario.start.own for variant in (new, old))
    if begins or began:  # nothing is handed out, and the story is an example
        return "" if begins == began else "own is not as it was"
    before, now = old.history, new.history
    for number, (one, other) in enumerate(zip(before.commits, now.commits, strict=False), 1):
        if _made_of(one) != _made_of(other):
            return f"{_named(number, other)} is not as it was"
    shared = min(len(before.commits), len(now.commits))
    if len(before.commits) != len(now.commits):
        more, what = (now, "is new") if len(now.commits) > shared else (before, "is gone")
        return f"{_named(shared + 1, more.commits[shared])} {what}"
    for what in ("tips", "tracked", "remote"):
        if (branch := _moved(getattr(before, what), getattr(now, what))) is not None:
            where = "" if what == "tips" else " on the remote"
            return f"the branch {branch}{where} does not stand where it stood"
    if arrivals(old.scenario, before) != arrivals(new.scenario, now):
        return "what teammates push meanwhile is not as it was"
    if before.checked_out != now.checked_out:
        return f"{now.checked_out} is checked out, and {before.checked_out} was"
    return _start_difference(old, new, before, now)


def _start_difference(old: Variant, new: Variant, before: History, now: History) -> str:
    if before.stashes != now.stashes:
        return "what is in the stash is not what was"
    start, started = new.scenario.start, old.scenario.start
    if start.stopped != started.stopped:
        return "stopped is not as it was"
    if (start.write, start.stage) != (started.write, started.stage):
        return "the work that is not committed is not as it was"
    if start.config != started.config:
        return "config is not as it was"
    return ""


def _made_of(commit: PlannedCommit) -> tuple[object, ...]:
    """All that a commit's id comes from."""
    about = (commit.parents, commit.author, commit.time, commit.offset, commit.message, commit.stash)
    return (*about, dict(commit.tree))


def _named(number: int, commit: PlannedCommit) -> str:
    subject = commit.message.split("\n", 1)[0]
    return f'commit {number} ("{subject}", on {commit.branch})'


def _moved(before: Mapping[str, int], now: Mapping[str, int]) -> str | None:
    """The first branch that does not stand where it stood, or is there in one of both alone."""
    branches = dict.fromkeys((*before, *now))
    return next((branch for branch in branches if before.get(branch) != now.get(branch)), None)
