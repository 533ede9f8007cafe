"""Who takes part, and which variant each learner gets."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from muddled_orchard.core.problems import Problem

# An id becomes a file's name on every system.
_ID = re.compile(r"[^\W_][\w.@+-]{0,63}")
_RESERVED = re.compile(r"(con|prn|aux|nul|com\d|lpt\d)(\..*)?", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Learner:
    """A row of the roster; `more` are its further columns by name."""

    id: str
    name: str
    more: Mapping[str, str] = field(default_factory=dict)


def misfits(rows: Sequence[tuple[int, Learner]]) -> Iterator[Problem]:
    """What is wrong with a roster's rows, each given with its line."""
    seen: dict[str, int] = {}
    for line, learner in rows:
        if not learner.id:
            yield Problem("the id is empty", "Every learner needs one.", line=line)
            continue
        if not _ID.fullmatch(learner.id) or learner.id.endswith(".") or _RESERVED.fullmatch(learner.id):
            hint = (
                "It becomes a file's name: up to 64 letters, digits and . - _ @ +, a letter or digit first."
            )
            yield Problem(f'"{learner.id}" can\'t be an id', hint, line=line)
        # Some file systems don't tell case apart.
        before = seen.setdefault(learner.id.casefold(), line)
        if before != line:
            yield Problem(f'the id "{learner.id}" is also in line {before}', "An id is unique.", line=line)


def variant_code(secret: bytes, exercise: str, learner: str) -> str:
    """A learner's variant of an exercise: a keyed hash, so that nobody can tell it from the name."""
    said = f"{exercise}\n{learner}".encode()
    return hashlib.blake2b(said, key=secret, digest_size=8).hexdigest()
