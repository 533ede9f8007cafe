"""Commits, tags and trees as Git stores them (gitformat of git-cat-file(1)), taken apart as hostile text."""

from __future__ import annotations

import codecs
import functools
from collections.abc import Iterator

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.git.trees import mode_as_git_means

_ID = pattern(rb"[0-9a-f]{40}")
_IDENTITY = pattern(rb"(?P<who>.*?) ?(?P<time>-?\d{1,18})? ?(?P<zone>[+-]\d+)?")
# Encodings that people's Git writes; Python knows others that are no one's, and slow.
_ENCODINGS = pattern(
    r"utf-8|ascii|iso(8859|2022)[-_]\w+|cp\d+|koi8-[rtu]|shift_\w+|euc_\w+|gb\w+|big5\w*|mac-\w+"
)
_UTF_8 = "utf-8"
_LONGEST_NAME = 200
_ODD_NAMES = frozenset({b"", b".", b"..", b".git"})


class BadObject(Exception):
    """An object isn't what it says that it is; the message says how, in words for its owner."""


class StoredCommit(Struct, frozen=True):
    """A commit as it is stored: ids in hex, author and committer as `Name <address>`, `time` when it was made
    (committed), in seconds since 1970."""

    tree: str
    parents: tuple[str, ...]
    author: str
    time: int
    message: str
    committer: str = ""


@functools.lru_cache(maxsize=1024)  # the handed-out ones of a class with one variant are all alike
def stored_commit(data: bytes) -> StoredCommit:
    """A commit object's content. Raises BadObject."""
    head, _, message = data.partition(b"\n\n")
    tree = b""
    parents: list[str] = []
    fields: dict[bytes, bytes] = {}
    for line in head.split(b"\n"):
        key, _, value = line.partition(b" ")
        if key == b"tree" and not tree:
            tree = value
        elif key == b"parent" and _ID.fullmatch(value):
            parents.append(value.decode())
        elif key:
            fields.setdefault(key, value)
    if not _ID.fullmatch(tree):
        raise BadObject("a commit of it names no tree")
    encoding = fields[b"encoding"].decode("ascii", "replace") if b"encoding" in fields else _UTF_8
    author, _ = _identity(fields.get(b"author", b""), encoding)
    committer, time = _identity(fields.get(b"committer", b""), encoding)
    return StoredCommit(tree.decode(), tuple(parents), author, time, _decoded(message, encoding), committer)


def tagged(data: bytes) -> str | None:
    """The id of what a tag object names."""
    key, _, value = data.partition(b"\n")[0].partition(b" ")
    return value.decode() if key == b"object" and _ID.fullmatch(value) else None


def stored_tree(data: bytes) -> Iterator[tuple[int, str, str]]:
    """The entries of a tree object's content: mode, name and id. Raises BadObject where no file can have such
    a name, and where two have the same."""
    at = 0
    seen: set[bytes] = set()
    while at < len(data):
        blank = data.find(b" ", at, at + 8)
        end = data.find(b"\0", at)
        if blank < 0 or end < blank or len(data) < end + 21 or not data[at:blank].isdigit():
            raise BadObject("a folder that its commits name is damaged")
        name = data[blank + 1 : end]
        if name.lower() in _ODD_NAMES or b"/" in name:
            raise BadObject("one of its commits lists a file by a name that no file can have")
        if name in seen:
            raise BadObject("one of its commits lists a file twice")
        seen.add(name)
        try:
            mode = int(data[at:blank], 8)
        except ValueError:
            raise BadObject("a folder that its commits name is damaged") from None
        yield mode_as_git_means(mode), name.decode("utf-8", "surrogateescape"), data[end + 1 : end + 21].hex()
        at = end + 21


def _identity(line: bytes, encoding: str) -> tuple[str, int]:
    line = line[: 4 * _LONGEST_NAME]
    who, _, rest = line.rpartition(b"> ")
    when, _, zone = rest.partition(b" ")
    if when.isdigit() and len(when) < 19 and zone[:1] in b"+-" and zone[1:].isdigit():  # nearly all
        return _decoded(who + b">", encoding)[:_LONGEST_NAME], int(when)
    match = _IDENTITY.fullmatch(line)
    who, time = (match["who"], match["time"]) if match else (line, None)
    return _decoded(who, encoding)[:_LONGEST_NAME], int(time or 0)


def _decoded(raw: bytes, encoding: str) -> str:
    try:
        if encoding == _UTF_8 or _ENCODINGS.fullmatch(codecs.lookup(encoding).name):
            return raw.decode(encoding)
    except (LookupError, UnicodeError, ValueError):
        pass
    return raw.decode("utf-8", "replace")
