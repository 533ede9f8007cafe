"""What in a history's texts somebody may not want to hand on: addresses, links, what looks like a secret; and
the licences that it came under."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

from msgspec import Struct

_PATTERNS: Mapping[str, re.Pattern[str]] = {
    "a secret, by its shape": re.compile(
        r"-----BEGIN [A-Z ]*PRIVATE KEY-----"
        r"|(?i:secret|token|passw(?:or)?d|api[_-]?key|credential)\w*[\"']?\s*[:=]\s*[\"']?[\w+/=.-]{12,}"
        r"|\b(?=[\w-]*\d)(?=[\w-]*[A-Z])(?=[\w-]*[a-z])[\w-]{36,}\b"
    ),
    "an address": re.compile(r"[\w.+-]+@[\w-]+\.[\w.-]*\w"),
    "a link": re.compile(r"\b(?:https?|ftp|ssh|git)://[^\s\"'<>)]+"),
}
_LICENCE = re.compile(r"(?i)(licen[cs]e|copying|notice|unlicense|patents)(\b|[-_.]).*|.*\.licen[cs]e")
_LONGEST_SHOWN = 60


class Named(Struct, frozen=True):
    """Something of that kind: what it is, where it stands (a file or a message, and the line), and what."""

    what: str
    place: str
    line: int
    text: str


def named_in(place: str, text: str) -> Iterator[Named]:
    """What stands in a text, line by line; addresses that lead nowhere (`.example`) are left out."""
    for number, line in enumerate(text.split("\n"), 1):
        for what, pattern in _PATTERNS.items():
            found = pattern.search(line)
            if found is not None and not found[0].endswith((".example", ".invalid", ".test")):
                shown = found[0] if len(found[0]) <= _LONGEST_SHOWN else f"{found[0][:_LONGEST_SHOWN]}..."
                yield Named(what, place, number, _masked(shown) if what.startswith("a secret") else shown)


def _masked(text: str) -> str:
    """A secret as it may be shown."""
    return text[:8] + "..." if len(text) > 8 else text


def is_licence(path: str) -> bool:
    """Whether a file says by its name under which licence something came."""
    return _LICENCE.fullmatch(path.rpartition("/")[2]) is not None
