"""Whether a text is well-formed TOML, JSON, Python, XML, CSV or YAML: read, and never run.

To add a syntax, add its function to `_READERS`, and its name to `Syntax` of a scenario. Each loads what reads
it when it is asked.
"""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Mapping

from muddled_orchard.core.base.phrases import brief, counted
from muddled_orchard.core.exercise.text_rules import Flaw


class _Malformed(ValueError):
    """A text is not of its syntax; what says so may name a line (from 1) as `at line N`."""

    def __init__(self, why: str, line: int | None = None) -> None:
        super().__init__(why)
        match = re.search(r"at line (\d+)", why)
        self.line = line if line is not None else int(match[1]) if match else None


def syntax_error(syntax: str, text: str) -> Flaw | None:
    """What is wrong with a text of this syntax, and in which line; None where it is well-formed."""
    name, read = _READERS[syntax]
    try:
        read(text)
    except _Malformed as error:
        reason = re.sub(r"\s*\(at .*\)$", "", str(error))
        return f"it is no valid {name}: {brief(reason, 100)}", error.line
    except (RecursionError, MemoryError):
        return "it is nested too deeply to be read", None
    except ValueError as error:
        return f"it is no valid {name}: {brief(str(error), 100)}", None
    return None


def _toml(text: str) -> None:
    import tomllib

    try:
        tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise _Malformed(str(error)) from None


def _json(text: str) -> None:
    import json

    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        raise _Malformed(error.msg, error.lineno) from None


def _python(text: str) -> None:
    import ast

    try:
        ast.parse(text)
    except SyntaxError as error:
        raise _Malformed(error.msg, error.lineno) from None


def _xml(text: str) -> None:
    import xml.parsers.expat

    try:
        xml.parsers.expat.ParserCreate().Parse(text, True)
    except xml.parsers.expat.ExpatError as error:
        raise _Malformed(xml.parsers.expat.ErrorString(error.code), error.lineno) from None


def _csv(text: str) -> None:
    import csv

    reader = csv.reader(io.StringIO(text, newline=""), strict=True)
    columns = 0
    begins = 1  # a row may take several lines
    try:
        for number, row in enumerate(reader, start=1):
            columns = columns or len(row)
            if row and len(row) != columns:
                flaw = f"row {number} has {counted(len(row), 'column')}, the first has {columns}"
                raise _Malformed(flaw, begins)
            begins = reader.line_num + 1
    except csv.Error as error:
        raise _Malformed(str(error)) from None


def _yaml(text: str) -> None:
    # Composing builds no objects and expands no aliases: a few lines can't grow into gigabytes.
    import yaml

    try:
        for _ in yaml.compose_all(text, Loader=yaml.SafeLoader):
            pass
    except yaml.MarkedYAMLError as error:
        line = error.problem_mark.line + 1 if error.problem_mark else 1
        raise _Malformed(str(error.problem), line) from error
    except yaml.YAMLError as error:
        raise _Malformed(str(error)) from error


_READERS: Mapping[str, tuple[str, Callable[[str], None]]] = {
    "toml": ("TOML", _toml),
    "json": ("JSON", _json),
    "python": ("Python", _python),
    "xml": ("XML", _xml),
    "csv": ("CSV", _csv),
    "yaml": ("YAML", _yaml),
}
"""What reads each syntax, and what people call it."""
