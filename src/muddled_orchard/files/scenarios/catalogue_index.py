"""What the bundled scenarios ask for, as their surveys say: kept in a file, since a survey asks Git.

`scripts/schema` makes the file; a test says when it is out of date. It tells whether the bundled files are
still those that were surveyed.
"""

from __future__ import annotations

import functools
import hashlib
from collections.abc import Collection, Iterable
from typing import TYPE_CHECKING

import msgspec

from muddled_orchard.core.key.exercise_summary import ExerciseSummary
from muddled_orchard.files.scenarios.bundled import BUNDLED

if TYPE_CHECKING:
    from muddled_orchard.core.key.survey import Survey

INDEX = BUNDLED / "index.json"


class _Entry(msgspec.Struct, frozen=True):
    digest: str
    summary: ExerciseSummary
    proved: float  # what the solution earned, carried out with Git, in points


class _Index(msgspec.Struct, frozen=True):
    files: str
    entries: tuple[_Entry, ...]


def index_text(surveys: Iterable[Survey]) -> str:
    """The file's text, from the surveys of all bundled scenarios, each with its proof."""
    # Whoever only reads the file needs no scenarios.
    from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
    from muddled_orchard.files.stored import digest_of

    library = ScenarioLibrary()
    rows = []
    for summary in sorted(surveys, key=lambda survey: survey.id):
        scenario = library.find(summary.id)
        if scenario is not None and summary.proof is not None and not summary.proof.faults:
            # A survey is a summary too, and more than is kept.
            kept = ExerciseSummary(
                **{name: getattr(summary, name) for name in ExerciseSummary.__struct_fields__}
            )
            rows.append(msgspec.json.encode(_Entry(digest_of(scenario), kept, summary.proof.earned)).decode())
    return f'{{"files": "{_digest_of_files()}", "entries": [\n' + ",\n".join(rows) + "\n]}\n"


def bundled_summaries() -> list[ExerciseSummary] | None:
    """Those of all bundled scenarios by id; None where a file has changed since they were surveyed."""
    index = _index()
    return [entry.summary for entry in index.entries] if index.files == _digest_of_files() else None


@functools.cache
def bundled_exercises() -> dict[str, ExerciseSummary]:
    """What is known of every bundled scenario, by its digest."""
    return {entry.digest: entry.summary for entry in _index().entries}


def exercises_to_drill(course: Collection[str] = ()) -> list[ExerciseSummary]:
    """The bundled exercises that are drilled: all but those that a course itself hands out (ids)."""
    return [summary for summary in bundled_exercises().values() if summary.id not in course]


def _index() -> _Index:
    return msgspec.json.decode(INDEX.read_bytes(), type=_Index)


def _digest_of_files() -> str:
    """What tells the bundled scenarios, and the trees that they take, from others."""
    digest = hashlib.sha256()
    for path in sorted(BUNDLED.rglob("*")):
        if path != INDEX and path.is_file():
            content = path.read_bytes()
            digest.update(f"{path.relative_to(BUNDLED).as_posix()} {len(content)}\n".encode() + content)
    return digest.hexdigest()
