"""Where everybody stands in a course: attempts and totals, from what the ledger holds."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.totals import Standing, attempts_of, totals
from muddled_orchard.files.course.course_file import CourseFile
from muddled_orchard.files.stored import Damaged, assessment_of


def standing_of(
    course: CourseFile,
    learners: Mapping[str, Learner],
    hand_outs: Sequence[HandOut],
    gradings: Sequence[Grading],
) -> Standing:
    """The course's attempts and totals."""
    attempts = attempts_of(course.plan, course.ids, gradings, _newest(gradings))
    found = totals(course.plan, course.ids, attempts, hand_outs, learners)
    return Standing(course.plan, tuple(course.ids.values()), tuple(attempts), tuple(found))


def _newest(gradings: Iterable[Grading]) -> dict[int, int]:
    """When the newest own commit of each grading was made, by its place; what can't be read has none."""
    found = {}
    for number, grading in enumerate(gradings):
        try:
            found[number] = assessment_of(grading.result).ended
        except Damaged:
            continue
    return found
