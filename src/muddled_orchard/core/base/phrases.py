"""Small pieces of sentences."""

from __future__ import annotations

import functools
import shlex
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime


def brief(text: str, most: int = 60) -> str:
    """A text of unknown length on one line, cut where it is longer than `most` letters."""
    return _brief(text[: 4 * most], most, longer=len(text) > 4 * most)


@functools.lru_cache(maxsize=4096)  # a class says much the same of the same things
def _brief(text: str, most: int, *, longer: bool) -> str:
    line = " ".join(text.split())
    return f"{line[: most - 3]}..." if longer or len(line) > most else line


def cut(text: str, most: int) -> str:
    """A text of unknown length, its lines kept, cut where it is longer than `most` letters."""
    return text if len(text) <= most else f"{text[:most]}\n..."


def listed(words: Sequence[str], most: int = 4) -> str:
    """`a`, `a and b`, `a, b and c`; a long list is cut short."""
    if not words:
        return ""
    if len(words) > most:
        return ", ".join(words[: most - 1]) + f" and {len(words) - most + 1} more"
    return " and ".join(part for part in (", ".join(words[:-1]), words[-1]) if part)


def counted(number: int, word: str) -> str:
    """`1 hunk`, `3 hunks`."""
    return f"{number} {word}{'' if number == 1 else 's'}"


def times(number: int) -> str:
    """`once`, `twice`, `3 times`."""
    return {1: "once", 2: "twice"}.get(number, f"{number} times")


def was(number: int) -> str:
    """`was` for one, `were` for more."""
    return "was" if number == 1 else "were"


def be(number: int) -> str:
    """`is` for one, `are` for more."""
    return "is" if number == 1 else "are"


def have(number: int) -> str:
    """`has` for one, `have` for more."""
    return "has" if number == 1 else "have"


def all_of(number: int) -> str:
    """`Both`, `All 3`: the beginning of a sentence about several."""
    return "Both" if number == 2 else f"All {number}"


def command(*words: str) -> str:
    """A command as a person types it, each word quoted where the shell asks for that."""
    return shlex.join(words)


def paths(names: Iterable[str]) -> list[str]:
    """Paths as arguments of a command: one that begins with a hyphen is no option."""
    return [f"./{name}" if name.startswith("-") else name for name in names]


def time_text(seconds: float) -> str:
    """A time as a gradebook has it, in UTC: `2031-09-01 08:00`."""
    return datetime.fromtimestamp(seconds, UTC).strftime("%Y-%m-%d %H:%M")


def ago(since: float | None, now: float) -> str:
    """How long ago something was, in a few signs: `now`, `4 min`, `2 h`, `3 d`; nothing where that is not
    known."""
    if since is None:
        return ""
    minutes = max(0.0, now - since) / 60
    if minutes < 1:
        return "now"
    if minutes < 60:
        return f"{int(minutes)} min"
    return f"{int(minutes / 60)} h" if minutes < 48 * 60 else f"{int(minutes / 60 / 24)} d"


def repeats_id(title: str, id_: str) -> bool:
    """Whether a title only says an id in other words: then it is no title."""
    return title.casefold().replace(" ", "-") == id_
