"""Practice that a host gives: what a learner has practised, as the ledger says, and what they get next."""

from __future__ import annotations

import functools
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from msgspec.structs import replace

from muddled_orchard.classroom.handing_out import exercises_in
from muddled_orchard.classroom.making import HOSTED, Exercise, hand_out_of
from muddled_orchard.classroom.versions import keep_version
from muddled_orchard.core.course.drilling import WorkSeen
from muddled_orchard.core.course.practice import practice_id, practice_variant
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import variant_code
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue import scenario_path
from muddled_orchard.files.stored import Damaged
from muddled_orchard.files.stored_results import assessment_of
from muddled_orchard.vcs.planting import practice_of, put_in_place


@functools.cache  # there are as many as bundled exercises
def exercise_to_practise(id_: str) -> Exercise:
    """A bundled exercise, sure to work in every variant. Raises BadInput."""
    (exercise,) = exercises_in([str(scenario_path(id_))], HOSTED)
    return exercise


def works_seen(ledger: Ledger, learner: str) -> Iterator[WorkSeen]:
    """Every push of a learner to what they practise, the oldest first, as it was graded."""
    for grading in ledger.practised(learner):
        try:
            assessment = assessment_of(grading.result)
        except Damaged:
            continue
        at = datetime.fromisoformat(grading.graded)
        yield WorkSeen(exercise=assessment.exercise, variant=grading.variant, at=at, assessment=assessment)


def give_practice(ledger: Ledger, learner: str, exercise: Exercise, folder: Path, file: str) -> HandOut:
    """Give a learner an exercise to practise, in a variant that they have not had, and write that down. Its
    repository is made in `file` below `folder`, where none is there yet."""
    id_ = practice_id(exercise.scenario.id)
    number = ledger.times_handed_out(id_, learner)
    code = practice_variant(variant_code(ledger.secret(), id_, learner, "", number))
    practice = practice_of(exercise.variants, code)
    if not (folder / file).exists():
        put_in_place(folder / file, practice.hosted())
    keep_version(ledger, exercise.scenario, exercise.digest)
    hand_out = replace(hand_out_of(exercise, practice, code, learner, "", file), exercise=id_)
    ledger.add_hand_outs([hand_out])
    return hand_out
