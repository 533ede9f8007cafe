"""Graded submissions on a disk, for what wants all of them in full: a class can have a hundred thousand."""

from __future__ import annotations

import pickle
import tempfile
from array import array
from collections.abc import Iterator, Sequence
from typing import overload

import msgspec

from muddled_orchard.core.course.collected import Collected

_ENCODER = msgspec.msgpack.Encoder()
_DECODER = msgspec.msgpack.Decoder(Collected)
_PLAIN, _PICKLED = b"m", b"p"


class Spool(Sequence[Collected]):
    """Graded submissions in a file without a name, which is gone with this object. Each is read again
    whenever it is asked for. Raises OSError where the disk is full."""

    def __init__(self) -> None:
        self._file = tempfile.TemporaryFile(prefix="muddled-")  # noqa: SIM115 - it lives as long as this
        self._ends = array("Q", [0])

    def close(self) -> None:
        """Let go of the file; nothing can be read any more."""
        self._file.close()

    def __del__(self) -> None:
        self.close()

    def append(self, collected: Collected) -> None:
        """Add one."""
        try:
            data = _PLAIN + _ENCODER.encode(collected)
        except UnicodeEncodeError:  # a name in a submission need not be UTF-8
            data = _PICKLED + pickle.dumps(collected)
        self._file.seek(self._ends[-1])
        self._file.write(data)
        self._ends.append(self._ends[-1] + len(data))

    def __len__(self) -> int:
        return len(self._ends) - 1

    def __iter__(self) -> Iterator[Collected]:
        return (self[place] for place in range(len(self)))

    @overload
    def __getitem__(self, place: int) -> Collected: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[Collected]: ...
    def __getitem__(self, place: int | slice) -> Collected | Sequence[Collected]:
        if isinstance(place, slice):
            return [self[one] for one in range(*place.indices(len(self)))]
        place = range(len(self))[place]
        self._file.seek(self._ends[place])
        data = self._file.read(self._ends[place + 1] - self._ends[place])
        if data.startswith(_PICKLED):
            collected: Collected = pickle.loads(data[1:])  # noqa: S301 - written by this very object
            return collected
        return _DECODER.decode(memoryview(data)[1:])
