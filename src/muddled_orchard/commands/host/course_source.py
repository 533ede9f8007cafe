"""Where a host reads its course from, and whether that has changed since."""

from __future__ import annotations

import argparse
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from muddled_orchard.commands.options import course_of, ledger_of, tell_roster
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.plan import CourseExercise, CoursePlan
from muddled_orchard.core.course.roster import Learner, shown_names
from muddled_orchard.files.course.course_file import CourseFile
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.roster_file import columns_from, read_roster
from muddled_orchard.files.scenarios.catalogue import scenario_files
from muddled_orchard.system.output import STDOUT

if TYPE_CHECKING:
    from muddled_orchard.commands.host.served_course import ServedCourse

_REPOSITORIES = "repositories"

Stamps = dict[Path, tuple[int, int]]
"""When each file was last changed, and its size."""


class CourseSource:
    """Where the course is read from: its file, or what was named."""

    def __init__(self, options: argparse.Namespace) -> None:
        self._options = options
        course = course_of(options)
        self.ledger = ledger_of(options, course)
        if options.roster == STDOUT:
            hint = "It is read again while the host runs."
            raise BadInput(Problem("the roster of a host must be a file", hint))
        self.folder = options.repositories or self.ledger.parent / _REPOSITORIES
        self.title = course.plan.title if course and not options.scenarios else "A course"
        self._roster = _roster(options, course)
        self._courses: list[Path] = []
        self._stamps: Stamps = {}
        self._told = False

    def read(self) -> ServedCourse:
        """The course as it is now. Raises BadInput."""
        from muddled_orchard.commands.host.served_course import ServedCourse, served_exercises

        # The files are known once it was read; what changes after they were looked at is noticed.
        try:
            self._plan()
        finally:
            self._stamps = _stamps_of(self._files())
        plan, rules = self._plan()
        exercises = served_exercises(rules)
        return ServedCourse(plan, exercises, list(self.learners().values()), self.folder)

    def names(self) -> dict[str, str]:
        """Everybody's name, by id."""
        return shown_names(self.learners().values())

    def changed(self) -> bool:
        """Whether a file that the course was read from is not as it was then."""
        return _stamps_of(self._files()) != self._stamps

    def forget(self) -> None:
        """It counts as changed until it is read again: what was read could not be gone by."""
        self._stamps = {}

    def _files(self) -> list[Path]:
        """The files that the course is read from."""
        return [*self._courses, *([self._roster] if self._roster else [])]

    def _plan(self) -> tuple[CoursePlan, Mapping[str, CourseExercise]]:
        course: CourseFile | None = course_of(self._options)
        self._roster = _roster(self._options, course)
        named = self._options.scenarios
        if named:
            files = [str(path) for path in scenario_files(named)]
            rules = {name: CourseExercise(scenario=name) for name in files}
            self._courses = [Path(name) for name in files]
            return CoursePlan(title=self.title, exercise=tuple(rules.values())), rules
        if course is None:
            hint = "Name one, or write a course file (course.toml)."
            raise BadInput(Problem("no scenario is named", hint))
        self._courses = [self._options.course or Path("course.toml"), *course.scenarios.values()]
        return course.plan, {
            str(course.scenarios[exercise.scenario]): exercise for exercise in course.plan.exercise
        }

    def learners(self) -> Mapping[str, Learner]:
        """Everybody who takes part, by id. Raises BadInput."""
        if self._roster is not None:
            words = self._options.roster_columns
            roster = read_roster(self._roster, columns_from(words) if words else {})
            if not self._told:  # once, and not each time that the file is read again
                tell_roster(self._roster, roster)
            self._told, learners = True, roster.learners
            return {learner.id: learner for learner in learners}
        if self.ledger.is_file():
            ledger = Ledger(self.ledger)
            try:
                found = ledger.learners()
            finally:
                ledger.close()
            if found:
                return found
        raise BadInput(
            Problem("there is no roster", "Name one: --roster FILE, or roster in the course file.")
        )


def _roster(options: argparse.Namespace, course: CourseFile | None) -> Path | None:
    file: Path | None = options.roster or (course.beside(course.plan.roster) if course else None)
    return file


def _stamps_of(paths: list[Path]) -> Stamps:
    found = {}
    for path in paths:
        with suppress(OSError):
            about = path.stat()
            found[path] = (about.st_mtime_ns, about.st_size)
    return found
