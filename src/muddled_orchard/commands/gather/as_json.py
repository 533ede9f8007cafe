"""What came of gathering, as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, TypedDict

from muddled_orchard.core.course.gathering import Gathered, without_secret
from muddled_orchard.show.json.shapes import about
from muddled_orchard.show.json.text import json_text


class GatheredOut(TypedDict):
    """One repository."""

    learner: str
    exercise: Annotated[str | None, about("Null where a learner has one repository for all.")]
    url: Annotated[str, about("Without a name and a password.")]
    file: Annotated[str, about("Where it is, below the folder.")]
    state: Literal["new", "changed", "unchanged", "failed"]
    reason: Annotated[str | None, about("Why it could not be had; null otherwise.")]


class GatherFile(TypedDict):
    """What `muddled gather --json` prints."""

    format: Literal[1]
    folder: str
    repositories: list[GatheredOut]


def gather_file(folder: str, found: Sequence[Gathered]) -> str:
    """Every repository, in the order of the roster."""
    data: GatherFile = {
        "format": 1,
        "folder": folder,
        "repositories": [
            {
                "learner": one.source.learner,
                "exercise": one.source.exercise or None,
                "url": without_secret(one.source.url),
                "file": one.source.place,
                "state": one.state,
                "reason": one.reason or None,
            }
            for one in found
        ],
    }
    return json_text(data)
