"""A scenario's own rules, checked on one file, within bounds: what a rule can't decide in time blames
nobody."""

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

from muddled_orchard.core.base.limits import LARGEST_RULED, in_mib
from muddled_orchard.core.base.phrases import brief, counted
from muddled_orchard.core.exercise.scenario import Rule
from muddled_orchard.core.exercise.text_rules import CHECKS, Flaw, Undecided, quoted

_SMALL = 1 << 15


def broken(rule: Rule, data: bytes | None) -> Flaw | None:
    """How a file breaks a rule, or None where the rule holds. `data` is None for a missing file. Raises
    Undecided."""
    if data is not None and len(data) > LARGEST_RULED:
        raise Undecided(f"{rule.file} is larger than {in_mib(LARGEST_RULED)}")
    return _remembered(rule, data) if data is None or len(data) < _SMALL else _broken(rule, data)


def rule_in_words(rule: Rule) -> str:
    """What a rule asks of its file: `has "limit = 70"`."""
    if rule.runs is not None:
        return f"runs {rule.runs}"
    if rule.parses is not None:
        return f"is well-formed {rule.parses.upper() if rule.parses != 'python' else 'Python'}"
    if rule.once is not None:
        return f'has "{quoted(rule.once)}" exactly once'
    if rule.matches is not None:
        return f"matches {quoted(rule.matches)}"
    return f'has "{quoted(rule.has)}"' if rule.has is not None else f'lacks "{quoted(rule.lacks or "")}"'


def _broken(rule: Rule, data: bytes | None) -> Flaw | None:
    if data is None:
        return None if rule.lacks is not None else ("the file is missing", None)
    text = data.decode("utf-8", "replace").replace("\r\n", "\n")
    if rule.parses is not None:
        return _syntax_error(rule.parses, text)
    key = next(key for key in CHECKS if getattr(rule, key) is not None)
    return CHECKS[key](getattr(rule, key), text, rule.file)


_remembered = functools.lru_cache(maxsize=512)(_broken)  # a class hands in the same small file many times


def _syntax_error(syntax: str, text: str) -> Flaw | None:
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
        match = re.search(r"at line (\d+)", str(error))
        reason = re.sub(r"\s*\(at .*\)$", "", str(error))
        name = {"toml": "TOML", "csv": "CSV", "yaml": "YAML"}.get(syntax, syntax)
        return f"it is no valid {name}: {brief(reason, 100)}", int(match[1]) if match else None
    return None


def _xml(text: str) -> None:
    xml.parsers.expat.ParserCreate().Parse(text, True)


def _csv(text: str) -> None:
    reader = csv.reader(io.StringIO(text, newline=""), strict=True)
    columns = 0
    begins = 1  # a row may take several lines
    for number, row in enumerate(reader, start=1):
        columns = columns or len(row)
        if row and len(row) != columns:
            flaw = f"row {number} has {counted(len(row), 'column')}, the first has {columns}"
            raise csv.Error(f"{flaw} (at line {begins})")
        begins = reader.line_num + 1


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
