"""resolution: each conflict is resolved in a way that the key accepts."""

from __future__ import annotations

from collections.abc import Iterator
from math import prod
from typing import Literal

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import command, cut
from muddled_orchard.core.git.commits import name_of, short
from muddled_orchard.core.git.lines import Lines, alike
from muddled_orchard.core.grading.assessment import HunkResult, Outcome, Place, partly, skipped
from muddled_orchard.core.grading.case import MOST_SHOWN, Case, ConflictCase, TaskCase
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.core.grading.kinds.made import AnyResolution
from muddled_orchard.core.grading.kinds.resolution import (
    AllResolved,
    ConflictWrong,
    KeyIsSilent,
    MoreWrong,
    NeverMet,
    NothingConflicts,
)
from muddled_orchard.core.grading.readings import HunkReading
from muddled_orchard.core.key.accepted import Accepted, Decisions
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.merging.conflict import STAGE


def judge(case: Case) -> Outcome:
    """The share of the key's conflicts that were resolved as accepted. What an earlier mistake made of them,
    or kept from being met, neither costs nor earns."""
    if case.is_own and not decisions(case).count:
        return skipped(AnyResolution())
    if not any(step.merge.conflicts for step in _steps(case)):
        return skipped(NothingConflicts())
    expected = decisions(case)
    if not expected.count:
        return skipped(KeyIsSilent())
    bad: list[HunkResult] = []
    lost = 0.0
    for results in _told(case):
        for result in results:
            if result.outcome in ("partly", "missed"):
                bad.append(result)
                lost += result.weight * (1 - result.worth)
    unmet = sum((task.unmet for task in case.judged), Decisions())
    if not bad and not unmet.count:
        return partly(AllResolved(expected.count), 1.0)
    places = tuple(Place(result.file, result.line) for result in bad[:_MOST_TOLD])
    kinds: list[Kind] = [wrong_conflict(result) for result in bad[:3]]
    kinds += [MoreWrong(len(bad) - 3)] if len(bad) > 3 else []
    # The key's reasons, each once.
    kinds += [Said(" ".join(result.why.split())) for result in bad[:3] if result.why]
    kinds += [NeverMet(unmet.count)] if unmet.count else []
    # Weights need not add up exactly.
    share = round((expected.weight - lost - unmet.weight) / expected.weight, 9)
    return partly(kinds, share, places)


def decisions(case: Case) -> Decisions:
    """All that the key wants decided."""
    return sum((step.decisions for step in _steps(case)), Decisions())


def _steps(case: Case) -> list[Step]:
    return [step for step in case.key.steps if case.judges(step.operation)]


_MOST_TOLD = 100


def wrong_conflict(result: HunkResult) -> ConflictWrong:
    """What is told of a conflict that is not resolved as accepted."""
    return ConflictWrong(
        file=result.file,
        line=result.line,
        subject=result.subject,
        renamed=result.renamed,
        left_at=result.left_at,
        whole=result.hunk is None,
        worth=result.worth,
        kept=result.kept,
        accepted=result.accepted,
        together=result.together,
        ours=result.ours_name,
        theirs=result.theirs_name,
    )


def hunk_results(case: Case) -> Iterator[HunkResult]:
    """What became of every conflict, in the order of tasks, files and hunks."""
    for results in _told(case):
        yield from results


def _told(case: Case) -> Iterator[list[HunkResult]]:
    """What became of each conflict."""
    for step, task in enumerate(case.tasks, start=1):
        for conflict in task.conflicts if case.judges(task.task) else ():
            if conflict.reading is None:
                yield [_of_path(case, task, step, conflict)]
            else:
                # Alike for all hunks of a file, of which there may be thousands.
                look, together = tuple(_look(task, conflict)), _together(conflict)
                yield [
                    replace(_of_hunk(case, task, step, conflict, hunk), look=look, together=together)
                    for hunk in conflict.reading.hunks
                ]


def _of_hunk(case: Case, task: TaskCase, step: int, conflict: ConflictCase, hunk: HunkReading) -> HunkResult:
    wanted = "\n or \n".join("".join(text) for text in hunk.wanted_texts)
    only_gone = bool(conflict.accepted) and all(way.gone for way in conflict.accepted)
    return HunkResult(
        task=task.step.task,
        commit=task.step.label or short(task.step.commit) or None,
        file=conflict.conflict.path,
        hunk=hunk.number,
        kept=hunk.kept,
        accepted=("gone",) if only_gone else hunk.wanted,
        outcome=_outcome(conflict, hunk.worth, hunk.number),
        worth=hunk.worth,
        weight=conflict.accepted[0].weight(hunk.number - 1) if conflict.accepted else 1.0,
        why=hunk.why or next((way.why for way in conflict.accepted), ""),
        line=hunk.line,
        base=_shown(hunk.hunk.base),
        ours=_shown(hunk.hunk.ours),
        theirs=_shown(hunk.hunk.theirs),
        left=_shown(hunk.text),
        wanted=wanted,
        ours_name=task.ours_name,
        theirs_name=task.theirs_name,
        renamed=conflict.renamed,
        left_at=conflict.left_at,
        subject=_subject(case, task),
        step=step,
        resolved_by=_resolved_by(case, task),
    )


def _look(task: TaskCase, conflict: ConflictCase) -> Iterator[str]:
    """Git's commands that show a learner what the sides of a conflict did to a file, and why."""
    file, ours, replayed = conflict.renamed or conflict.conflict.path, task.result.ours[:10], task.step.commit
    if task.task.stays_uncommitted:
        yield command("git", "log", "-p", "-3", "--", file)
    elif replayed is None:
        yield command("git", "log", "-p", f"{ours}...{task.result.theirs[:10]}", "--", file)
    else:
        yield command("git", "show", replayed[:10], "--", file)
        yield command("git", "log", "-p", "-3", ours, "--", file)


def _subject(case: Case, task: TaskCase) -> str | None:
    """What the commit that was replayed says: its id is not what a learner knows it by."""
    commit = case.commits.get(task.step.commit or "")
    return commit.subject if commit else None


def _resolved_by(case: Case, task: TaskCase) -> str:
    """Who made the commit of a result, where several have made conflicts together; else nothing."""
    commit = case.commits.get(task.result.result_commit or "") if case.is_own else None
    makers = {one.author for one in case.evidence.commits.values()} if commit is not None else ()
    return name_of(commit.author) if commit is not None and len(makers) > 1 else ""


def _together(conflict: ConflictCase) -> tuple[tuple[str, ...], ...]:
    """Whole answers, where not every mixture of them is accepted."""
    best = (way for way in conflict.accepted if way.worth == 1 and len(way.choices) > 1)
    ways = list(dict.fromkeys(way.words for way in best))
    mixtures = prod(len(set(words)) for words in zip(*ways, strict=False)) if ways else 0
    return tuple(ways) if 1 < len(ways) < mixtures else ()


def _shown(lines: Lines) -> str:
    return cut("".join(lines[:MOST_SHOWN]), MOST_SHOWN)


def _of_path(case: Case, task: TaskCase, step: int, conflict: ConflictCase) -> HunkResult:
    """A conflict without hunks, or a file with hunks that is no longer there."""
    stages = conflict.conflict.stages
    accepted = conflict.accepted
    kept = _kept_path(case, task, conflict)
    best = [way for way in accepted if way.worth == 1]
    words = tuple(dict.fromkeys(word for way in best for word in (("gone",) if way.gone else way.words)))
    fit = next((way for way in accepted if _fits(case, conflict, way, kept)), None)
    worth = fit.worth if fit else 0.0
    return HunkResult(
        task=task.step.task,
        commit=task.step.label or short(task.step.commit) or None,
        file=conflict.conflict.path,
        hunk=None,
        kept=kept,
        accepted=words,
        outcome=_outcome(conflict, worth),
        worth=worth,
        # A file that is gone as a whole stands for all of its hunks.
        weight=conflict.covers.weight if conflict.reading is None and accepted else 1.0,
        why=fit.why if fit else accepted[0].why if accepted else "",
        base=case.text(stages.get(1)),
        ours=case.text(stages.get(2)),
        theirs=case.text(stages.get(3)),
        left=case.text(conflict.blob),
        wanted=_wanted(case, conflict),
        ours_name=task.ours_name,
        theirs_name=task.theirs_name,
        renamed=conflict.renamed,
        left_at=conflict.left_at,
        subject=_subject(case, task),
        step=step,
        resolved_by=_resolved_by(case, task),
        look=tuple(_look(task, conflict)),
        together=_together(conflict),
    )


def _outcome(
    conflict: ConflictCase, worth: float, hunk: int | None = None
) -> Literal["met", "partly", "missed", "skipped"]:
    if not conflict.accepted or not conflict.asked or hunk in conflict.extra:
        return "skipped"
    return "met" if worth == 1 else "partly" if worth > 0 else "missed"


def _wanted(case: Case, conflict: ConflictCase) -> str | None:
    """The text of the first answer that earns everything, if that is no deletion."""
    for way in conflict.accepted:
        if way.worth == 1 and not way.gone:
            if way.clean:
                return "".join(way.text)
            return case.text(conflict.conflict.stages[STAGE[way.word]])
    return None


def _kept_path(case: Case, task: TaskCase, conflict: ConflictCase) -> str:
    # Whoever deletes what Git has left there has chosen, staged or not.
    deleted = conflict.blob is None and conflict.conflict.path in task.step.merge.tree
    if conflict.conflict.path in case.evidence.unmerged and task.result.in_working_tree and not deleted:
        return "unresolved"
    if conflict.blob is None:
        return "gone"
    form = alike(case.scenario.spacing)
    now = form(conflict.lines)
    for word, stage in (("ours", 2), ("theirs", 3), ("base", 1)):
        side = conflict.conflict.stages.get(stage)
        if side is None or side.mode != conflict.blob.mode:
            continue
        if side.id == conflict.blob.id or (now and form(case.lines(side)) == now):
            return word
    return "blend"


def _fits(case: Case, conflict: ConflictCase, way: Accepted, kept: str) -> bool:
    if way.gone:
        return kept == "gone"
    if not way.whole:
        form = alike(case.scenario.spacing)
        blob = conflict.blob
        return blob is not None and blob.mode in conflict.modes and form(way.text) == form(conflict.lines)
    return kept == way.word


CRITERION = Criterion(
    id="resolution",
    weight=14,
    judge=judge,
    of_tasks=True,
    question="Is each conflict resolved as the brief asks?",
    right="Every conflict is resolved as the brief asks.",
)
