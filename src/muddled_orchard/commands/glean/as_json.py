"""The conflicts of a history as JSON."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.commands.glean.found import Found
from muddled_orchard.core.gleaning.conflicts_met import Gleaned
from muddled_orchard.core.gleaning.redone import How
from muddled_orchard.core.merging.keep import KEEP, NOT_IN_KEYS
from muddled_orchard.show.json.shapes import about, one_of
from muddled_orchard.show.json.writing import json_text, shaped


class ConflictOut(Struct):
    """One path that conflicted."""

    path: str
    kind: Annotated[str, about("Git's own word.")]
    hunks: int
    kept: Annotated[
        list[Annotated[str, one_of(*KEEP, *NOT_IN_KEYS)]],
        about("What was kept in each hunk; of a path without hunks in the whole of it."),
    ]
    lines: Annotated[int, about("How many lines of both sides one has to read.")]
    outside: Annotated[int, about("How many lines outside the hunks were changed.")]


class GleanedOut(Struct):
    """One operation that conflicted."""

    commit: str
    how: How
    committed: datetime
    subject: str
    ours: str
    theirs: str
    base: Annotated[str | None, about("What both are measured by; null: what they have in common.")]
    conflicts: list[ConflictOut]
    elsewhere: Annotated[list[str], about("Files that Git merged cleanly and that came out otherwise.")]
    difficulty: str
    problem: Annotated[str, about("Why no exercise can be made of it; empty: one can.")]


class GleanFile(Struct):
    """What `muddled glean --json` prints."""

    format: Literal[1]
    asked: Annotated[int, about("How many operations were asked again.")]
    conflicted: int
    wanted: Annotated[int, about("How many of these the options ask for.")]
    failed: Annotated[int, about("How many could not be asked.")]
    octopus: Annotated[int, about("How many merges of several branches at once were left out.")]
    found: Annotated[list[GleanedOut], about("The most instructive first.")]


def glean_file(found: Found) -> str:
    """What was found."""
    return json_text(shaped(GleanFile, found, format=1, found=[_gleaned(row) for row in found.rows]))


def _gleaned(row: Gleaned) -> GleanedOut:
    commit = row.redone.commit
    committed = datetime.fromtimestamp(commit.committed, UTC)
    return shaped(
        GleanedOut,
        row,
        row.redone,
        commit,
        commit=commit.id,
        committed=committed,
        difficulty=row.difficulty.level,
    )
