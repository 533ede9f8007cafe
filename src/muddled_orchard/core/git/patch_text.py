"""Commits as e-mailed patches, as `git format-patch` writes them and `git am` reads them."""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime, timedelta, timezone

from msgspec import Struct

from muddled_orchard.core.git.lines import lines_of
from muddled_orchard.core.git.trees import Blob, File

_NOTHING = "0" * 40


class PatchOf(Struct, frozen=True):
    """One commit to be written as a patch: its id, author (name and address), time (seconds since 1970) and
    offset (minutes east of UTC), its message, and the files before and after, each with its blob."""

    id: str
    name: str
    email: str
    time: int
    offset: int
    message: str
    before: Mapping[str, tuple[File, Blob]]
    after: Mapping[str, tuple[File, Blob]]


def mailbox(patches: Sequence[PatchOf]) -> bytes:
    """All patches as one mailbox, in order. Files that are no text can't be in one (`patchable`)."""
    texts = (_patch(patch, number, len(patches)) for number, patch in enumerate(patches, start=1))
    return "".join(texts).encode("utf-8", "surrogateescape")


def _patch(patch: PatchOf, number: int, count: int) -> str:
    subject, _, body = patch.message.strip().partition("\n")
    zone = timezone(timedelta(minutes=patch.offset))
    date = datetime.fromtimestamp(patch.time, UTC).astimezone(zone)
    of = f"[PATCH {number}/{count}]" if count > 1 else "[PATCH]"
    head = [
        f"From {patch.id} Mon Sep 17 00:00:00 2001",
        f"From: {_word(patch.name)} <{patch.email}>",
        f"Date: {date:%a, %d %b %Y %H:%M:%S %z}",
        f"Subject: {of} {_word(subject)}",
        "MIME-Version: 1.0",
        "Content-Type: text/plain; charset=UTF-8",
        "Content-Transfer-Encoding: 8bit",
        "",
    ]
    said = "".join(f"{'>' if line.startswith('From ') else ''}{line}\n" for line in body.strip().splitlines())
    return "\n".join(head) + f"\n{said}---\n\n{''.join(_changes(patch))}-- \nMuddled Orchard\n\n"


def _word(text: str) -> str:
    """A name or subject as a header may hold it."""
    if text.isascii():
        return text
    from email.header import Header  # few names need it, and it loads much

    return Header(text, "utf-8", maxlinelen=10_000).encode()


def _changes(patch: PatchOf) -> Iterator[str]:
    for path in sorted({*patch.before, *patch.after}):
        old, new = patch.before.get(path), patch.after.get(path)
        if old is not None and new is not None and old[1] == new[1]:
            continue
        yield f"diff --git a/{path} b/{path}\n"
        yield from _modes(old, new)
        ids = [side[1].id if side else _NOTHING for side in (old, new)]
        same = old is not None and new is not None and old[1].mode == new[1].mode
        if ids[0] != ids[1]:
            yield f"index {ids[0]}..{ids[1]}{f' {old[1].mode:o}' if same and old else ''}\n"
            yield from _hunks(path, old[0].data if old else None, new[0].data if new else None)


def _modes(old: tuple[File, Blob] | None, new: tuple[File, Blob] | None) -> Iterator[str]:
    if old is None and new is not None:
        yield f"new file mode {new[1].mode:o}\n"
    elif new is None and old is not None:
        yield f"deleted file mode {old[1].mode:o}\n"
    elif old is not None and new is not None and old[1].mode != new[1].mode:
        yield f"old mode {old[1].mode:o}\nnew mode {new[1].mode:o}\n"


def _hunks(path: str, old: bytes | None, new: bytes | None) -> Iterator[str]:
    names = (f"a/{path}" if old is not None else "/dev/null", f"b/{path}" if new is not None else "/dev/null")
    for line in difflib.unified_diff(lines_of(old or b""), lines_of(new or b""), *names, n=3):
        yield line if line.endswith("\n") else f"{line}\n\\ No newline at end of file\n"
