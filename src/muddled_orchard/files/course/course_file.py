"""Read a course file: its exercises in order, each with the scenario that it names, or everything that is
wrong with it in one go."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec
from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.course import plan as plan_module
from muddled_orchard.core.course.drilling import nothing_to_drill, skills_among
from muddled_orchard.core.course.plan import CourseExercise, CoursePlan, Excused, Extension, Late, RolesGiven
from muddled_orchard.files.archives.packing import FORMATS
from muddled_orchard.files.scenarios.bundled import BUNDLED, bundled_ids
from muddled_orchard.files.scenarios.catalogue import load
from muddled_orchard.files.scenarios.catalogue_index import exercises_to_drill
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.scenarios.shape import Shape, WrongShape
from muddled_orchard.files.scenarios.toml_text import parsed, text_of

BUNDLED_COURSES = BUNDLED / "courses"

SHAPE_OF_COURSE = Shape(
    CoursePlan,
    {
        (): CoursePlan,
        ("late",): Late,
        ("exercise",): CourseExercise,
        ("exercise", "late"): Late,
        ("extension",): Extension,
        ("excused",): Excused,
    },
    (plan_module,),
    lambda data: msgspec.convert(data, CoursePlan),
)


class CourseFile(Struct, frozen=True):
    """A course with the files that it names: `scenarios` and `ids` are by what the plan calls an exercise's
    scenario."""

    plan: CoursePlan
    folder: Path
    scenarios: Mapping[str, Path]
    ids: Mapping[str, str]

    @property
    def ledger(self) -> Path:
        """Where its database is."""
        return self.folder / self.plan.ledger

    def beside(self, name: str | None) -> Path | None:
        """A file or folder that it names, or None where it names none."""
        return None if name is None else self.folder / name

    @property
    def for_teams(self) -> list[str]:
        """The ids of the exercises that teams work on together."""
        return [self.ids[exercise.scenario] for exercise in self.plan.exercise if exercise.team]

    @property
    def roles_given(self) -> dict[str, RolesGiven]:
        """How roles come to those of a team, by the ids of the exercises."""
        return {self.ids[exercise.scenario]: exercise.roles for exercise in self.plan.exercise}

    @property
    def own_scenarios(self) -> list[str]:
        """The scenario files that are its own, not bundled."""
        return [str(path) for path in self.scenarios.values() if path.parent != BUNDLED]


def bundled_courses() -> list[str]:
    """The ids of the bundled courses."""
    return sorted(path.stem for path in BUNDLED_COURSES.glob("*.toml"))


def course_text(bundled: str = "first-conflicts") -> str:
    """The text of a bundled course, as a beginning of one's own."""
    return (BUNDLED_COURSES / f"{bundled}.toml").read_text("utf-8")


def load_course(named: Path) -> CourseFile:
    """Read and check a course file, or the bundled course of this id.

    Raises BadInput with every problem, each with file, line and key.
    """
    path, folder = named, named.parent
    if not named.is_file() and str(named) in bundled_courses():
        path, folder = BUNDLED_COURSES / f"{named}.toml", Path()
    elif not named.is_file():
        hint = likely(str(named), bundled_courses()) or "muddled sketch course begins one."
        raise BadInput(Problem("there is no such course file", hint, file=str(named)))
    text = text_of(path)
    try:
        data = parsed(text)
    except BadInput as bad:
        raise with_lines(bad, path, text) from None
    try:
        plan = SHAPE_OF_COURSE.read(data)
    except WrongShape as wrong:
        raise with_lines(BadInput(wrong.problems), path, text) from None
    problems: list[Problem] = []
    scenarios, ids = _scenarios(plan, folder, problems)
    if plan.pack is not None and plan.pack not in FORMATS:
        problems.append(
            Problem(f'"{plan.pack}" is no form of hand-outs', likely(plan.pack, FORMATS), ("pack",))
        )
    tables: dict[str, Sequence[Extension | Excused]] = {"extension": plan.extension, "excused": plan.excused}
    problems += [
        Problem(
            f'there is no exercise "{one.exercise}" in this course',
            likely(one.exercise, ids.values()),
            (table, number, "exercise"),
        )
        for table, several in tables.items()
        for number, one in enumerate(several)
        if one.exercise not in ids.values() and len(ids) == len(plan.exercise)
    ]
    if plan.drill:
        known = skills_among(exercises_to_drill(ids.values()))
        problems += [
            nothing_to_drill(skill, known, ("drill", number))
            for number, skill in enumerate(plan.drill)
            if skill not in known
        ]
    if problems:
        raise with_lines(BadInput(problems), path, text)
    return CourseFile(plan, folder, scenarios, ids)


def _scenarios(
    plan: CoursePlan, folder: Path, problems: list[Problem]
) -> tuple[dict[str, Path], dict[str, str]]:
    """The scenario files of a course, and their ids."""
    paths: dict[str, Path] = {}
    ids: dict[str, str] = {}
    for number, exercise in enumerate(plan.exercise):
        name, key = exercise.scenario, ("exercise", number, "scenario")
        path = folder / name
        if not path.is_file():
            path = BUNDLED / f"{name}.toml"
            if name not in bundled_ids():
                what = f'there is no scenario "{name}": no such file here, and none is bundled'
                problems.append(Problem(what, likely(name, bundled_ids()), key))
                continue
        try:
            id_ = load(path).id
        except BadInput as bad:
            first = bad.problems[0]
            problems.append(
                Problem(f"its scenario has a mistake: {first}", "muddled survey tells all of it.", key)
            )
            continue
        if id_ in ids.values():
            problems.append(Problem(f'the exercise "{id_}" is in the course already', "Name it once.", key))
            continue
        paths[name], ids[name] = path, id_
    return paths, ids
