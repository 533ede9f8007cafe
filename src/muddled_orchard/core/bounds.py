"""What one submission may cost before it is given up as unreadable."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Bounds:
    """`size`: bytes of all files of an archive when unpacked; `entries`: how many files it may have;
    `ratio`: how many times its packed size it may grow to (beyond `free` bytes); `seconds` and `memory`
    (bytes): what a worker may take for one submission."""

    size: int = 256 << 20
    entries: int = 100_000
    ratio: int = 300
    free: int = 16 << 20
    seconds: int = 30
    memory: int = 2 << 30


class Exceeded(Exception):
    """A bound was exceeded, or an archive can't be unpacked; the message says why, in words for its owner."""
