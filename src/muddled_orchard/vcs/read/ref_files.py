"""Refs as Git keeps them in files (gitrepository-layout(5)), read as text: nothing is looked up on disk."""

from __future__ import annotations

from collections.abc import Mapping

from muddled_orchard.core.base.limits import MOST_REFS
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.refs import branch_of

_ID = pattern(r"[0-9a-f]{40}")
_SYMBOLIC = "ref: "
_DEEPEST = 5  # as many symbolic refs in a row as Git follows


def is_id(text: str) -> bool:
    """Whether this is an object's id in hex."""
    return _ID.fullmatch(text) is not None


def read_refs(files: Mapping[str, bytes]) -> dict[str, str]:
    """Every ref and the object it leads to, from the contents of `packed-refs` and of the files below
    `refs/`, by name. Refs that lead nowhere are left out, as are names and contents that aren't a ref's."""
    found: dict[str, str] = {}
    for line in text_of(files.get("packed-refs", b"")).split("\n")[: MOST_REFS + 100]:
        id_, _, name = line.partition(" ")
        if is_id(id_) and name.startswith("refs/"):
            found[name] = id_
    found.update({name: text_of(data).strip() for name, data in files.items() if name.startswith("refs/")})
    followed = {name: _followed(content, found) for name, content in sorted(found.items())}
    return {name: id_ for name, id_ in followed.items() if id_ is not None}


def head_of(files: Mapping[str, bytes], refs: Mapping[str, str]) -> tuple[str | None, str | None]:
    """The branch that HEAD names (None when it is detached or noise), and the commit it leads to."""
    head = text_of(files.get("HEAD", b"")).strip()
    branch = branch_of(head.removeprefix(_SYMBOLIC)) if head.startswith(_SYMBOLIC) else None
    return branch, _followed(head, refs)


def text_of(data: bytes) -> str:
    """Bytes of a small state file as text."""
    return data.decode("utf-8", "replace")


def _followed(content: str, refs: Mapping[str, str]) -> str | None:
    at = content
    for _ in range(_DEEPEST):
        if not at.startswith(_SYMBOLIC):
            break
        at = refs.get(at.removeprefix(_SYMBOLIC).strip(), "")
    return at if is_id(at) else None
