"""A `git bundle` as a bare repository in memory (gitformat-bundle), its pack taken apart by dulwich."""

from __future__ import annotations

import io
import zlib

from dulwich.bundle import read_bundle
from dulwich.errors import ApplyDeltaError, ChecksumMismatch
from dulwich.pack import PackData, PackInflater

from muddled_orchard.core.bounds import Bounds, Exceeded
from muddled_orchard.core.places import MemoryPlace

_BRANCHES = "refs/heads/"


def unbundled(data: bytes, bounds: Bounds) -> MemoryPlace:
    """The commits of a bundle. Raises Exceeded where it is damaged, too large, or only a part."""
    place = MemoryPlace()
    place.commits_alone = True
    try:
        with read_bundle(io.BytesIO(data)) as bundle:
            if bundle.prerequisites:
                hint = "git bundle create FILE --all makes a whole one"
                raise Exceeded(f"the bundle builds on commits that it does not have ({hint})")
            refs = {
                ref.decode("utf-8", "replace"): id_.decode("ascii") for ref, id_ in bundle.references.items()
            }
            size = 0
            pack = bundle.pack_data
            for number, found in enumerate(
                PackInflater.for_pack_data(pack) if isinstance(pack, PackData) else ()
            ):
                content = found.as_raw_string()
                size += len(content)
                if number >= bounds.entries or size > bounds.size:
                    raise Exceeded("the bundle holds more than a practice repository can")
                id_ = found.id.decode("ascii")
                header = b"%s %d\0" % (found.type_name, len(content))
                place.add(f"objects/{id_[:2]}/{id_[2:]}", "file", zlib.compress(header + content, 1))
    except (
        AssertionError,
        ApplyDeltaError,
        ChecksumMismatch,
        KeyError,
        OSError,
        ValueError,
        zlib.error,
    ) as error:
        said = " ".join(str(error).split()) or type(error).__name__
        raise Exceeded(f"the bundle is damaged: {said}") from None
    head = refs.pop("HEAD", None)
    packed = "".join(f"{id_} {name}\n" for name, id_ in sorted(refs.items()))
    place.add("packed-refs", "file", packed.encode())
    place.add("refs", "folder")
    place.add("objects", "folder")
    place.add("HEAD", "file", _head(refs, head).encode())
    return place


def _head(refs: dict[str, str], id_: str | None) -> str:
    """What HEAD says; of which branch it is, a bundle does not tell."""
    named = [name for name, tip in sorted(refs.items()) if tip == id_ and name.startswith(_BRANCHES)]
    chosen = next((name for name in named if name == f"{_BRANCHES}main"), next(iter(named), None))
    return f"ref: {chosen}\n" if chosen else f"{id_}\n" if id_ else "ref: refs/heads/main\n"
