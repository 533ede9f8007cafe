"""Where a branch stood last that was to be deleted and is gone."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.submission.submission import Submission

_SWITCHED = pattern(r"checkout: moving from (\S+) to (\S+)")


def to_be_deleted(key: Key) -> set[str]:
    """The branches that tasks want gone."""
    return {task.delete for task in key.scenario.task if task.delete}


def last_places(
    submission: Submission, branch: str, merged: Iterable[tuple[Step, Result]] = ()
) -> Iterator[str]:
    """The commits at which a branch stood that was to be deleted and is gone, the last first: where a merge
    has brought it from, and where HEAD was while it was checked out. None for any other branch."""
    evidence, key = submission.evidence, submission.key
    if evidence.branch(branch) is not None or branch not in to_be_deleted(key):
        return
    merges = [result for step, result in merged if step.operation.source == branch]
    brought = [result.theirs for result in merges if result.shape == "merge"]
    # A fast-forward leaves nothing that says how far it went: all that came of it may have been brought.
    forward = [result for result in merges if result.shape == "fast-forward"]
    moved = [] if evidence.reflog else [one.judged_commit for one in forward if one.judged_commit]
    brought_on = [result.theirs for result in forward]
    # One that was brought as it was handed out says nothing of what was made on the branch since.
    yield from (id_ for id_ in brought if id_ not in key.handed_out)
    yield from _while_checked_out(submission, branch)
    yield from (id_ for id_ in (*moved, *brought_on) if id_ not in key.handed_out)
    yield from (id_ for id_ in (*brought, *brought_on) if id_ in key.handed_out)


def _while_checked_out(submission: Submission, branch: str) -> Iterator[str]:
    evidence = submission.evidence
    places: list[str] = []
    switches = [_SWITCHED.match(move.what) for move in evidence.reflog]
    first = next((switched for switched in switches if switched), None)
    here = first is not None and first[1] == branch
    for move, switched in zip(evidence.reflog, switches, strict=True):
        if switched:
            here = switched[2] == branch
        # A rebase ends on the branch that it began on, and leaves it in between.
        ended = move.what.startswith("rebase (finish)") and move.what.endswith(f"refs/heads/{branch}")
        if (here or ended) and move.new in submission.commits and not _in_between(move.what):
            places.append(move.new)
    yield from dict.fromkeys(reversed(places))


def _in_between(what: str) -> bool:
    return what.startswith("rebase") and not what.startswith(("rebase (finish)", "rebase (abort)"))
