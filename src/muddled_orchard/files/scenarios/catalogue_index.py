"""What the bundled scenarios ask for, as their surveys say: kept in a file, since a survey asks Git.

`scripts/schema` makes the file; a test says when it is out of date.
"""

from __future__ import annotations

import functools
from collections.abc import Iterable

import msgspec

from muddled_orchard.core.course.practice import KnownExercise
from muddled_orchard.core.key.survey import Survey
from muddled_orchard.files.scenarios.catalogue import BUNDLED
from muddled_orchard.files.stored import digest_of

INDEX = BUNDLED / "index.json"


class _Entry(msgspec.Struct, frozen=True):
    digest: str
    exercise: KnownExercise


def known_exercise(survey: Survey) -> KnownExercise:
    """What is known of an exercise by its survey."""
    scenario = survey.key.scenario
    return KnownExercise(
        id=scenario.id,
        title=scenario.title,
        operations=tuple(survey.operations),
        kinds=tuple(survey.kinds),
        points=survey.difficulty.points,
    )


def index_text(surveys: Iterable[Survey]) -> str:
    """The file's text, from the surveys of all bundled scenarios."""
    from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary

    library = ScenarioLibrary()
    entries = []
    for survey in surveys:
        scenario = library.find(survey.key.scenario.id)
        if scenario is not None:
            entries.append(_Entry(digest_of(scenario), known_exercise(survey)))
    rows = (msgspec.json.encode(entry).decode() for entry in sorted(entries, key=lambda one: one.exercise.id))
    return "[\n" + ",\n".join(rows) + "\n]\n"


@functools.cache
def bundled_exercises() -> dict[str, KnownExercise]:
    """What is known of every bundled scenario, by its digest."""
    entries = msgspec.json.decode(INDEX.read_bytes(), type=list[_Entry])
    return {entry.digest: entry.exercise for entry in entries}
