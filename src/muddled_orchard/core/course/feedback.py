"""What a learner gets back over all their exercises: what is right, what is not, how they worked, and what to
practise next."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.phrases import be, counted, repeats_id, times, was
from muddled_orchard.core.course.allowances import Allowance, time_with_zone
from muddled_orchard.core.course.told import conflict_told, made_told, settled_told, standing_told
from muddled_orchard.core.course.totals import ExerciseMark
from muddled_orchard.core.document import (
    Block,
    Commands,
    Document,
    Drawing,
    Heading,
    Items,
    Link,
    Links,
    Paragraph,
    Text,
)
from muddled_orchard.core.grading.assessment import Assessment, HunkResult
from muddled_orchard.core.grading.hints import Hint, found_there, hints, reasons, right_already
from muddled_orchard.core.grading.settling import settled_things
from muddled_orchard.core.grading.summary import (
    accepted_told,
    got_it,
    nothing_done,
    standing,
)
from muddled_orchard.core.key.graph import Graph

PLAIN = 2
"""The strength of hints where neither the key nor a strength is asked for."""


class Telling(Struct, frozen=True):
    """How much is told: what was wanted and why (`key`), or hints of a strength, from 1 to 3; whether points
    are; and how what was left in a conflict is called."""

    key: bool = False
    hint: int = PLAIN
    points: bool = True
    left: str = "what you left"


class ExerciseDone(Struct, frozen=True):
    """An exercise of a learner: its id and title, the mark, and what was found in the attempt that counts;
    None where nothing was handed in, or no result of it is kept."""

    id: str
    title: str
    mark: ExerciseMark
    assessment: Assessment | None


def feedback(
    name: str,
    course: str,
    done: Sequence[ExerciseDone],
    total: float,
    telling: Telling,
    links: Sequence[Link],
) -> Document:
    """The document for one learner."""
    blocks: list[Block] = [Heading(1, f"Feedback for {name}", course)]
    asked = [exercise for exercise in done if not exercise.mark.excused]
    came = sum(exercise.mark.attempt is not None for exercise in asked)
    said = sum(exercise.mark.attempt is None and exercise.mark.has_result for exercise in asked)
    if len(done) > 1 and asked:
        tried = f"You have tried {came} of {counted(len(asked), 'exercise')}"
        settled = f", {counted(said, 'other')} {was(said)} settled by a person" if said else ""
        blocks.append(Paragraph(f"{tried}{settled}, and have {total:g} % in total."))
    for exercise in done:
        blocks += _exercise(exercise, telling)
    if links:
        blocks += [Heading(2, "What to practise next"), Links(tuple(links))]
    return Document(tuple(blocks))


def _exercise(exercise: ExerciseDone, telling: Telling) -> Iterator[Block]:
    yield Heading(2, exercise.title, "" if repeats_id(exercise.title, exercise.id) else exercise.id)
    assessment, mark = exercise.assessment, exercise.mark
    if mark.allowance is not None:
        yield Paragraph(allowance_told(mark.allowance))
    if mark.excused and not mark.has_result:
        return
    if assessment is None:
        yield from _without_result(mark)
        return
    yield from work_blocks(assessment, telling, tuple(_counted(mark)))


def work_blocks(assessment: Assessment, telling: Telling, marked: Sequence[Block] = ()) -> Iterator[Block]:
    """What is told of one work; `marked` says how it counts."""
    yield standing_told(assessment, points=telling.points)
    where = standing(assessment)
    if where == "unreadable":
        return
    yield from marked
    yield from settled_told(settled_things(assessment))
    if where == "not started":
        return
    right = right_already(assessment)
    if right and not got_it(assessment):
        yield Heading(3, "What is right")
        yield Items(right, "met")
    if got_it(assessment):
        if why := reasons(assessment):
            yield Heading(3, "Why it is right")
            yield Items(why, "met")
    elif not nothing_done(assessment) and (wrong := list(_wrong(assessment, telling))):
        yield Heading(3, "What is not")
        yield from wrong
    yield from made_told(assessment)
    yield from _graphs(assessment, telling)
    if assessment.notes:
        yield Heading(3, "How you worked")
        yield Items(tuple(f"{note[:1].upper()}{note[1:]}." for note in assessment.notes))


def allowance_told(allowance: Allowance, due: datetime | None = None) -> str:
    """What is allowed to a learner alone, as one sentence or two; `due` is everybody's time."""
    if allowance.due is None:
        said = "You are excused from this exercise: it does not count."
    else:
        instead = f" instead of {time_with_zone(due)}" if due is not None and due != allowance.due else ""
        said = f"You have time until {time_with_zone(allowance.due)}{instead}."
    return f"{said} Why: {allowance.reason.rstrip('.')}." if allowance.reason else said


def _without_result(mark: ExerciseMark) -> Iterator[Block]:
    if mark.attempt is not None:
        yield Paragraph(f"{mark.percent:g} %. Of this work no details are kept.")
    elif mark.settled is not None:
        yield Paragraph(f"{mark.settled:g} %, as a person settled it; there is no attempt.")
    else:
        yield Paragraph("There is no attempt: nothing came, or it came as it had been handed out.", "missed")


def _counted(mark: ExerciseMark) -> Iterator[Block]:
    """Which attempt it is, and what it lost."""
    if mark.attempts > 1:
        yield Paragraph(f"You handed it in {times(mark.attempts)}; this is the attempt that counts.")
    attempt = mark.attempt
    if attempt is not None and attempt.days_late:
        due = f", after {time_with_zone(mark.due)}" if mark.due is not None else ""
        late = f"It came {counted(attempt.days_late, 'day')} late{due},"
        less = (
            f" and loses {attempt.lost:g} % of its points: {attempt.counted:g} % count"
            if attempt.lost
            else " and loses nothing by that"
        )
        yield Paragraph(f"{late}{less}.", "partly")


def _wrong(assessment: Assessment, telling: Telling) -> Iterator[Block]:
    told = {hint.criterion: hint for hint in hints(assessment, telling.hint)}
    wrong = [hunk for hunk in assessment.hunks if hunk.outcome in ("partly", "missed")]
    for criterion in assessment.criteria:
        verdict = criterion.outcome.verdict
        if verdict not in ("partly", "missed") or criterion.id not in told:
            continue
        points = f" ({criterion.points:g} of {criterion.possible:g} points)" if telling.points else ""
        hint = told[criterion.id]
        conflicts = criterion.id == "resolution" and wrong
        if conflicts:
            text = f"{counted(len(wrong), 'conflict')} {be(len(wrong))} not resolved as the brief asks"
            if assessment.unmet:
                text += f", and {counted(assessment.unmet, 'conflict')} {was(assessment.unmet)} never met"
        else:
            text = criterion.outcome.because.rstrip(".") if telling.key else _hinted(hint)
        yield Items((f"{text}{points}.",), verdict)
        if not telling.key and hint.commands and not conflicts:
            yield Commands(hint.commands)
        for hunk in wrong if conflicts else ():
            yield from _conflict(hunk, telling)


def _hinted(hint: Hint) -> str:
    return replace(hint, commands=()).text.rstrip(".")


def _conflict(hunk: HunkResult, telling: Telling) -> Iterator[Block]:
    wanted: tuple[Text, ...] = ()
    if telling.key:
        gone = "gone" in hunk.accepted
        if not (gone and hunk.wanted is None and len(hunk.accepted) > 1):
            wanted = (Text(f"wanted: {accepted_told(hunk)}", hunk.wanted, "met"),)
    yield from conflict_told(hunk, telling.left, *wanted)
    if telling.key and hunk.why:
        yield Paragraph(" ".join(hunk.why.split()))
    elif not telling.key and telling.hint > 1:
        yield Paragraph(found_there(hunk))
    if not telling.key and telling.hint > 2 and hunk.look:
        yield Commands(hunk.look)


def _graphs(assessment: Assessment, telling: Telling) -> Iterator[Block]:
    if assessment.made is None:
        return
    yield Heading(3, "The commits")
    if assessment.asked is None:  # any shape is fine
        yield Drawing("What you made", assessment.made)
        return
    asked = assessment.asked if telling.key else _without_messages(assessment, assessment.asked)
    history = next(
        (criterion.outcome.verdict for criterion in assessment.criteria if criterion.id == "history"),
        "skipped",
    )
    if history in ("met", "skipped") and _shape(assessment.made) == _shape(asked):
        yield Paragraph("They have the shape that was asked for.")
        yield Drawing("What you made", assessment.made)
    else:
        yield Drawing("What you made", assessment.made)
        yield Drawing("What was asked for", asked)


def _shape(graph: Graph) -> set[tuple[tuple[int, ...], frozenset[str]]]:
    """A graph whatever its commits say: each commit by how long the ways to it are, with the branches that
    stand there."""
    depths: dict[str, tuple[int, ...]] = {}
    for node in graph.nodes:
        depths[node.id] = tuple(1 + max(depths.get(parent, (0,))) for parent in node.parents) or (0,)
    return {(depths[node.id], frozenset(node.branches)) for node in graph.nodes}


def _without_messages(assessment: Assessment, graph: Graph) -> Graph:
    """The graph, without what new commits say where a criterion asks for that."""
    if not any(criterion.id == "message" and criterion.possible for criterion in assessment.criteria):
        return graph
    nodes = tuple(replace(node, subject="...") if node.new else node for node in graph.nodes)
    return Graph(nodes, graph.lanes)


def went_wrong(done: Sequence[ExerciseDone]) -> list[str]:
    """The ids of the exercises that were tried and not got, the worst first."""
    tried = [
        exercise for exercise in done if exercise.mark.attempt is not None and exercise.assessment is not None
    ]
    wrong = [
        exercise for exercise in tried if exercise.assessment is not None and not got_it(exercise.assessment)
    ]
    return [exercise.id for exercise in sorted(wrong, key=lambda exercise: exercise.mark.percent)]
