"""A scenario's own rules, checked on one file."""

from __future__ import annotations

import ast
import csv
import functools
import io
import json
import re
import tomllib
import xml.parsers.expat
from collections.abc import Callable, Mapping

from muddled_orchard.core.scenario import Rule

Failure = tuple[str, int | None]
"""What is wrong, and in which line (from 1) where that can be said."""


@functools.lru_cache(maxsize=512)  # a class hands in the same file many times
def broken(rule: Rule, data: bytes | None) -> Failure | None:
    """How a file breaks a rule, or None where the rule holds. `data` is None for a missing file."""
    if data is None:
        return None if rule.lacks is not None else ("the file is missing", None)
    text = data.decode("utf-8", "replace").replace("\r\n", "\n")
    if rule.has is not None:
        return None if rule.has in text else (f'"{_brief(rule.has)}" is missing', None)
    if rule.lacks is not None:
        return (
            (f'"{_brief(rule.lacks)}" is in it', _line(text, text.index(rule.lacks)))
            if rule.lacks in text
            else None
        )
    if rule.once is not None:
        count = text.count(rule.once)
        last = _line(text, text.rindex(rule.once)) if count else None
        return None if count == 1 else (f'"{_brief(rule.once)}" occurs {count} times, not once', last)
    if rule.matches is not None:
        found = re.search(rule.matches, text, re.MULTILINE)
        return None if found else (f"nothing in it matches {_brief(rule.matches)}", None)
    return _syntax_error(rule.parses or "", text)


def _brief(text: str) -> str:
    line = text.strip().split("\n", 1)[0]
    return line if len(line) <= 50 else line[:47] + "..."


def _line(text: str, at: int) -> int:
    return text.count("\n", 0, at) + 1


def _syntax_error(syntax: str, text: str) -> Failure | None:
    try:
        _PARSERS[syntax](text)
    except SyntaxError as error:
        return f"it is no valid Python: {error.msg}", error.lineno
    except json.JSONDecodeError as error:
        return f"it is no valid JSON: {error.msg}", error.lineno
    except xml.parsers.expat.ExpatError as error:
        return f"it is no valid XML: {xml.parsers.expat.ErrorString(error.code)}", error.lineno
    except (RecursionError, MemoryError):
        return "it is nested too deeply to be read", None
    except (tomllib.TOMLDecodeError, csv.Error, ValueError) as error:
        found = re.search(r"at line (\d+)", str(error))
        said = re.sub(r"\s*\(at .*\)$", "", str(error))
        name = {"toml": "TOML", "csv": "CSV", "yaml": "YAML"}.get(syntax, syntax)
        return f"it is no valid {name}: {said}", int(found[1]) if found else None
    return None


def _xml(text: str) -> None:
    xml.parsers.expat.ParserCreate().Parse(text, True)


def _csv(text: str) -> None:
    rows = [row for row in csv.reader(io.StringIO(text), strict=True) if row]
    for number, row in enumerate(rows, start=1):
        if len(row) != len(rows[0]):
            raise csv.Error(
                f"row {number} has {len(row)} columns, the first has {len(rows[0])} (at line {number})"
            )


def _yaml(text: str) -> None:
    # Composing builds no objects and expands no aliases: a few lines can't grow into gigabytes.
    import yaml  # only a few scenarios need it

    try:
        for _ in yaml.compose_all(text, Loader=yaml.SafeLoader):
            pass
    except yaml.MarkedYAMLError as error:
        line = error.problem_mark.line + 1 if error.problem_mark else 1
        raise ValueError(f"{error.problem} (at line {line})") from error
    except yaml.YAMLError as error:
        raise ValueError(str(error)) from error


_PARSERS: Mapping[str, Callable[[str], object]] = {
    "toml": tomllib.loads,
    "json": json.loads,
    "python": ast.parse,
    "xml": _xml,
    "csv": _csv,
    "yaml": _yaml,
}


def bad_pattern(rule: Rule) -> str:
    """Why a rule's regular expression can't be used, or nothing where it can."""
    try:
        re.compile(rule.matches or "")
    except re.error as error:
        return str(error)
    return ""
