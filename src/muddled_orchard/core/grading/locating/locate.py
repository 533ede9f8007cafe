"""Where the result of every step lies: each kind of operation is looked for by a module of its own."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.git.commits import ancestors, contains
from muddled_orchard.core.grading.locating.lists import locate_todo
from muddled_orchard.core.grading.locating.merges import MergeLocator, expected_tip
from muddled_orchard.core.grading.locating.replayed import locate_replays, stands_on
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.grading.locating.without_commit import locate_without_commit
from muddled_orchard.core.submission.submission import Submission


def locate(submission: Submission) -> tuple[Result, ...]:
    """The result of every step, in order."""
    results = _located(submission, ())
    kinds = {step.merges_branches for step in submission.key.steps if step.given_up is None}
    if len(kinds) > 1:  # where a merge begins hangs on what replays and resets left, and the other way round
        results = _located(submission, results)
    return tuple(_with_ends(results, submission))


def _located(submission: Submission, known: Sequence[Result]) -> list[Result]:
    """One round of it; `known` are the results of the round before."""
    key = submission.key
    locator = MergeLocator(submission, known)
    results: list[Result] = []
    for _, group in groupby(key.steps, key=lambda step: step.task):
        steps = list(group)
        if steps[0].makes_no_commit:
            on_tip = expected_tip(steps[0].operation.on, key, results)
            results.append(locate_without_commit(submission, steps[0], on_tip))
        elif steps[0].operation.todo is not None:
            on_tip = expected_tip(steps[0].operation.on, key, results)
            results += locate_todo(submission, steps, on_tip)
        elif steps[0].merges_branches:
            results.append(locator.of(steps[0], results))
        else:
            on_tip = expected_tip(steps[0].operation.on, key, results)
            used = {result.result_commit for result in results if result.result_commit}
            results += locate_replays(submission, steps, on_tip, used, locator.merged)
    return results


def _with_ends(results: list[Result], submission: Submission) -> Iterator[Result]:
    """Where a branch went on to another step, the result ends where that one begins."""
    key, commits = submission.key, submission.commits
    grown: dict[str, frozenset[str]] = {}

    def grown_from(tip: str) -> frozenset[str]:
        """What a commit has grown from, with it: in a long rebase each is asked of most others."""
        if tip not in grown:
            grown[tip] = frozenset(ancestors(commits, tip))
        return grown[tip]

    for result, step in zip(results, key.steps, strict=True):
        begin = [
            other.theirs if turned else other.ours
            for other, following in zip(results, key.steps, strict=True)
            # Who merged the wrong way round went on from here on the branch that was to be merged.
            for turned in [other.shape == "reversed" and following.operation.source == step.operation.on]
            if (turned or following.operation.on == step.operation.on)
            and (following.task != step.task or step.commit is not None)
            and other.done
            and other.result_commit not in (None, result.result_commit)
            and other.shape not in ("nothing to do", "none", "skipped")
            and result.result_commit in grown_from(other.theirs if turned else other.ours)
        ]
        # The nearest is what all others have grown from: so none has grown from less.
        nearest = min(begin, key=lambda id_: len(grown_from(id_)), default=None)
        ends = result.done and nearest is not None and all(nearest in grown_from(other) for other in begin)
        yield replace(result, judged_commit=nearest) if ends else result


def grew_from(submission: Submission) -> bool:
    """Whether what is there has grown from what was handed out, by parents alone: a reflog can say
    anything."""
    places = {*submission.evidence.refs.values(), submission.evidence.head_commit}
    return not submission.key.handed_out.isdisjoint(ancestors(submission.commits, *places))


class MergeRequest(Struct, frozen=True):
    """A merge to ask Git about: two commits, their base where it is not the common ancestor, what Git called
    the two sides, and what the answer is kept under."""

    ours: str
    theirs: str
    base: str | None
    labels: tuple[str, str]
    place: tuple[str, ...]


def merges_needed(results: tuple[Result, ...], submission: Submission) -> list[MergeRequest]:
    """The merges of a submission that the key does not hold: the learner came to them with other
    content than the key's solution, so Git has to be asked what they really saw."""
    key, commits = submission.key, submission.commits
    first = {step.task: step for step in reversed(key.steps)}
    needed = []
    for result, step in zip(results, key.steps, strict=True):
        same = all(
            side in commits and commits[side].tree == commits[asked].tree
            for side, asked in ((result.ours, step.ours), (result.theirs, step.theirs))
        )
        known = result.ours in commits and result.theirs in commits
        asked_base = first[step.task].ours
        if (
            step.commit is not None
            and step.task == 1
            and not stands_on(commits, result, asked_base)
            and not contains(commits, asked_base, result.base_commit or "")
        ):
            continue  # they stand on something else altogether: the asked merge is the measure
        if not same and known and result.shape not in ("none", "nothing to do", "other", "not reached"):
            replayed = commits[step.commit] if step.commit else None
            labels = step.operation.marker_labels(replayed, sides_swapped=result.sides_swapped)
            place = (result.ours, result.theirs)
            needed.append(MergeRequest(*place, step.base, labels, place))
    return needed
