"""Read a scenario file: TOML in, frozen data out, or everything that is wrong with it in one go."""

from __future__ import annotations

import ast
import functools
import inspect
import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import fields
from itertools import chain, pairwise
from pathlib import Path
from typing import Any

import pydantic
from pydantic_core import ErrorDetails

from muddled_orchard.core.base.problems import BadInput, KeyPath, Problem, likely
from muddled_orchard.core.exercise import scenario as scenario_module
from muddled_orchard.core.exercise.defaults import completed
from muddled_orchard.core.exercise.scenario import (
    Answer,
    AnswerChange,
    Change,
    Entry,
    KeepHunk,
    Rule,
    Scenario,
    Start,
    Task,
    Value,
)
from muddled_orchard.core.exercise.story import unroll
from muddled_orchard.core.exercise.text_rules import bad_pattern, several
from muddled_orchard.core.exercise.values import PLAIN_VARIANT, variant_of
from muddled_orchard.core.grading.criteria import CRITERIA, weight_of
from muddled_orchard.core.merging.keep import KEEP
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.scenarios.sound_part import sound_part
from muddled_orchard.files.scenarios.toml_text import parsed, text_of
from muddled_orchard.files.scenarios.tree_folders import with_taken_folders

# Which class a key's table belongs to, the numbers of list elements left out.
_TABLES: Mapping[tuple[str, ...], type] = {
    (): Scenario,
    ("values", "*"): Value,
    ("story",): Entry,
    ("story", "change"): Change,
    ("task",): Task,
    ("answer",): Answer,
    ("answer", "keep"): KeepHunk,
    ("answer", "change"): AnswerChange,
    ("rule",): Rule,
    ("start",): Start,
}

_EXPECTED = {
    "string_type": "text in quotes",
    "int_type": "a whole number",
    "float_type": "a number",
    "bool_type": "true or false",
    "tuple_type": "a list in square brackets",
    "dict_type": "a table",
    "dataclass_type": "a table",
    "datetime_type": "a time as in 2031-04-02T07:30:00+00:00",
    "datetime_parsing": "a time as in 2031-04-02T07:30:00+00:00",
    "datetime_from_date_parsing": "a time as in 2031-04-02T07:30:00+00:00",
}


@functools.cache
def _adapter() -> pydantic.TypeAdapter[Scenario]:
    return pydantic.TypeAdapter(Scenario)


@functools.cache
def _documented() -> dict[str, Any]:
    """The JSON Schema with the docstrings of all fields. pydantic would look for them whenever it reads a
    scenario, and take longer for that than for all the rest."""
    schema = _adapter().json_schema()
    module = ast.parse(inspect.getsource(scenario_module))
    shapes = {node.name: node for node in module.body if isinstance(node, ast.ClassDef)}
    for shape in shapes.values():
        found = schema if shape.name == "Scenario" else schema.get("$defs", {}).get(shape.name, {})
        properties = found.get("properties", {})
        inherited = (shapes[base.id].body for base in shape.bases if isinstance(base, ast.Name))
        for field, docs in pairwise([*shape.body, *chain.from_iterable(inherited)]):
            if isinstance(field, ast.AnnAssign) and isinstance(field.target, ast.Name):
                name = field.target.id.rstrip("_")
                if name in properties and isinstance(docs, ast.Expr):
                    text = inspect.cleandoc(ast.literal_eval(docs.value))
                    properties[name] = {"description": text, **properties[name]}
    return schema


def scenario_schema() -> dict[str, Any]:
    """The JSON Schema of the scenario file, made from the model."""
    schema = _documented()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "Scenario file"}


def load_scenario(path: Path) -> Scenario:
    """Read and check a scenario. Raises BadInput with every problem, each with file, line and key."""
    text = text_of(path)
    scenario, problems = read_scenario(text, path.parent, path.stem)
    if problems:
        raise with_lines(BadInput(problems), path, text)
    assert scenario is not None  # noqa: S101 - without problems there is one
    return scenario


def read_scenario(
    text: str, folder: Path | None = None, name: str = ""
) -> tuple[Scenario | None, list[Problem]]:
    """A scenario's text as data, and everything wrong with it (keys, but lines only for broken TOML).

    `folder` is where the folders lie that its story takes whole trees from, `name` the file's name without
    its suffix.
    """
    try:
        data = parsed(text)
    except BadInput as bad:
        return None, list(bad.problems)
    problems = list(_words_problems(data))
    try:
        return _checked(_shaped(data), folder, name, problems), problems
    except pydantic.ValidationError as error:
        problems = [*_shape_problems(error), *problems]
        part = sound_part(data, [_key(detail["loc"]) for detail in error.errors()])
    try:
        rest: list[Problem] = []
        _checked(_shaped(part.data), folder, name, rest)
        problems += part.told(rest)
    except pydantic.ValidationError:
        pass  # one thing at a time
    return None, problems


def _shaped(data: Mapping[str, Any]) -> Scenario:
    # Strict JSON mode takes lists for tuples and tables for dataclasses, and converts nothing else.
    return _adapter().validate_json(json.dumps(data, default=str), strict=True)


def _checked(shaped: Scenario, folder: Path | None, name: str, problems: list[Problem]) -> Scenario:
    """A scenario with what its file leaves out; everything that doesn't fit is added to `problems`."""
    problems += _meaning_problems(shaped)
    try:
        scenario = with_taken_folders(completed(shaped, name), folder, problems)
        plain = variant_of(scenario, PLAIN_VARIANT)
        problems += _bad_patterns(plain)  # with a value in its place, a use of one is no pattern's brace
        unroll(plain, PLAIN_VARIANT)
    except BadInput as bad:
        problems += bad.problems
        return shaped
    return scenario


def _shape_problems(error: pydantic.ValidationError) -> Iterator[Problem]:
    seen: set[tuple[KeyPath, str]] = set()
    for detail in _of_right_kind(error.errors()):
        key, kind = _key(detail["loc"]), detail["type"]
        if (key, kind) in seen:
            continue
        seen.add((key, kind))
        known = _fields_at(key[:-1])
        if kind == _NO_ENTRY:
            hint = f"Words: {', '.join(KEEP)}."
            yield Problem("expected a word, a list of words, or a table as { text = ... }", hint, key)
        elif kind == "unexpected_keyword_argument":
            yield Problem(f'"{key[-1]}" is no key here', likely(str(key[-1]), known), key)
        elif kind == "missing":
            yield Problem(f'"{key[-1]}" is missing', _documentation(key), key)
        elif kind == "literal_error":
            words = re.findall(r"'([^']*)'", str(detail.get("ctx", {}).get("expected", "")))
            value = json.dumps(detail["input"], ensure_ascii=False)
            expected = str(detail.get("ctx", {}).get("expected", "")).replace("'", '"')
            hint = likely(str(detail["input"]), words) if words else ""
            yield Problem(f"expected {expected}, found {value}", hint if "Did" in hint else "", key)
        elif kind == "value_error":
            yield Problem(str(detail.get("ctx", {}).get("error", detail["msg"])), key=key)
        else:
            value = json.dumps(detail["input"], ensure_ascii=False, default=str)
            expected = _EXPECTED.get(kind, detail["msg"][0].lower() + detail["msg"][1:])
            yield Problem(f"expected {expected}, found {value[:60]}", key=key)


_NO_ENTRY = "no entry of keep"


def _of_right_kind(details: Sequence[ErrorDetails]) -> Iterator[ErrorDetails]:
    """The validator's complaints, without those of a kind that a value of several kinds can't have been
    meant as: a table where a word was found, and the like."""
    inputs = {detail["loc"][:-1]: detail["input"] for detail in details if detail["loc"][-1:] == ("str",)}
    for detail in details:
        kept: ErrorDetails | None = detail
        for place, part in enumerate(detail["loc"]):
            if isinstance(part, str) and (part in ("str", "KeepHunk") or part.startswith("tuple[")):
                value = inputs.get(detail["loc"][:place])
                meant = "KeepHunk" if isinstance(value, dict) else "tuple[" if isinstance(value, list) else ""
                in_list = isinstance(detail["loc"][place - 1], int)
                if not meant and part == "str" and in_list and "keep" in detail["loc"]:
                    kept = {**detail, "type": _NO_ENTRY}
                elif not part.startswith(meant or "str"):
                    kept = None
        if kept is not None:
            yield kept


def _key(location: tuple[int | str, ...]) -> KeyPath:
    """The validator's location without the names of classes and types that it adds in unions."""
    return tuple(
        part
        for part in location
        if not isinstance(part, str)
        or (part not in ("KeepHunk", "str", "[key]") and not part.startswith("tuple["))
    )


def _table_of(key: KeyPath) -> type | None:
    names = tuple(part for part in key if isinstance(part, str))
    if names[:1] == ("values",):
        names = ("values", "*") if len(names) > 1 else names
    return _TABLES.get(names)


def _fields_at(key: KeyPath) -> list[str]:
    table = _table_of(key)
    return [item.name.rstrip("_") for item in fields(table)] if table else []


def _documentation(key: KeyPath) -> str:
    """What the missing key is for, from the documentation of the format."""
    table = _table_of(key[:-1])
    if table is None:
        return ""
    schema = _documented()
    about = schema if table is Scenario else schema.get("$defs", {}).get(table.__name__, {})
    described: dict[str, Any] = about.get("properties", {}).get(key[-1], {})
    return f"It says: {text[0].lower()}{text[1:]}" if (text := str(described.get("description", ""))) else ""


def _words_problems(data: Mapping[str, Any]) -> Iterator[Problem]:
    """Words that can be checked even where a file's shape is wrong, so that they are told in the same go."""
    for key in ("id", "title", "brief"):
        if isinstance(data.get(key), str) and not data[key].strip():
            yield Problem(f"the {key} is empty", "Write one, or leave the key out.", (key,))
    for table, keys in (("story", ("on", "by", "message")), ("task", ("on",))):
        entries = data.get(table)
        for number, entry in enumerate(entries if isinstance(entries, list) else []):
            for key in keys:
                value = entry.get(key) if isinstance(entry, dict) else None
                if isinstance(value, str) and not value.strip():
                    yield Problem(f"{key} is empty", "Say it, or leave the key out.", (table, number, key))
    answers = data.get("answer")
    for number, answer in enumerate(answers if isinstance(answers, list) else []):
        keep = answer.get("keep") if isinstance(answer, dict) else None
        for place, word in enumerate(keep if isinstance(keep, list) else []):
            if isinstance(word, str) and word not in KEEP:
                where: KeyPath = ("answer", number, "keep", place)
                yield Problem(f'"{word}" is no choice', likely(word, KEEP), where)


def _meaning_problems(scenario: Scenario) -> Iterator[Problem]:
    for name, weight in scenario.points.items():
        if name not in CRITERIA:
            yield Problem(f'"{name}" is no criterion', likely(name, CRITERIA), ("points", name))
        elif weight < 0:
            yield Problem("points can't be negative", key=("points", name))
    if not any(weight_of(scenario, name) for name in CRITERIA):
        yield Problem("all points are 0: nothing can be earned", "Leave some as they are.", ("points",))


def _bad_patterns(scenario: Scenario) -> Iterator[Problem]:
    wanted: list[tuple[str, KeyPath]] = [
        (rule.matches or "", ("rule", number, "matches")) for number, rule in enumerate(scenario.rule)
    ]
    wanted += [
        (pattern, ("answer", number, *place, "matches"))
        for number, answer in enumerate(scenario.answer)
        for table, place in answer.tables()
        for pattern in several(table.matches)
    ]
    for pattern, key in wanted:
        if complaint := bad_pattern(pattern):
            yield Problem(f"this is no regular expression: {complaint}", key=key)
