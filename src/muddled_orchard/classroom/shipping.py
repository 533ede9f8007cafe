"""Submissions and scenarios as they travel to machines that see none of our disks."""

from __future__ import annotations

import functools
from collections.abc import Mapping
from pathlib import Path
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.limits import Bounds, Exceeded, in_mib
from muddled_orchard.core.exercise.claim import ExerciseVariant
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.submission.file_source import FileSource, Kind, MemorySource, below
from muddled_orchard.files.archives.unpacking import unpacked_bytes
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.stored import scenario_of
from muddled_orchard.vcs.read.disk import DiskSource, read_plain_file


class ShippedEntry(Struct, frozen=True):
    """Something in a folder that travels; `data` is a file's content, or where a link points."""

    path: str
    kind: Kind
    data: bytes = b""
    executable: bool = False


class Shipped(Struct, frozen=True):
    """A submission that travels: an archive's bytes, what a folder holds, or why it can't be had."""

    form: Literal["archive", "folder", "refused"]
    data: bytes = b""
    entries: tuple[ShippedEntry, ...] = ()
    reason: str = ""


def shipped(path: Path, bounds: Bounds) -> Shipped:
    """What travels of a submission; it is opened where it arrives."""
    try:
        if path.is_dir():
            return Shipped("folder", entries=tuple(_entries(DiskSource(path, bounds.own), bounds)))
        data = read_plain_file(str(path), bounds.size)
        if data is None:
            raise Exceeded(f"it is no plain file, or larger than {in_mib(bounds.size)}")
        return Shipped("archive", data)
    except (Exceeded, OSError) as problem:
        return Shipped("refused", reason=str(problem))


def _entries(place: FileSource, bounds: Bounds) -> list[ShippedEntry]:
    found = []
    size = 0
    for path, entry in below(place, folders=True):
        data = b""
        if entry.kind == "file":
            size += entry.size
            if size > bounds.size:
                raise Exceeded(f"its files are larger than {in_mib(bounds.size)}")
            data = place.read(path, bounds.size) or b""
        elif entry.kind == "link":
            data = place.target(path)
        found.append(ShippedEntry(path, entry.kind, data, entry.executable))
        if len(found) > bounds.entries:
            raise Exceeded(f"it has more than {bounds.entries:,} files")
    return found


def arrived(came: Shipped, bounds: Bounds) -> FileSource:
    """The files of a submission that has travelled. Raises Exceeded as `unpacked` does."""
    if came.form == "refused":
        raise Exceeded(came.reason)
    if came.form == "archive":
        return unpacked_bytes(came.data, bounds)
    place = MemorySource()
    for entry in came.entries:
        place.add(entry.path, entry.kind, entry.data, executable=entry.executable)
    return place


class ShippedScenarios(Struct, frozen=True):
    """The scenarios of a run as texts: by id, and those that some hand-outs alone are graded by; bundled ones
    are everywhere."""

    texts: Mapping[str, str]
    others: Mapping[ExerciseVariant, str]

    def __call__(self, hand_out: ExerciseVariant) -> Scenario | None:
        """The scenario that a hand-out is graded by, or None."""
        text = self.others.get(hand_out) or self.texts.get(hand_out.exercise)
        return _parsed(text) if text is not None else _bundled().find(hand_out.exercise)


@functools.lru_cache(maxsize=256)
def _parsed(text: str) -> Scenario:
    return scenario_of(text)


@functools.cache
def _bundled() -> ScenarioLibrary:
    return ScenarioLibrary()
