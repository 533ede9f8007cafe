"""What tells that somebody has gone on working in a folder: names, sizes and times, and nothing read.

It is asked of hundreds of folders every few seconds, so what says nothing that refs, index and working tree
don't say is passed over.
"""

from __future__ import annotations

import os
from pathlib import Path

from muddled_orchard.core.base.limits import DEEPEST_FOLDER, MOST_FILES

_SAY_NOTHING = frozenset({"objects", "hooks", "info", "branches"})


def working_state(path: Path) -> tuple[int, float] | None:
    """A number that is another one when anything has changed in a folder (or in an archive), and when it last
    did, in seconds since 1970; None for what can't be had now, or has more files than any submission."""
    lines: list[tuple[str, int, int]] = []
    try:
        if not path.is_dir():
            about = path.stat()
            return hash((about.st_size, about.st_mtime_ns)), about.st_mtime
        folders = [("", False)]
        while folders:
            folder, in_repository = folders.pop()
            with os.scandir(f"{path}{folder}") as found:
                for entry in found:
                    name = f"{folder}/{entry.name}"
                    if entry.is_dir(follow_symlinks=False):
                        if not (in_repository and entry.name in _SAY_NOTHING):
                            folders.append((name, entry.name.endswith(".git")))
                        continue
                    about = entry.stat(follow_symlinks=False)
                    lines.append((name, about.st_size, about.st_mtime_ns))
                    if len(lines) > MOST_FILES or name.count("/") > DEEPEST_FOLDER:
                        return None
    except (OSError, ValueError):
        return None
    newest = max((time for _, _, time in lines), default=0)
    return hash(tuple(sorted(lines))), newest / 1e9
