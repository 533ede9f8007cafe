"""A TOML file's data as frozen classes, or everything that is wrong with its shape, in words.

The classes are structs of msgspec, which are quick to make; the validator that tells all that is wrong knows
data classes. A data class is made for each of them where something is to be validated.
"""

from __future__ import annotations

import ast
import inspect
import json
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import MISSING, field, make_dataclass
from functools import cached_property
from itertools import chain, pairwise
from types import ModuleType
from typing import TYPE_CHECKING, Any, Generic, TypeVar, get_type_hints

import msgspec
from msgspec import NODEFAULT, Struct, structs

from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.merging.keep import KEEP

if TYPE_CHECKING:
    from pydantic import TypeAdapter
    from pydantic_core import ErrorDetails

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


class WrongShape(Exception):
    """Data is not of its file's shape: everything that is wrong, and where."""

    def __init__(self, problems: Iterable[Problem], places: Iterable[KeyPath]) -> None:
        super().__init__()
        self.problems = tuple(problems)
        self.places = tuple(places)


class Shape(Generic[_T]):
    """The shape of a file: its class, and which class each of its tables belongs to (`tables`, by key, the
    numbers of list elements left out). `modules` have these classes, with the documentation of their
    fields, each after those that it uses."""

    def __init__(self, model: type[_T], tables: Mapping[tuple[str, ...], type], *modules: ModuleType) -> None:
        self._model, self._tables, self._modules = model, tables, modules

    @cached_property
    def _adapter(self) -> TypeAdapter[Any]:
        from pydantic import TypeAdapter  # it takes long to load; not every command reads what people write

        return TypeAdapter(_data_classes(self._modules)[self._model.__name__])

    def read(self, data: Mapping[str, Any]) -> _T:
        """The data as classes. Raises WrongShape."""
        from pydantic import ValidationError

        try:
            # Strict JSON mode takes lists for tuples and tables for dataclasses, and converts nothing else.
            validated = self._adapter.validate_json(json.dumps(data, default=str), strict=True)
            return msgspec.convert(validated, self._model, from_attributes=True)
        except ValidationError as error:
            details = error.errors()
        raise WrongShape(self._problems(details), (self._key(detail["loc"]) for detail in details))

    @cached_property
    def documented(self) -> dict[str, Any]:
        """The JSON Schema with the docstrings of all fields. pydantic would look for them whenever it reads a
        scenario, and take longer for that than for all the rest."""
        schema = self._adapter.json_schema()
        nodes = (node for module in self._modules for node in ast.parse(inspect.getsource(module)).body)
        shapes = {node.name: node for node in nodes if isinstance(node, ast.ClassDef)}
        for shape in shapes.values():
            found = (
                schema if shape.name == self._model.__name__ else schema.get("$defs", {}).get(shape.name, {})
            )
            properties = found.get("properties", {})
            inherited = (
                shapes[ast.unparse(base)].body for base in shape.bases if ast.unparse(base) in shapes
            )
            for key, docs in pairwise([*shape.body, *chain.from_iterable(inherited)]):
                if isinstance(key, ast.AnnAssign) and isinstance(key.target, ast.Name):
                    name = key.target.id.rstrip("_")
                    if name in properties and isinstance(docs, ast.Expr):
                        text = inspect.cleandoc(ast.literal_eval(docs.value))
                        properties[name] = {"description": text, **properties[name]}
        return schema

    def _problems(self, details: Sequence[ErrorDetails]) -> Iterator[Problem]:
        """What the validator complains of, each once, with its key."""
        seen: set[tuple[KeyPath, str]] = set()
        for detail in self._of_right_kind(details):
            key, kind = self._key(detail["loc"]), detail["type"]
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
        return "list" if part.startswith("tuple[") else "table" if self._is_class(part) else None

    def _is_class(self, name: str) -> bool:
        return any(hasattr(module, name) for module in self._modules)

    def _key(self, location: tuple[int | str, ...]) -> KeyPath:
        """The validator's location without the names of classes and types that it adds in unions."""
        return tuple(part for part in location if part != "[key]" and self._kind(part) is None)

    def _table_of(self, key: KeyPath) -> type | None:
        names = tuple(part for part in key if isinstance(part, str))
        if names[:1] == ("values",):
            names = ("values", "*") if len(names) > 1 else names
        return self._tables.get(names)

    def _fields_at(self, key: KeyPath) -> list[str]:
        table = self._table_of(key)
        return [item.name.rstrip("_") for item in structs.fields(table)] if table else []

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


# No key is read that isn't known; a field's name may have an underscore that its key has not.
_CONFIG = {"extra": "forbid", "alias_generator": lambda name: name.rstrip("_")}


def _data_classes(modules: Sequence[ModuleType]) -> dict[str, type]:
    """A data class for each struct of some modules, by name, with its fields, checks and documentation."""
    made: dict[str, type] = {}
    for name, of, home in ((*item, module.__name__) for module in modules for item in vars(module).items()):
        if isinstance(of, type) and issubclass(of, Struct) and of.__module__ == home:
            hints = get_type_hints(of, localns=made)
            parts = [(item.name, hints[item.name], _field(item)) for item in structs.fields(of)]
            more = {"__doc__": of.__doc__, "__pydantic_config__": _CONFIG, **_checks(of)}
            made[name] = make_dataclass(name, parts, namespace=more, frozen=True, kw_only=True)
    return made


def _checks(of: type[Struct]) -> dict[str, Any]:
    """What checks the values of a struct, with the properties that it asks for."""
    own = of.__mro__[: of.__mro__.index(Struct)]
    return {
        name: value
        for base in reversed(own)
        for name, value in vars(base).items()
        if name == "__post_init__" or isinstance(value, property)
    }


def _field(item: structs.FieldInfo) -> Any:
    if item.default_factory is not NODEFAULT:
        return field(default_factory=item.default_factory)
    return field(default=MISSING if item.default is NODEFAULT else item.default)
