"""Whether a text is well-formed TOML, JSON, Python, XML, CSV or YAML: read, and never run."""

from __future__ import annotations

import ast
import csv
import io
import json
import re
import tomllib
import xml.parsers.expat
from collections.abc import Callable, Mapping

from muddled_orchard.core.base.phrases import brief, counted
from muddled_orchard.core.exercise.text_rules import Flaw


def syntax_error(syntax: str, text: str) -> Flaw | None:
    """What is wrong with a text of this syntax, and in which line; None where it is well-formed."""
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
