"""Make everybody's feedback from a ledger: a file for each form, in several processes where that pays."""

from __future__ import annotations

import functools
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from os.path import commonpath
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.classroom.tallying import scenarios_of
from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.course.class_record import ClassRecord
from muddled_orchard.core.course.feedback import ExerciseDone, Telling, feedback, went_wrong
from muddled_orchard.core.course.practise_next import Like, like, practise_next
from muddled_orchard.core.course.records import Grading
from muddled_orchard.core.course.totals import ExerciseMark, LearnerTotal, total_of
from muddled_orchard.core.document import Document
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.summary import got_it
from muddled_orchard.core.key.survey import Survey
from muddled_orchard.files.archives.forms import ENDINGS
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue_index import bundled_exercises
from muddled_orchard.files.stored import Damaged, digest_of
from muddled_orchard.files.stored_results import assessment_of
from muddled_orchard.show.document.page import document_page
from muddled_orchard.show.document.text import markdown, plain_text
from muddled_orchard.system.output import PRIVATE, write_file
from muddled_orchard.system.workers import PORTIONS_AHEAD, Awaited, WorkerLost, in_order, workers

MOST_AT_ONCE = 50

NAME = "feedback"
"""What the files of a learner's feedback are called."""

FORMS: Mapping[str, Callable[[Document], str]] = {
    "html": document_page,
    "md": markdown,
    "txt": plain_text,
}
"""What writes each form of a learner's feedback, by the ending of its file."""


class _ReplyToMake(Struct, frozen=True):
    """What one learner's feedback is made of: their total, and the results of the attempts that count, as
    text by grading."""

    total: LearnerTotal
    results: Mapping[int, str]


class _Shared(Struct, frozen=True):
    """What everybody's feedback has in common."""

    record: ClassRecord
    telling: Telling
    out: Path
    like: Mapping[str, Like]


def chosen(record: ClassRecord, learners: Sequence[str], exercises: Sequence[str]) -> list[LearnerTotal]:
    """The totals that feedback is written for: of the learners that were named, or of all; with the exercises
    that were named, or with all. Raises BadInput for those that there aren't."""
    for word, named, there in (
        ("learner", learners, list(record.learners)),
        ("exercise", exercises, list(record.standing.exercises)),
    ):
        for name in named:
            if name not in there:
                raise BadInput(Problem(f'there is no {word} "{name}"', likely(name, there)))
    totals = []
    for total in record.standing.totals:
        if not learners or total.learner in learners:
            marks = tuple(mark for mark in total.marks if not exercises or mark.exercise in exercises)
            if marks:
                totals.append(replace(total, marks=marks, percent=total_of(marks)))
    return totals


@contextmanager
def replied(
    ledger: Ledger,
    record: ClassRecord,
    totals: Sequence[LearnerTotal],
    telling: Telling,
    out: Path,
    jobs: int,
) -> Iterator[Iterator[str]]:
    """Write everybody's feedback to files in a folder of their own below `out`; the learners' ids, as they
    are done."""
    shared = _Shared(record, telling, out, _like(ledger, totals))
    portions = _portions(ledger, totals)
    jobs = max(1, min(jobs, len(totals) // MOST_AT_ONCE))
    if jobs < 2:
        yield (learner for portion in portions for learner in _write(shared, portion))
        return
    with workers(jobs, _writer, shared) as pool:
        yield _as_written(in_order(portions, pool.submit, PORTIONS_AHEAD * jobs))


def _as_written(begun: Iterable[tuple[Sequence[_ReplyToMake], Awaited[list[str]]]]) -> Iterator[str]:
    try:
        for _, awaited in begun:
            yield from awaited.result()
    except WorkerLost:
        raise BadInput(Problem("a process that was writing ended unexpectedly", "Try it again.")) from None


def _portions(ledger: Ledger, totals: Sequence[LearnerTotal]) -> Iterator[list[_ReplyToMake]]:
    for start in range(0, len(totals), MOST_AT_ONCE):
        some = totals[start : start + MOST_AT_ONCE]
        ids = [mark.attempt.work.grading.id for total in some for mark in total.marks if mark.attempt]
        results = dict(ledger.results(ids))
        yield [
            _ReplyToMake(total, {id_: results[id_] for id_ in _ids(total) if id_ in results})
            for total in some
        ]


def _ids(total: LearnerTotal) -> Iterator[int]:
    return (mark.attempt.work.grading.id for mark in total.marks if mark.attempt)


def _writer(shared: _Shared) -> Callable[[Sequence[_ReplyToMake]], list[str]]:
    return functools.partial(_write, shared)


def _write(shared: _Shared, pieces: Sequence[_ReplyToMake]) -> list[str]:
    for piece in pieces:
        document = _document(shared, piece)
        for form, content in FORMS.items():
            data = content(document).encode("utf-8", "backslashreplace")
            write_file(shared.out / piece.total.learner / f"{NAME}.{form}", data, PRIVATE)
    return [piece.total.learner for piece in pieces]


def _document(shared: _Shared, piece: _ReplyToMake) -> Document:
    record, total = shared.record, piece.total
    done = [_done(record, mark, total.learner, piece.results) for mark in total.marks]
    had = {mark.exercise for mark in total.marks}
    links = practise_next(went_wrong(done), shared.like, had)
    name = record.name(total.learner)
    return feedback(name, record.standing.plan.title, done, total.percent, shared.telling, links)


def _done(record: ClassRecord, mark: ExerciseMark, learner: str, results: Mapping[int, str]) -> ExerciseDone:
    assessment: Assessment | None = None
    if mark.attempt is not None:
        try:
            whole = assessment_of(results.get(mark.attempt.work.grading.id, ""))
            assessment = record.rules.counting(whole, learner)
        except Damaged:
            assessment = None
    return ExerciseDone(mark.exercise, record.title(mark.exercise), mark, assessment)


def _like(ledger: Ledger, totals: Sequence[LearnerTotal]) -> dict[str, Like]:
    """The bundled exercises that are like each of those which somebody got wrong, by their surveys."""
    wrong = {
        mark.exercise
        for total in totals
        for mark in total.marks
        if mark.attempt and mark.attempt.work.verdicts and not got_it(mark.attempt.work.verdicts)
    }
    if not wrong:
        return {}
    bundled = bundled_exercises()
    own = scenarios_of(ledger, sorted(wrong))
    digests = {id_: digest_of(scenario) for id_, scenario in own.items()}
    known = {id_: bundled[digest] for id_, digest in digests.items() if digest in bundled}
    others = [scenario for id_, scenario in own.items() if id_ not in known]
    if others:
        from muddled_orchard.vcs.ask.surveying import surveyor  # what is behind it takes long to load

        with surveyor() as surveying:
            for found in surveying.survey(others, PLAIN_VARIANT):
                if isinstance(found, Survey):
                    known[found.id] = found
    return {id_: like(summary, bundled.values()) for id_, summary in known.items()}


def packed_names(record: ClassRecord, totals: Sequence[LearnerTotal]) -> dict[str, str]:
    """By learner, the name that their newest work had in the pile in which it came: what a platform knows
    them by. Who handed in nothing is left out."""
    wanted = {(total.learner, mark.exercise) for total in totals for mark in total.marks}
    gradings = [work.grading for work in record.works]
    newest = {
        grading.learner: grading
        for grading in gradings
        if grading.learner and (grading.learner, grading.exercise) in wanted
    }
    tops = _tops(gradings)
    found = {
        learner: _name_in(
            tops[grading.exercise] if grading.pile is None else _slashes(grading.pile),
            _slashes(grading.submission),
        )
        for learner, grading in newest.items()
    }
    counts = Counter(found.values())
    # Two of one name: nobody's feedback goes to somebody else.
    return {learner: name if counts[name] == 1 else f"{name}-{learner}" for learner, name in found.items()}


def _tops(gradings: Sequence[Grading]) -> dict[str, str]:
    """By exercise, the folder or archive that all its submissions lay in: their pile, where that was not
    written down."""
    places: dict[str, list[str]] = {}
    for grading in gradings:
        places.setdefault(grading.exercise, []).append(_slashes(grading.submission).rpartition("/")[0])
    found = {}
    for exercise, several in places.items():
        try:
            found[exercise] = commonpath(several)
        except ValueError:  # some absolute, some not
            found[exercise] = ""
    return found


def _slashes(path: str) -> str:
    return path.replace("\\", "/")


def _name_in(pile: str, place: str) -> str:
    """The first part of a place below its pile, an archive without its ending, as a safe name."""
    below = place.removeprefix(f"{pile.rstrip('/')}/")
    inside = below if pile and below != place else place.rpartition("/")[2]
    name, _, more = inside.partition("/")
    if not more:
        name = next((name[: -len(end)] for end in ENDINGS if name.lower().endswith(end)), name)
    safe = "".join(letter if letter.isprintable() and letter not in '\\:*?"<>|' else "_" for letter in name)
    return safe.strip(". ") or "submission"
