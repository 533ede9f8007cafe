"""history: the graph has the asked shape, and the right branch received the result."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby

from muddled_orchard.core.base.phrases import be, counted, listed
from muddled_orchard.core.exercise.operations import operation_of
from muddled_orchard.core.exercise.tasks import in_words, is_merge, is_stash_pop, source_of
from muddled_orchard.core.git.commits import contains, short
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly, skipped
from muddled_orchard.core.grading.case import Case, TaskCase
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.locating.attempts import brings_only_conflicts
from muddled_orchard.core.grading.locating.matching import keeps_author, subject_of
from muddled_orchard.core.grading.locating.replays import stands_on


def judge(case: Case) -> Outcome:
    """Judge each task's shape; the criterion is the average of them."""
    verdicts = []
    for _, group in groupby(case.tasks, key=lambda task: task.step.task):
        steps = list(group)
        if is_stash_pop(steps[0].task) or steps[0].result.shape == "nothing to do":
            continue
        verdict = _of_merge(case, steps[0]) if is_merge(steps[0].task) else _of_replays(case, steps)
        verdicts.append(_in_order(case, steps[0], verdict))
    if not verdicts:
        return skipped("Nothing had to be committed.")
    if len(verdicts) == 1:
        return verdicts[0]
    share = sum(verdict.share for verdict in verdicts) / len(verdicts)
    said = verdicts if share == 1 else [verdict for verdict in verdicts if verdict.share < 1]
    where = tuple(place for verdict in verdicts for place in verdict.where)
    return partly(" ".join(verdict.because for verdict in said), share, where)


def _in_order(case: Case, task: TaskCase, verdict: Outcome) -> Outcome:
    """A verdict on a merge that is right, unless it was made before one that was asked for earlier."""
    made = task.result.result_commit
    if verdict.share < 1 or not made or task.result.shape not in ("merge", "squash"):
        return verdict
    for other in case.tasks:
        later = other.step.task < task.step.task and other.result.shape in ("merge", "squash", "reversed")
        if (
            later
            and other.result.result_commit != made
            and contains(case.commits, other.result.result_commit, made)
        ):
            first, second = source_of(other.task), source_of(task.task)
            said = f"{second} was merged before {first}; it was to come after."
            return partly(said, where=(Place(commit=made),))
    return verdict


def _of_replays(case: Case, steps: list[TaskCase]) -> Outcome:
    """A rebase, cherry-pick or revert: every commit there, once, in order, on what it should stand on."""
    task = steps[0].task
    result = steps[0].result
    asked = in_words(task)
    shapes = [step.result.shape for step in steps]
    if "other" in shapes:
        return missed(
            f"There is a merge commit; the task was to {asked}.", (Place(commit=result.result_commit),)
        )
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
            f"The commits do not stand {where}; the task was to {asked}.", (Place(commit=result.base_commit),)
        )
    faults = list(_faults(case, steps))
    if faults:
        lacking = sum(_is_lacking(case, step) for step in steps)
        share = 1 - lacking / len(steps) if lacking else 0.5
        places = tuple(Place(commit=id_) for _, id_ in faults if id_)
        return partly(" ".join(said for said, _ in faults), share, places)
    if result.branch != task.on:
        held = result.branch or "a detached HEAD"
        return partly(f"The commits are right, but they are on {held}; {task.on} did not receive them.")
    count = f"{len(done)} of {len(steps)} commits" if len(done) < len(steps) else counted(len(done), "commit")
    if not done:
        return met(f"Nothing was left of {counted(len(steps), 'commit')} to replay ({asked}).")
    left = len(steps) - len(done)
    rest = f"; nothing was left of the {'other' if left == 1 else 'others'}" if left else ""
    return met(f"{count} as asked ({asked}){rest}.")


def _faults(case: Case, steps: list[TaskCase]) -> Iterator[tuple[str, str | None]]:
    """What is wrong with replayed commits, each as a sentence with the commit that it is about."""
    matches = steps[0].result.matches
    lacking = [step for step in steps if _is_lacking(case, step)]
    into: dict[str, list[str]] = {}
    skipped_ones = []
    for step in lacking:
        holder = matches.into.get(step.step.commit or "") if matches else None
        name = f'"{case.commits[step.step.commit or ""].subject}"'
        if holder is None:
            skipped_ones.append(name)
        else:
            into.setdefault(holder.id, []).append(name)
    for id_, squashed in into.items():
        one = len(squashed) == 1
        said = (
            "has no commit of its own any more: it was"
            if one
            else "have no commits of their own any more: they were"
        )
        yield f"{listed(squashed)} {said} squashed into {short(id_)}.", id_
    if skipped_ones:
        count = len(skipped_ones)
        them = ("it was", "it") if count == 1 else ("they were", "them")
        said = (
            f"{be(count)} not among the replayed commits: {them[0]} skipped, or nothing was left of {them[1]}"
        )
        yield f"{listed(skipped_ones)} {said}.", None
    for step in steps:
        if step.result.shape == "replayed":
            yield from _changed(case, step)
    if matches is None:
        return
    if matches.reordered:
        yield "The commits are not in their order any more.", None
    for commit in matches.twice:
        yield f'{short(commit.id)} replays "{commit.subject}" a second time.', commit.id
    for commit in matches.foreign:
        yield (
            f'{short(commit.id)} "{commit.subject}" lies among the replayed commits and is none of them.',
            commit.id,
        )


def _changed(case: Case, step: TaskCase) -> Iterator[tuple[str, str | None]]:
    """What a replayed commit no longer says as its original does."""
    made = case.commits[step.result.result_commit or ""]
    original = case.commits[step.step.commit or ""]
    wanted = subject_of(case.commits, step.step)
    operation = operation_of(step.task)
    # A revert's message is its maker's to write: saying why is good practice.
    if made.subject != wanted and operation.keeps_commits:
        yield f'{short(made.id)} was reworded: it says "{made.subject}", and was "{wanted}".', made.id
    if not keeps_author(case.commits, step.step, made):
        said = (
            f"{short(made.id)} does not keep the author {_name(original.author)}; it has {_name(made.author)}"
        )
        hint = " ".join(("git", *operation.go_on()))
        yield f"{said} ({hint} keeps the author, git commit does not).", made.id


def _name(author: str) -> str:
    return author.split(" <", maxsplit=1)[0]


def _is_lacking(case: Case, step: TaskCase) -> bool:
    """Whether a commit is missing of which something is left when it is solved as accepted.

    Who keeps the other side in all that it brings has thrown the commit away as well: that costs
    `resolution`, and costs once.
    """
    readings = [conflict.reading for conflict in step.conflicts if conflict.reading]
    wrong = any(not hunk.accepted for reading in readings for hunk in reading.hunks)
    emptied = step.step.becomes_empty(case.commits)
    return (
        step.result.shape == "skipped"
        and not emptied
        and not (wrong and brings_only_conflicts(step.merge, case.commits[step.result.ours].tree, case.texts))
    )


def _of_merge(case: Case, task: TaskCase) -> Outcome:  # noqa: C901 - one case a shape
    result = task.result
    on, bring = task.task.on, source_of(task.task) or ""
    made = short(result.result_commit)
    place = (Place(commit=result.result_commit),)
    match result.shape:
        case "merge":
            if task.task.squash:
                said = f"{made} is a merge commit; one plain commit was asked for (--squash)."
                return missed(said, place)
            if task.task.fast_forward == "only":
                return partly(
                    f"{made} is a merge commit; a fast-forward was asked for.",
                    where=place,
                )
            return _merged(case, task)
        case "fast-forward":
            if task.task.fast_forward == "never":
                return missed(f"{on} was only moved on to {bring}; a merge commit was asked for (--no-ff).")
            return met(f"{on} was moved on to {bring}; nothing had to be merged.")
        case "reversed":
            return missed(
                f"The merge went the wrong way round: {made} merges {on} into {bring}, "
                f"and {bring} was to be merged into {on}.",
                place,
            )
        case "stale":
            return missed(f"{made} merges an older commit of {bring}, not its tip.", place)
        case "squash":
            if task.task.squash:
                return _unreceived(task, "commit") or met(f"{made} brings {bring} into {on} as one commit.")
            return missed(
                f"{made} has no second parent: for Git, {bring} was never merged into {on}. "
                "It was squashed or copied.",
                place,
            )
        case "rebase":
            return missed(f"The commits were rebased; {bring} was to be merged into {on}.", place)
        case "pending":
            way = f" It goes the wrong way round: {on} into {bring}." if result.sides_swapped else ""
            return missed(f"There is no merge commit yet.{way}")
        case "moved":
            said = f"{on} was set to {made}, and what it had is no longer in it; "
            return missed(f"{said}{bring} was to be merged into {on}.", place)
        case "by hand":
            return missed("There is no merge: files were changed by hand.")
    return missed(f"{bring} was never merged into {on}.")


def _merged(case: Case, task: TaskCase) -> Outcome:
    result = task.result
    on, bring = task.step.operation.on, source_of(task.step.operation) or ""
    made = short(result.result_commit)
    place = (Place(commit=result.result_commit),)
    if (unreceived := _unreceived(task, "merge commit")) is not None:
        return unreceived
    if not contains(case.commits, result.ours, task.step.ours) and not _later(task):
        return partly(f"{made} merges {bring}, but {on} was rewritten before.", where=place)
    commits = case.commits
    others = commits[result.result_commit or ""].parents[2:]
    if others:
        return partly(f"{made} merges {listed([short(id_) for id_ in others])} besides {bring}.", where=place)
    moved_on = result.theirs != task.step.theirs and not _later(task)
    said = f" ({bring} had moved on before)" if moved_on else ""
    said += _in_parts(case, task)
    return met(f"{made} merges {bring} into {on}{said}.")


def _in_parts(case: Case, task: TaskCase) -> str:
    """That a branch was brought in by several merges, an older commit of it first."""
    first = case.commits[task.result.result_commit or ""].parents[0]
    return (
        ", after an older commit of it" if task.result.shape == "merge" and first != task.result.ours else ""
    )


def _unreceived(task: TaskCase, what: str) -> Outcome | None:
    """What is lost where the result is not on the branch that was to receive it."""
    result, on = task.result, task.task.on
    said = f"The {what} {short(result.result_commit)} is right, but "
    where = (Place(commit=result.result_commit),)
    if result.branch is None:
        said += f"no branch has it: it was made on a detached HEAD, and {on} did not receive it."
        return partly(said, where=where)
    if result.branch != on:
        return partly(f"{said}it is on {result.branch}; {on} did not receive it.", where=where)
    return None


def _later(task: TaskCase) -> bool:
    return task.step.task > 1


CRITERION = Criterion(
    id="history",
    weight=2,
    judge=judge,
    question="Does the history have the shape that the brief asks for?",
    right="The history has the shape that the brief asks for.",
    tells_reason=True,
    commands=("git log --graph --oneline --all",),
)
