"""TOML as people save it: any line ends, a byte order mark; and advice where it can't be read."""

from __future__ import annotations

import codecs
import re
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from muddled_orchard.core.base.limits import LARGEST_SCENARIO, in_mib
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.problems import BadInput, KeyPath, Problem

_STRAIGHT = 'Text stands between straight quotes: title = "Notes".'
_PAIR = 'Every line is key = value, as in title = "Notes"; a remark begins with #.'
_INLINE = "A table in braces { } stands on one line, with commas between its keys and none at the end."

_MOST_DIGITS = 640
"""No limit that Python may have for numbers is lower."""

# What the parser says, and what to do about it.
_ADVICE = (
    (r"Invalid value", f"{_STRAIGHT} Truth is true or false; a list is [ ]."),
    (r"Illegal character '\\n'|Unterminated string", 'Text of several lines stands between """ and """.'),
    (r"Unescaped '\\'", r"Write \\ for a backslash, or put the text between ' and '."),
    (r"Expected '='|Invalid statement", _PAIR),
    (r"Invalid initial character for a key|Unclosed inline table|Duplicate inline", _INLINE),
    (r"Unclosed array", "A list is [ ] with commas between its parts."),
    (r"Expected newline", "One key a line; tables in braces { } have commas between theirs."),
    (r"Expected '\]+'", "A table begins with [name], an entry of a list with [[name]], on its own line."),
    (r"Cannot", "It stands twice. Every entry of a list (story, task, ...) begins with [[name]]."),
)  # fmt: skip


def text_of(path: Path) -> str:
    """A file's text, without a byte order mark. Raises BadInput where it can't be read as UTF-8, and where it
    is larger than anybody writes."""
    try:
        with path.open("rb") as file:
            data = file.read(LARGEST_SCENARIO + 1)
    except OSError as error:
        raise BadInput(Problem(f"can't be read: {error.strerror}", file=str(path))) from None
    if len(data) > LARGEST_SCENARIO:
        hint = 'Large files come from a folder: take = "FOLDER" in the story.'
        what = f"it is larger than the {in_mib(LARGEST_SCENARIO)} that such a file may have"
        raise BadInput(Problem(what, hint, file=str(path)))
    if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        raise BadInput(Problem("this is UTF-16, not UTF-8", "Save it as UTF-8.", file=str(path)))
    data = data.removeprefix(codecs.BOM_UTF8)
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        what = f"this is no UTF-8 text (byte 0x{data[error.start]:02x})"
        raise BadInput(Problem(what, "Save it as UTF-8.", file=str(path), line=line)) from None


def parsed(text: str) -> dict[str, Any]:
    """The data of a TOML text. Raises BadInput with the line and advice."""
    for number, written in enumerate(text.split("\n"), start=1):
        if written.count(".") >= _MOST_PARTS and _is_endless(written):
            raise BadInput(Problem(_TOO_DEEP, "Take levels out.", line=number))
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        match = re.search(r"at line (\d+)", str(error))
        reason = re.sub(r"\s*\(at .*\)$", "", str(error))
        advice = next((hint for pattern, hint in _ADVICE if re.search(pattern, reason)), "")
        line = int(match[1]) if match else text.rstrip().count("\n") + 1
        raise BadInput(Problem(f"this is no valid TOML: {reason}", advice, line=line)) from None
    except ValueError:  # Python reads no number of thousands of digits
        line = _line_of(re.search(f"[0-9_]{{{_MOST_DIGITS},}}", text))
        raise BadInput(
            Problem("a number is too long", "Shorten it, or put it in quotes.", line=line)
        ) from None
    except RecursionError:
        line = _line_of(re.search(r"([\[{]\s*){50,}|[\[{]", text))
        raise BadInput(Problem(_TOO_DEEP, "Take levels out.", line=line)) from None

    _refuse_odd(data, text)
    return data


def _is_endless(line: str) -> bool:
    """Whether a key in a line has more parts than any has: the parser takes long for each of them."""
    parts = 0
    for part in line.split("."):
        parts = parts + 1 if len(part) <= _LONGEST_PART and "=" not in part and len(part.split()) == 1 else 0
        if parts >= _MOST_PARTS:
            return True
    return False


def _refuse_odd(data: Mapping[str, Any], text: str) -> None:
    """Raise BadInput for what no reader of the data could take: dotted keys nest without a bound, and a
    number in base 16 has as many digits as anybody likes."""
    waiting: list[tuple[KeyPath, Any]] = [((key,), value) for key, value in data.items()]
    while waiting:
        key, value = waiting.pop()
        if len(key) > _DEEPEST:
            line = _line_of(_NESTED.search(text))
            raise BadInput(Problem(_TOO_DEEP, "Take levels out.", line=line))
        if isinstance(value, int) and value.bit_length() > _LONGEST:
            raise BadInput(Problem("a number is too long", "Shorten it, or put it in quotes.", key))
        if isinstance(value, dict):
            waiting += [((*key, name), inner) for name, inner in value.items()]
        elif isinstance(value, list):
            waiting += [((*key, number), inner) for number, inner in enumerate(value)]


_DEEPEST, _LONGEST = 32, 63
"""The most levels of a file's data, and the bits of a number as TOML has it."""

_MOST_PARTS, _LONGEST_PART = 1000, 200
_NESTED = pattern(r"([^\s.=]{1,200}\s?\.\s?){30}|([\[{]\s*){30}")
_TOO_DEEP = "lists or tables are nested too deeply"


def _line_of(match: re.Match[str] | None) -> int:
    return match.string.count("\n", 0, match.start()) + 1 if match else 1
