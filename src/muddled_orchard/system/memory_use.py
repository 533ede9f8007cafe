"""How much memory a process and all that it began hold together, on Linux."""

from __future__ import annotations

import os
import re
from collections import defaultdict
from collections.abc import Iterable, Sequence
from contextlib import suppress
from pathlib import Path

from muddled_orchard.core.base.patterns import pattern

_PSS = pattern(rb"^Pss:\s+(\d+) kB", re.MULTILINE)
_PAGE = os.sysconf("SC_PAGE_SIZE") if hasattr(os, "sysconf") else 4096


def memory_below(process: int, folders: Sequence[str] = ()) -> int:
    """The bytes of memory of all that a process began, and of files in `folders` that lie in memory, as the
    processes see them. What two share counts once."""
    began = _below(process)
    held = sum(map(_held, began))
    for one in reversed(began):  # the newest is the least likely to be the one that makes the sandbox
        used = [_used(f"/proc/{one}/root{folder}") for folder in folders]
        if None not in used:
            return held + sum(size or 0 for size in used)
    return held


def _below(process: int) -> list[int]:
    children: defaultdict[int, list[int]] = defaultdict(list)
    for number, parent in _parents():
        children[parent].append(number)
    found, waiting = [], [process]
    while waiting:
        own = children.pop(waiting.pop(), [])
        found += own
        waiting += own
    return found


def _parents() -> Iterable[tuple[int, int]]:
    """Every process with its parent (proc_pid_stat(5))."""
    with os.scandir("/proc") as entries:
        for entry in entries:
            if entry.name.isdigit():
                with suppress(OSError, ValueError, IndexError):
                    rest = Path(entry.path, "stat").read_bytes().rpartition(b")")[2]
                    yield int(entry.name), int(rest.split()[1])


def _held(process: int) -> int:
    """The memory of a process, its share of what it shares (proc_pid_smaps(5)); all of it where the system
    does not tell."""
    with suppress(OSError):
        if match := _PSS.search(Path(f"/proc/{process}/smaps_rollup").read_bytes()):
            return int(match[1]) << 10
    with suppress(OSError, IndexError, ValueError):
        return int(Path(f"/proc/{process}/statm").read_bytes().split()[1]) * _PAGE
    return 0  # it has ended


def _used(folder: str) -> int | None:
    try:
        about = os.statvfs(folder)
    except OSError:
        return None
    return (about.f_blocks - about.f_bfree) * about.f_frsize
