"""What came of gathering, as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.course.sources import Gathered, without_secret
from muddled_orchard.show.json.shapes import about
from muddled_orchard.show.json.writing import json_text, shaped


class GatheredOut(Struct, rename={"place": "file"}):
    """One repository."""

    learner: str
    exercise: Annotated[str | None, about("Null where a learner has one repository for all.")]
    url: Annotated[str, about("Without a name and a password.")]
    place: Annotated[str, about("Where it is, below the folder.")]
    state: Literal["new", "changed", "unchanged", "failed"]
    reason: Annotated[str | None, about("Why it could not be had; null otherwise.")]


class GatherFile(Struct):
    """What `muddled gather --json` prints."""

    format: Literal[1]
    folder: str
    repositories: list[GatheredOut]


def gather_file(folder: str, found: Sequence[Gathered]) -> str:
    """Every repository, in the order of the roster."""
    repositories = [
        shaped(
            GatheredOut,
            gathered,
            gathered.source,
            exercise=gathered.source.exercise or None,
            url=without_secret(gathered.source.url),
            reason=gathered.reason or None,
        )
        for gathered in found
    ]
    return json_text(shaped(GatherFile, format=1, folder=folder, repositories=repositories))
