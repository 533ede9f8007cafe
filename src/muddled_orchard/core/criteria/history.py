"""history: the graph has the asked shape, and the right branch received the result."""

from __future__ import annotations

from itertools import groupby

from muddled_orchard.core.assessment import Outcome, Place, met, missed, partly, skipped
from muddled_orchard.core.case import Case, TaskCase, short
from muddled_orchard.core.replays import stands_on
from muddled_orchard.core.repository import contains
from muddled_orchard.core.tasks import in_words, is_merge, source_of
from muddled_orchard.core.wording import counted, listed


def judge(case: Case) -> Outcome:
    """Judge each task's shape; the criterion is the average of them."""
    verdicts = []
    for _, group in groupby(case.tasks, key=lambda task: task.step.task):
        steps = list(group)
        if steps[0].task.do == "stash-pop" or steps[0].result.shape == "nothing to do":
            continue
        verdicts.append(_of_merge(case, steps[0]) if is_merge(steps[0].task) else _of_replays(case, steps))
    if not verdicts:
        return skipped("Nothing had to be committed.")
    if len(verdicts) == 1:
        return verdicts[0]
    share = sum(verdict.share for verdict in verdicts) / len(verdicts)
    said = verdicts if share == 1 else [verdict for verdict in verdicts if verdict.share < 1]
    where = tuple(place for verdict in verdicts for place in verdict.where)
    return partly(" ".join(verdict.because for verdict in said), share, where)


def _of_replays(case: Case, steps: list[TaskCase]) -> Outcome:
    """A rebase, cherry-pick or revert: every commit there, once, in order, on what it should stand on."""
    task = steps[0].task
    result = steps[0].result
    asked = in_words(task)
    shapes = [step.result.shape for step in steps]
    if "other" in shapes:
        return missed(f"There is a merge commit; the task was to {asked}.", (Place(commit=result.made),))
    if all(shape == "none" for shape in shapes):
        return missed(f"It was never begun: {asked}.")
    done = [step for step in steps if step.result.shape == "replayed"]
    if "pending" in shapes:
        number = shapes.index("pending") + 1
        return missed(f"It stopped at step {number} of {len(steps)}: {asked}.")
    base = steps[0].step.ours
    if not stands_on(case.commits, result, base) and steps[0].step.task == 1:
        where = f"on {source_of(task)}" if source_of(task) else f"on {task.on} as it was"
        return missed(
            f"The commits do not stand {where}; the task was to {asked}.", (Place(commit=result.foot),)
        )
    gone = [step for step in steps if step.result.shape == "skipped" and not _empty(case, step)]
    if gone:
        names = listed([f'"{case.commits[step.step.commit or ""].subject}"' for step in gone])
        said = f"{names} is not among the replayed commits: it was skipped, or nothing was left of it."
        return partly(said, len(done) / len(steps))
    strange = [step for step in done if not _keeps_author(case, step)]
    if strange:
        made = short(strange[0].result.made)
        return partly(f"{made} does not keep the author and message of the commit that it replays.")
    if result.branch != task.on:
        held = result.branch or "a detached HEAD"
        return partly(f"The commits are right, but they are on {held}; {task.on} did not receive them.")
    count = f"{len(done)} of {len(steps)} commits" if len(done) < len(steps) else counted(len(done), "commit")
    rest = "; the others became empty" if len(done) < len(steps) else ""
    return met(f"{count} as asked ({asked}){rest}.")


def _empty(case: Case, step: TaskCase) -> bool:
    """Whether nothing of a commit is left when it is solved as accepted."""
    return step.step.solved == case.commits[step.step.ours].tree


def _keeps_author(case: Case, step: TaskCase) -> bool:
    made, original = case.commits[step.result.made or ""], case.commits[step.step.commit or ""]
    return step.task.do == "revert" or (made.author == original.author and made.subject == original.subject)


def _of_merge(case: Case, task: TaskCase) -> Outcome:
    result = task.result
    on, bring = task.task.on, source_of(task.task) or ""
    place = (Place(commit=result.made),)
    match result.shape:
        case "merge":
            if task.task.squash:
                said = f"{short(result.made)} is a merge commit; one plain commit was asked for (--squash)."
                return missed(said, place)
            if task.task.fast_forward == "only":
                return partly(
                    f"{short(result.made)} is a merge commit; a fast-forward was asked for.", where=place
                )
            return _merged(case, task)
        case "fast-forward":
            if task.task.fast_forward == "never":
                return missed(f"{on} was only moved on to {bring}; a merge commit was asked for (--no-ff).")
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
            if task.task.squash:
                return _unreceived(task, "commit") or met(
                    f"{short(result.made)} brings {bring} into {on} as one commit."
                )
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
        case "moved":
            said = f"{on} was set to {short(result.made)}, and what it had is no longer in it; "
            return missed(f"{said}{bring} was to be merged into {on}.", place)
        case "by hand":
            return missed("There is no merge: files were changed by hand.")
    return missed(f"{bring} was never merged into {on}.")


def _merged(case: Case, task: TaskCase) -> Outcome:
    result = task.result
    on, bring = task.step.operation.on, source_of(task.step.operation) or ""
    made = short(result.made)
    place = (Place(commit=result.made),)
    if (unreceived := _unreceived(task, "merge commit")) is not None:
        return unreceived
    if not contains(case.commits, result.ours, task.step.ours) and not _later(task):
        return partly(f"{made} merges {bring}, but {on} was rewritten before.", where=place)
    commits = case.commits
    others = [
        parent for parent in commits[result.made or ""].parents if parent not in (result.ours, result.theirs)
    ]
    if others:
        return partly(f"{made} merges {listed([short(id_) for id_ in others])} besides {bring}.", where=place)
    moved_on = result.theirs != task.step.theirs and not _later(task)
    said = f" ({bring} had moved on before)" if moved_on else ""
    return met(f"{made} merges {bring} into {on}{said}.")


def _unreceived(task: TaskCase, what: str) -> Outcome | None:
    """What is lost where the result is not on the branch that was to receive it."""
    result, on = task.result, task.task.on
    said = f"The {what} {short(result.made)} is right, but "
    where = (Place(commit=result.made),)
    if result.branch is None:
        said += f"no branch has it: it was made on a detached HEAD, and {on} did not receive it."
        return partly(said, where=where)
    if result.branch != on:
        return partly(f"{said}it is on {result.branch}; {on} did not receive it.", where=where)
    return None


def _later(task: TaskCase) -> bool:
    return task.step.task > 1
