"""Pack the objects of repositories anew in which nothing has happened for a while. Nothing is thrown away."""

from __future__ import annotations

import asyncio
import time
from pathlib import Path

from muddled_orchard.commands.host.host import Host
from muddled_orchard.commands.host.repositories import size_below
from muddled_orchard.core.base.limits import LARGEST_PACKS
from muddled_orchard.system.log import log

_LOOK = 60.0
"""Seconds between two looks; at most one repository is packed at each."""

_QUIET = 600.0
"""Seconds for which nothing must have come to a repository."""

_MANY = 1_000
"""How many objects must lie there as files of their own: below that there is little to win."""


async def keep_tidy(host: Host, look: float = _LOOK, quiet: float = _QUIET, many: int = _MANY) -> None:
    """Look again and again, for as long as the host runs."""
    while True:
        await asyncio.sleep(look)
        if not host.desk.under_way:
            await tidy_one(host, quiet, many)


async def tidy_one(host: Host, quiet: float = _QUIET, many: int = _MANY) -> str | None:
    """Pack the first repository for which it is time; its path, or None where there is none."""
    folder = host.course.folder
    for learner, exercise in host.course.all_given():
        place = host.course.place(learner, exercise)
        if await asyncio.to_thread(_is_due, folder / place, quiet, many):
            async with host.pushing(place):
                done = await host.git.pack_anew(place)
            log().info("%s is packed anew" if done else "%s could not be packed anew", place)
            await asyncio.to_thread(host.disk.look, folder / place)
            return place
    return None


def _is_due(repository: Path, quiet: float, many: int) -> bool:
    """Whether many objects lie there as files, none of them is new, and all together would not be a pack that
    is larger than graders read."""
    newest, count = 0.0, 0
    try:
        for fan in (repository / "objects").iterdir():
            if len(fan.name) == 2:
                newest = max(newest, fan.stat().st_mtime)
                count += sum(1 for _ in fan.iterdir())
    except OSError:
        return False
    return count > many and time.time() - newest > quiet and size_below(repository) < LARGEST_PACKS // 2
