"""What a text must hold: words that must be there, must not, or exactly once, and regular expressions."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping

from msgspec import Struct

from muddled_orchard.core.base.limits import LARGEST_RULED, in_mib
from muddled_orchard.core.base.phrases import brief, counted, listed

OneOrSeveral = str | tuple[str, ...]

Flaw = tuple[str, int | None]
"""What is wrong with a text, and in which line (from 1) where that can be said."""

_SECONDS = 2.0
"""How long a regular expression may search one text."""


class TextRules(Struct, frozen=True, kw_only=True):
    """What a text must hold; each of these may be one text or a list."""

    has: OneOrSeveral = ()
    """Text that must occur."""
    lacks: OneOrSeveral = ()
    """Text that must not occur."""
    once: OneOrSeveral = ()
    """Text that must occur exactly once."""
    matches: OneOrSeveral = ()
    """A regular expression (Python's) that must be found; `^` and `$` stand for ends of lines."""

    @property
    def ask(self) -> bool:
        """Whether anything is asked."""
        return bool(self.has or self.lacks or self.once or self.matches)


class Undecided(Exception):
    """Whether a rule holds can't be said within its bounds; the message says why."""


def _lacking(wanted: str, text: str, _name: str) -> Flaw | None:
    return None if wanted in text else (f'"{quoted(wanted)}" is missing', None)


def _unwanted(wanted: str, text: str, _name: str) -> Flaw | None:
    if wanted not in text:
        return None
    return f'"{quoted(wanted)}" is in it', _line(text, text.index(wanted))


def _not_once(wanted: str, text: str, _name: str) -> Flaw | None:
    count = text.count(wanted)
    if count == 1:
        return None
    flaw = "does not occur" if not count else f"occurs {counted(count, 'time')}, not once"
    return f'"{quoted(wanted)}" {flaw}', _line(text, text.rindex(wanted)) if count else None


def _unmatched(pattern: str, text: str, name: str) -> Flaw | None:
    import regex  # it can be given a bound on time; few scenarios need it

    try:
        match = regex.search(pattern, text, regex.MULTILINE, timeout=_SECONDS)
    except TimeoutError:
        raise Undecided(f"searching {name} for {quoted(pattern)} takes too long") from None
    except regex.error as error:  # a variant's value may stand in it
        raise Undecided(f"{quoted(pattern)} is no regular expression: {error}") from None
    return None if match else (f"nothing in it matches {quoted(pattern)}", None)


CHECKS: Mapping[str, Callable[[str, str, str], Flaw | None]] = {
    "has": _lacking,
    "lacks": _unwanted,
    "once": _not_once,
    "matches": _unmatched,
}
"""By key: what is wrong with a text, given what is wanted, the text, and what the text is called."""


def several(wanted: OneOrSeveral) -> tuple[str, ...]:
    """One text or several, as several."""
    return (wanted,) if isinstance(wanted, str) else wanted


def flaw_in(rules: TextRules, text: str, name: str) -> str | None:
    """The first rule that a text breaks, in words; None where all hold.

    Line ends are all taken as newlines. Raises Undecided where that can't be said within bounds.
    """
    if len(text) > LARGEST_RULED:
        raise Undecided(f"{name} is larger than {in_mib(LARGEST_RULED)}")
    text = text.replace("\r\n", "\n")
    for key, wanted in _each(rules):
        if (found := CHECKS[key](wanted, text, name)) is not None:
            return found[0]
    return None


def in_words(rules: TextRules) -> str:
    """What rules ask of a text: `"Ada" and "Bo", each once`."""
    quotes = {key: [f'"{quoted(text)}"' for text in several(getattr(rules, key))] for key in CHECKS}
    parts = [listed(quotes["has"])] if quotes["has"] else []
    if once := quotes["once"]:
        parts.append(f"{listed(once)}, {'each once' if len(once) > 1 else 'once'}")
    said = [f"with {'; '.join(parts)}"] if parts else []
    said += [f"without {listed(quotes['lacks'])}"] if quotes["lacks"] else []
    said += [f"that match {quoted(pattern)}" for pattern in several(rules.matches)]
    return ", ".join(said)


def bad_pattern(pattern: str) -> str:
    """Why a regular expression can't be used, or nothing where it can."""
    import regex

    try:
        re.compile(pattern)
        regex.compile(pattern)
    except (re.error, regex.error) as error:
        return str(error)
    return ""


def quoted(text: str) -> str:
    """The first line of a text, cut for a message."""
    return brief(text.strip().split("\n", 1)[0], 50)


def _each(rules: TextRules) -> Iterator[tuple[str, str]]:
    for key in CHECKS:
        for wanted in several(getattr(rules, key)):
            yield key, wanted


def _line(text: str, at: int) -> int:
    return text.count("\n", 0, at) + 1
