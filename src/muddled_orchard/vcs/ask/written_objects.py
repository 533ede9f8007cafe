"""The objects of a repository of ours, which Git adds to: read from its files (gitrepository-layout(5)).

No process and no library has to begin for it: for a single exercise that would take longer than all the rest.
"""

from __future__ import annotations

import mmap
import zlib
from collections.abc import Mapping
from pathlib import Path

from muddled_orchard.core.base.limits import LARGEST_OBJECT, in_mib
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.git.packs import KINDS, Pack, PackIndex, TooLarge
from muddled_orchard.vcs.write.memory import loose_file, loose_path

_NUMBERS = {name: number for number, name in KINDS.items()}


class StoredObjects:
    """The objects below a `.git` folder, loose and in packs; what Git adds meanwhile is found."""

    def __init__(self, gitdir: Path) -> None:
        self.gitdir = gitdir
        self._objects = gitdir / "objects"
        self._packs: dict[str, Pack] = {}

    def read(self, id_: str) -> tuple[int, bytes]:
        """The kind (as packs number it) and the content of an object. Raises KeyError where it isn't there,
        and BadInput where it is too large."""
        try:
            data = zlib.decompress((self._objects / loose_path(id_)).read_bytes())
        except FileNotFoundError:
            return self._packed(id_)
        header, _, content = data.partition(b"\0")
        return _NUMBERS[header.split()[0]], content

    def add(self, objects: Mapping[str, tuple[int, bytes]]) -> None:
        """Add objects, a file each. Raises OSError."""
        for id_, held in objects.items():
            file = self._objects / loose_path(id_)
            file.parent.mkdir(exist_ok=True)
            file.write_bytes(loose_file(*held))

    def _packed(self, id_: str) -> tuple[int, bytes]:
        name = bytes.fromhex(id_)
        for look_again in (False, True):
            if look_again:
                self._open_packs()
            for pack in reversed(self._packs.values()):  # the newest are asked for most
                if (place := pack.find(name)) is not None:
                    try:
                        return pack.read(place)
                    except TooLarge:
                        what = f"a file of it is larger than {in_mib(LARGEST_OBJECT)}"
                        raise BadInput(Problem(what, "Leave it out.")) from None
        raise KeyError(id_)

    def _open_packs(self) -> None:
        """Open the packs that came since; they stay on the disk, and are looked into there."""
        new = (file for file in (self._objects / "pack").glob("*.pack") if file.name not in self._packs)
        for file in sorted(new, key=lambda one: one.stat().st_mtime_ns):
            with file.open("rb") as opened:
                data = memoryview(mmap.mmap(opened.fileno(), 0, access=mmap.ACCESS_READ))
            self._packs[file.name] = Pack(data, PackIndex(file.with_suffix(".idx").read_bytes()))
