"""A TOML file's data as frozen classes, or everything that is wrong with its shape, in words."""

from __future__ import annotations

import ast
import inspect
import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import fields
from functools import cached_property
from itertools import chain, pairwise
from types import ModuleType
from typing import Any, Generic, TypeVar

import pydantic
from pydantic_core import ErrorDetails

from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.merging.keep import KEEP

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


_NO_ENTRY = "no entry of keep"

_T = TypeVar("_T")


class Shape(Generic[_T]):
    """The shape of a file: its class, and which class each of its tables belongs to (`tables`, by key, the
    numbers of list elements left out). `module` has these classes, with the documentation of their fields."""

    def __init__(self, model: type[_T], tables: Mapping[tuple[str, ...], type], module: ModuleType) -> None:
        self._model, self._tables, self._module = model, tables, module

    @cached_property
    def _adapter(self) -> pydantic.TypeAdapter[_T]:
        return pydantic.TypeAdapter(self._model)

    def read(self, data: Mapping[str, Any]) -> _T:
        """The data as classes. Raises pydantic.ValidationError."""
        # Strict JSON mode takes lists for tuples and tables for dataclasses, and converts nothing else.
        return self._adapter.validate_json(json.dumps(data, default=str), strict=True)

    @cached_property
    def documented(self) -> dict[str, Any]:
        """The JSON Schema with the docstrings of all fields. pydantic would look for them whenever it reads a
        scenario, and take longer for that than for all the rest."""
        schema = self._adapter.json_schema()
        module = ast.parse(inspect.getsource(self._module))
        shapes = {node.name: node for node in module.body if isinstance(node, ast.ClassDef)}
        for shape in shapes.values():
            found = (
                schema if shape.name == self._model.__name__ else schema.get("$defs", {}).get(shape.name, {})
            )
            properties = found.get("properties", {})
            inherited = (shapes[base.id].body for base in shape.bases if isinstance(base, ast.Name))
            for field, docs in pairwise([*shape.body, *chain.from_iterable(inherited)]):
                if isinstance(field, ast.AnnAssign) and isinstance(field.target, ast.Name):
                    name = field.target.id.rstrip("_")
                    if name in properties and isinstance(docs, ast.Expr):
                        text = inspect.cleandoc(ast.literal_eval(docs.value))
                        properties[name] = {"description": text, **properties[name]}
        return schema

    def problems(self, error: pydantic.ValidationError) -> Iterator[Problem]:
        """What the validator complains of, each once, with its key."""
        seen: set[tuple[KeyPath, str]] = set()
        for detail in self._of_right_kind(error.errors()):
            key, kind = self.key(detail["loc"]), detail["type"]
            if (key, kind) in seen:
                continue
            seen.add((key, kind))
            known = self._fields_at(key[:-1])
            if kind == _NO_ENTRY:
                hint = f"Words: {', '.join(KEEP)}."
                yield Problem("expected a word, a list of words, or a table as { text = ... }", hint, key)
            elif kind == "unexpected_keyword_argument":
                yield Problem(f'"{key[-1]}" is no key here', likely(str(key[-1]), known), key)
            elif kind == "missing":
                yield Problem(f'"{key[-1]}" is missing', self._documentation(key), key)
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

    def _of_right_kind(self, details: Sequence[ErrorDetails]) -> Iterator[ErrorDetails]:
        """The validator's complaints, without those of a kind that a value of several kinds can't have been
        meant as: a table where a word was found, and the like."""
        inputs = {
            detail["loc"][:-1]: detail["input"]
            for detail in details
            if detail["loc"] and self._kind(detail["loc"][-1]) == "word"
        }
        for detail in details:
            kept: ErrorDetails | None = detail
            for place, part in enumerate(detail["loc"]):
                kind = self._kind(part)
                if kind is None:
                    continue
                value = inputs.get(detail["loc"][:place])
                meant = "table" if isinstance(value, dict) else "list" if isinstance(value, list) else "word"
                in_list = isinstance(detail["loc"][place - 1], int)
                if kind == meant == "word" and in_list and "keep" in detail["loc"]:
                    kept = {**detail, "type": _NO_ENTRY}
                elif kind != meant:
                    kept = None
            if kept is not None:
                yield kept

    def _kind(self, part: int | str) -> str | None:
        """Which kind of value the validator tried, where a part of a location says that; None for a key."""
        if not isinstance(part, str):
            return None
        if part == "str" or part.startswith("literal["):
            return "word"
        return "list" if part.startswith("tuple[") else "table" if hasattr(self._module, part) else None

    def key(self, location: tuple[int | str, ...]) -> KeyPath:
        """The validator's location without the names of classes and types that it adds in unions."""
        return tuple(part for part in location if part != "[key]" and self._kind(part) is None)

    def _table_of(self, key: KeyPath) -> type | None:
        names = tuple(part for part in key if isinstance(part, str))
        if names[:1] == ("values",):
            names = ("values", "*") if len(names) > 1 else names
        return self._tables.get(names)

    def _fields_at(self, key: KeyPath) -> list[str]:
        table = self._table_of(key)
        return [item.name.rstrip("_") for item in fields(table)] if table else []

    def _documentation(self, key: KeyPath) -> str:
        """What the missing key is for, from the documentation of the format."""
        table = self._table_of(key[:-1])
        if table is None:
            return ""
        schema = self.documented
        about = schema if table is self._model else schema.get("$defs", {}).get(table.__name__, {})
        described: dict[str, Any] = about.get("properties", {}).get(key[-1], {})
        return (
            f"It says: {text[0].lower()}{text[1:]}" if (text := str(described.get("description", ""))) else ""
        )
