"""The exercises of a drill: planted, looked at as the grader does, and packed to be handed in."""

from __future__ import annotations

import secrets
from collections.abc import Collection, Sequence
from datetime import datetime
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.drilling import (
    MOST_FAILED,
    SkillStanding,
    Try,
    next_exercise,
    nothing_to_drill,
    skills_among,
    skills_of,
    standings,
    wrong_skills,
)
from muddled_orchard.core.course.practice import practice_variant
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.summary import got_it
from muddled_orchard.core.key.exercise_summary import ExerciseSummary
from muddled_orchard.core.submission.peek import Peek
from muddled_orchard.files.archives.export import DRILL
from muddled_orchard.files.archives.packing import pack
from muddled_orchard.files.course.drill_file import Progress, UnderWay, read_progress, write_progress
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary, load, scenario_path
from muddled_orchard.files.scenarios.catalogue_index import bundled_exercises, exercises_to_drill
from muddled_orchard.system.output import write_new_file
from muddled_orchard.vcs.grading import grader
from muddled_orchard.vcs.peeking import peek_at
from muddled_orchard.vcs.planting import plant, read_files
from muddled_orchard.vcs.read.disk import DiskSource


class Looked(Struct, frozen=True):
    """What was found in the exercise at hand, and how often it was not right by now. `going_on`: where the
    learner stands in work that is not done yet, so that it counts for nothing (None: it is done).
    `again`: the exercise that follows by itself (None: none does)."""

    at_hand: UnderWay
    assessment: Assessment
    failed: int
    going_on: Peek | None = None
    again: UnderWay | None = None

    @property
    def right(self) -> bool:
        """Whether it is done."""
        return got_it(self.assessment)


class Drill:
    """A learner's drill in a folder."""

    def __init__(self, folder: Path, course: Collection[str] = ()) -> None:
        """What the course itself hands out (`course`: ids) is not drilled."""
        self.folder = folder
        self.progress: Progress = read_progress(folder)
        self._all = {summary.id: summary for summary in bundled_exercises().values()}
        self._exercises = exercises_to_drill(course)

    @property
    def at_hand(self) -> UnderWay | None:
        """The exercise at hand; None where there is none, or its folder was taken away."""
        at_hand = self.progress.at_hand
        return at_hand if at_hand is not None and self.place(at_hand).is_dir() else None

    def place(self, at_hand: UnderWay) -> Path:
        """The practice folder of an exercise."""
        return self.folder / at_hand.folder

    def standings(self) -> list[SkillStanding]:
        """How far every skill is."""
        return standings(self._exercises, self.progress.tries)

    def groups(self) -> dict[str, list[SkillStanding]]:
        """The same by what a skill is."""
        operations = {operation for summary in self._exercises for operation in summary.operations}
        found: dict[str, list[SkillStanding]] = {"operation": [], "kind of conflict": []}
        for one in self.standings():
            found["operation" if one.skill in operations else "kind of conflict"].append(one)
        return found

    def count(self, skill: str) -> int:
        """How many exercises a skill has."""
        return sum(skill in skills_of(summary) for summary in self._exercises)

    def begin(self, wanted: Sequence[str], now: datetime) -> UnderWay | None:
        """Plant the next exercise, of one of these skills or of any; None where all sit for now. Raises
        BadInput for a skill that there isn't."""
        known = skills_among(self._exercises)
        for skill in wanted:
            if skill not in known:
                raise BadInput(nothing_to_drill(skill, known))
        found = next_exercise(self._exercises, self.progress.tries, now, wanted)
        return None if found is None else self._plant(found[0].id, found[1])

    def look(self, now: datetime) -> Looked:
        """Grade the exercise at hand as it lies there. Raises BadInput where there is none."""
        at_hand = self._needed()
        library = ScenarioLibrary()
        with grader(lambda hand_out: library.find(hand_out.exercise), DiskSource) as grading:
            (assessment,) = grading.grade([self.place(at_hand)])
        if got_it(assessment):
            self._write_down(at_hand, now, ())
            return Looked(at_hand, assessment, at_hand.failed)
        if assessment.state in ("untouched", "open"):
            standing, _ = peek_at(self.place(at_hand) / "work")
            if standing.under_way or assessment.state == "untouched":
                return Looked(at_hand, assessment, at_hand.failed, going_on=standing)
        if assessment.state == "unreadable":
            return Looked(at_hand, assessment, at_hand.failed)
        failed = at_hand.failed + 1
        if failed < MOST_FAILED:
            self._keep(replace(self.progress, at_hand=replace(at_hand, failed=failed)))
            return Looked(at_hand, assessment, failed)
        self._write_down(at_hand, now, wrong_skills(self._summary(at_hand.exercise), assessment))
        return Looked(at_hand, assessment, failed, again=self._plant(at_hand.exercise, at_hand.skill))

    def give_away(self, now: datetime) -> tuple[UnderWay, UnderWay]:
        """The answer to the exercise at hand was shown: that one, and the same task with other values."""
        at_hand = self._needed()
        self._write_down(at_hand, now, skills_of(self._summary(at_hand.exercise)), shown=True)
        return at_hand, self._plant(at_hand.exercise, at_hand.skill)

    def export(self, file: Path) -> int:
        """Pack every exercise that was tried into a zip file, to be handed in; how many there are. Raises
        BadInput where there are none."""
        folders = (
            sorted(path for path in self.folder.iterdir() if (path / "work").is_dir())
            if self.folder.is_dir()
            else []
        )
        if not folders:
            raise BadInput(
                Problem("nothing was drilled here yet", "muddled drill KIND begins.", file=str(self.folder))
            )
        files = {f"{path.name}/{name}": file_ for path in folders for name, file_ in read_files(path)}
        write_new_file(file, pack(files, DRILL, "zip"))
        return len(folders)

    def _needed(self) -> UnderWay:
        if self.at_hand is None:
            what, hint = "no exercise is at hand here", "muddled drill KIND begins one."
            raise BadInput(Problem(what, hint, file=str(self.folder)))
        return self.at_hand

    def _plant(self, exercise: str, skill: str) -> UnderWay:
        scenario = load(scenario_path(exercise))
        code = practice_variant(secrets.token_hex(4))
        number = 1
        while (self.folder / f"{exercise}-{number}").exists():
            number += 1
        at_hand = UnderWay(exercise=exercise, variant=code, folder=f"{exercise}-{number}", skill=skill)
        plant(scenario, self.place(at_hand), code)
        self._keep(replace(self.progress, at_hand=at_hand))
        return at_hand

    def _write_down(
        self, at_hand: UnderWay, now: datetime, wrong: Sequence[str], *, shown: bool = False
    ) -> None:
        skills = skills_of(self._summary(at_hand.exercise))
        one = Try(
            exercise=at_hand.exercise,
            variant=at_hand.variant,
            at=now,
            skills=skills,
            wrong=tuple(wrong),
            shown=shown,
        )
        self._keep(replace(self.progress, tries=(*self.progress.tries, one), at_hand=None))

    def _keep(self, progress: Progress) -> None:
        self.progress = progress
        write_progress(self.folder, progress)

    def _summary(self, exercise: str) -> ExerciseSummary:
        return self._all[exercise]
