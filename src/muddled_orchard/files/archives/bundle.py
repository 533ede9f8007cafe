"""A `git bundle` as a bare repository in memory (gitformat-bundle(5)): its refs, and its pack with an
index."""

from __future__ import annotations

from typing import BinaryIO

from muddled_orchard.core.base.limits import LARGEST_PACKED_REFS, Bounds, Exceeded
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.packs import BadPack, TooLarge, index_of
from muddled_orchard.core.git.refs import BRANCHES, branch_ref
from muddled_orchard.core.submission.file_source import MemorySource

ENDINGS = (".bundle",)
_STARTS = (b"# v2 git bundle\n", b"# v3 git bundle\n")
_REF = pattern(r"([0-9a-f]{40}) (\S.*)")
_PACK = f"objects/pack/pack-{'0' * 40}"


def begins(start: bytes) -> bool:
    """Whether a file begins so."""
    return start.startswith(_STARTS)


def unpack(file: BinaryIO, _start: bytes, _size: int, bounds: Bounds) -> MemorySource:
    """The commits of a bundle. Raises Exceeded where it is damaged, too large, or only a part."""
    data = file.read()
    refs, start = _heading(data)
    pack = data[start:]
    try:
        index = index_of(pack, bounds.entries)
    except BadPack as problem:
        raise Exceeded(f"the bundle is damaged: {problem}") from None
    except TooLarge:
        raise Exceeded("the bundle holds more than a practice repository can") from None
    place = MemorySource()
    place.commits_alone = True
    place.add(f"{_PACK}.pack", "file", pack)
    place.add(f"{_PACK}.idx", "file", index)
    head = refs.pop("HEAD", None)
    packed = "".join(f"{id_} {name}\n" for name, id_ in sorted(refs.items()))
    place.add("packed-refs", "file", packed.encode())
    place.add("refs", "folder")
    place.add("HEAD", "file", _head(refs, head).encode())
    return place


def _heading(data: bytes) -> tuple[dict[str, str], int]:
    """The refs of a bundle, and where its pack begins."""
    end = data.find(b"\n\n", 0, LARGEST_PACKED_REFS)
    if end < 0:
        raise Exceeded("the bundle is damaged: it has no end of its refs")
    refs: dict[str, str] = {}
    for line in data[:end].decode("utf-8", "replace").split("\n")[1:]:
        if line.startswith("-"):
            hint = "git bundle create FILE --all makes a whole one"
            raise Exceeded(f"the bundle builds on commits that it does not have ({hint})")
        if line.startswith("@"):
            if line not in ("@object-format=sha1",):
                raise Exceeded(
                    "the bundle is of a kind that can't be read; git bundle create FILE --all makes one"
                )
            continue
        match = _REF.fullmatch(line)
        if match is None:
            raise Exceeded("the bundle is damaged: a line of its refs is none")
        refs[match[2]] = match[1]
    return refs, end + 2


def _head(refs: dict[str, str], id_: str | None) -> str:
    """What HEAD says; of which branch it is, a bundle does not tell."""
    named = [name for name, tip in sorted(refs.items()) if tip == id_ and name.startswith(BRANCHES)]
    chosen = next((name for name in named if name == branch_ref("main")), next(iter(named), None))
    return f"ref: {chosen}\n" if chosen else f"{id_}\n" if id_ else f"ref: {branch_ref('main')}\n"
