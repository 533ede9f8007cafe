"""Count a class from its ledger: what was handed out, what came of it, and one example of each conflict."""

from __future__ import annotations

from collections.abc import Iterable

from muddled_orchard.core.course.class_record import ClassRecord
from muddled_orchard.core.course.tally import Tally, example_attempts, tally
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.stored import Damaged, scenario_of
from muddled_orchard.files.stored_results import assessment_of


def tally_of(ledger: Ledger, record: ClassRecord) -> Tally:
    """The class counted."""
    attempts = example_attempts(record)
    exercise_of = {attempt.work.grading.id: exercise for exercise, attempt in attempts.items()}
    examples: dict[str, Assessment] = {}
    for id_, text in ledger.results(list(exercise_of)):
        try:
            examples[exercise_of[id_]] = assessment_of(text)
        except Damaged:
            continue  # it is counted all the same, and not shown
    return tally(record, scenarios_of(ledger, record.standing.exercises), examples)


def scenarios_of(ledger: Ledger, exercises: Iterable[str]) -> dict[str, Scenario]:
    """The scenarios that were handed out, by id; those that can't be read are left out."""
    found = {}
    for id_ in exercises:
        try:
            text = ledger.scenario(id_)
            if text is not None:
                found[id_] = scenario_of(text)
        except Damaged:
            continue
    return found
