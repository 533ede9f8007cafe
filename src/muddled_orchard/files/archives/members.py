"""Members of archives of any form: their paths, what they may cost, and where they are put."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.base.limits import Bounds, Exceeded, in_mib
from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.submission.file_source import Content, Kind, MemorySource

Member = tuple[str, Kind, Content, bool]
"""A member's name, kind and content, and whether it is executable."""

DATED = 1_577_836_800
"""The time of every file in an archive: 2020-01-01. Unpacking complains of times that are still to come."""

EFFORT = 3
"""How hard to compress, 1 to 9. Most of a repository is compressed already: twice the time gains 3 %."""

_ODD = frozenset({"", ".", ".."})
_DEEPEST = 200


def damaged(error: Exception) -> Exceeded:
    """What to raise where an archive is damaged."""
    return Exceeded(f"the archive is damaged: {brief(str(error), 100) or type(error).__name__}")


def placed(members: Iterator[Member], bounds: Bounds) -> MemorySource:
    """The members in memory. Raises Exceeded where they are more than they may."""
    place = MemorySource()
    size = 0
    for number, (name, kind, data, executable) in enumerate(members, start=1):
        size += len(data)
        if number > bounds.entries:
            raise Exceeded(f"the archive has more than {bounds.entries:,} entries")
        if size > bounds.size:
            raise Exceeded(f"unpacked it is larger than {in_mib(bounds.size)}")
        path = clean(name)
        if path:
            place.add(path, kind, data, executable=executable)
        if place.folders > bounds.entries:
            raise Exceeded(f"the archive has more than {bounds.entries:,} folders")
    return place


def clean(name: str) -> str:
    """A member's path below the archive's top; raises Exceeded where it leads out of it."""
    parts = name.split("/")
    if _ODD.isdisjoint(parts) and len(parts) < _DEEPEST and "\\" not in name and ":" not in name:
        return name  # nearly all are like this
    parts = [part for part in name.replace("\\", "/").split("/") if part not in ("", ".")]
    if name.startswith(("/", "\\")) or ".." in parts or (parts and parts[0].endswith(":")):
        raise Exceeded("the archive holds a path that leads out of it")
    if len(parts) > _DEEPEST:
        raise Exceeded("the archive holds folders that are nested too deeply")
    return "/".join(parts)
