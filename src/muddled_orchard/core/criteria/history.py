"""history: the graph has the asked shape, and the right branch received the result."""

from __future__ import annotations

from muddled_orchard.core.assessment import Outcome, Place, met, missed, partly, skipped
from muddled_orchard.core.case import Case, TaskCase, short
from muddled_orchard.core.repository import contains
from muddled_orchard.core.tasks import source_of
from muddled_orchard.core.wording import listed


def judge(case: Case) -> Outcome:
    """Judge each task's shape; the criterion is the average of them."""
    verdicts = [_judge(case, task) for task in case.tasks if task.result.shape != "nothing to do"]
    if not verdicts:
        return skipped("Nothing had to be merged.")
    if len(verdicts) == 1:
        return verdicts[0]
    share = sum(verdict.share for verdict in verdicts) / len(verdicts)
    said = verdicts if share == 1 else [verdict for verdict in verdicts if verdict.share < 1]
    where = tuple(place for verdict in verdicts for place in verdict.where)
    return partly(" ".join(verdict.because for verdict in said), share, where)


def _judge(case: Case, task: TaskCase) -> Outcome:
    result = task.result
    on, bring = task.step.operation.on, source_of(task.step.operation) or ""
    place = (Place(commit=result.made),)
    match result.shape:
        case "merge":
            return _merged(case, task)
        case "fast-forward":
            return met(f"{on} was moved on to {bring}; nothing had to be merged.")
        case "reversed":
            return missed(
                f"The merge went the wrong way round: {short(result.made)} merges {on} into {bring}, "
                f"and {bring} was to be merged into {on}.",
                place,
            )
        case "stale":
            return missed(f"{short(result.made)} merges an older commit of {bring}, not its tip.", place)
        case "squash":
            return missed(
                f"{short(result.made)} has no second parent: for Git, {bring} was never merged into {on}. "
                "It was squashed or copied.",
                place,
            )
        case "rebase":
            return missed(f"The commits were rebased; {bring} was to be merged into {on}.", place)
        case "pending":
            way = f" It goes the wrong way round: {on} into {bring}." if result.turned else ""
            return missed(f"There is no merge commit yet.{way}")
        case "by hand":
            return missed("There is no merge: files were changed by hand.")
    return missed(f"{bring} was never merged into {on}.")


def _merged(case: Case, task: TaskCase) -> Outcome:
    result = task.result
    on, bring = task.step.operation.on, source_of(task.step.operation) or ""
    made = short(result.made)
    place = (Place(commit=result.made),)
    if result.branch is None:
        return partly(
            f"The merge commit {made} is right, but no branch has it: it was made on a detached HEAD, "
            f"and {on} did not receive it.",
            where=place,
        )
    if result.branch != on:
        return partly(
            f"The merge commit {made} is right, but it is on {result.branch}; {on} did not receive it.",
            where=place,
        )
    if not contains(case.commits, result.ours, task.step.ours) and not _later(task):
        return partly(f"{made} merges {bring}, but {on} was rewritten before.", where=place)
    commits = case.commits
    others = [
        parent for parent in commits[result.made or ""].parents if parent not in (result.ours, result.theirs)
    ]
    if others:
        return partly(f"{made} merges {listed([short(id_) for id_ in others])} besides {bring}.", where=place)
    extra = len(commits[result.theirs].parents) and result.theirs != task.step.theirs
    said = f" ({bring} had moved on before)" if extra and not _later(task) else ""
    return met(f"{made} merges {bring} into {on}{said}.")


def _later(task: TaskCase) -> bool:
    return task.step.task > 1
