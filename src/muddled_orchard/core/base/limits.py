"""What one submission may cost before it is given up as unreadable.

They are chosen so that no worker grows beyond 300 MB, whatever it is given, and so that no honest practice
repository comes near them.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

MIB = 1 << 20

LARGEST_OBJECT = 16 * MIB
"""The largest object and the largest file of a working tree that is read, in bytes."""

LARGEST_COMMIT = MIB >> 2
"""The largest commit or tag that is read, in bytes."""

LARGEST_TREE = 8 * MIB
"""The largest tree object that is read, in bytes: one folder's entries."""

LARGEST_PACKS = 64 * MIB
"""The most bytes that all packs of a repository may have."""

LARGEST_TEXT, MOST_LINES = 4 * MIB, 100_000
"""The largest text that is compared line by line, in bytes, and the most lines that it may have."""

LARGEST_RULED = MIB >> 2
"""The largest file that a scenario's rules are checked on, in bytes."""

LARGEST_INDEX, LARGEST_PACKED_REFS, LARGEST_STATE_FILE = 8 * MIB, 2 * MIB, MIB >> 4
"""The largest index, `packed-refs`, and other state file of a repository, in bytes."""

LARGEST_REFLOG = 2 * MIB
"""The largest reflog that is read, in bytes; a longer one is not heeded."""

LARGEST_IGNORE_FILE, MOST_IGNORE_FILES = MIB >> 4, 100
"""The largest `.gitignore` that is heeded, in bytes, and how many are."""

MOST_REFS = 10_000
"""The most refs of a repository."""

MOST_COMMITS, MOST_COMMIT_BYTES = 20_000, 8 * MIB
"""The most commits of the learner's own, and the most bytes of all of them without their files."""

MOST_FILES = 100_000
"""The most files of a working tree, of one commit, or of one folder."""

MOST_LISTED_IN_ALL = 300_000
"""The most files that all of the learner's own commits may list."""

MOST_BYTES = 64 * MIB
"""The most bytes of the working tree, and of everything that commits and index hold that wasn't handed
out."""

LONGEST_PATH, DEEPEST_FOLDER = 4096, 200
"""The longest path, in bytes, and the most folders in it."""

LONGEST_CHAIN = 4096
"""The most deltas that lead to one object in a pack."""


LARGEST_SCENARIO = 4 * MIB
"""The largest file that an instructor writes, in bytes: a scenario or a course."""

MOST_ENTRIES: Mapping[str, int] = {
    "story": 500, "task": 50, "answer": 500, "rule": 200, "role": 10, "values": 200, "cast": 200, "start": 50,
}  # fmt: skip
"""The most entries that each list or table of a scenario file may have: what comes near it no learner could
work through, and what is far beyond takes minutes to survey."""


class Bounds(Struct, frozen=True, kw_only=True):
    """`size`: bytes of all files of an archive when unpacked, and of a file that is handed in; `entries`: how
    many files it may have; `ratio`: how many times its packed size it may grow to (beyond `free` bytes);
    `seconds` and `memory` (bytes): what a worker may take for one submission. `own` are the full paths of
    files that the program writes itself: where they lie in a submission, they are no part of it."""

    size: int = 64 * MIB
    entries: int = 50_000
    ratio: int = 300
    free: int = 16 * MIB
    seconds: int = 30
    memory: int = 1024 * MIB
    own: tuple[str, ...] = ()


class Exceeded(Exception):
    """A bound was exceeded, or an archive can't be unpacked; the message says why, in words for its owner."""


def in_mib(size: int) -> str:
    """A bound as people say it: `16 MiB`, `64 KiB`, `10 bytes`."""
    return f"{size >> 20} MiB" if size >= MIB else f"{size >> 10} KiB" if size >= 1 << 10 else f"{size} bytes"
