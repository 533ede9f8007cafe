"""TOML as people save it: any line ends, a byte order mark; and advice where it can't be read."""

from __future__ import annotations

import codecs
import re
import tomllib
from pathlib import Path
from typing import Any

from muddled_orchard.core.base.problems import BadInput, Problem

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
    """A file's text, without a byte order mark. Raises BadInput where it can't be read as UTF-8."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise BadInput(Problem(f"can't be read: {error.strerror}", file=str(path))) from None
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
    try:
        return tomllib.loads(text)
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
        raise BadInput(
            Problem("lists or tables are nested too deeply", "Take levels out.", line=line)
        ) from None


def _line_of(match: re.Match[str] | None) -> int:
    return match.string.count("\n", 0, match.start()) + 1 if match else 1
