"""A TOML file's data as frozen classes, or everything that is wrong with its shape, in words.

The classes are structs of msgspec, which are quick to make; the validator that tells all that is wrong knows
data classes. A data class is made for each of them where something is to be validated.
"""

from __future__ import annotations

import ast
import inspect
import json
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import MISSING, field, make_dataclass
from functools import cached_property
from itertools import chain, pairwise
from types import ModuleType
from typing import TYPE_CHECKING, Annotated, Any, Generic, TypeVar, Union, get_args, get_type_hints

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
_ABOUT_A_KEY = ("missing", "unexpected_keyword_argument")  # the last part of their location is one

_T = TypeVar("_T")


class WrongShape(Exception):
    """Data is not of its file's shape: everything that is wrong, and where."""

    def __init__(self, problems: Iterable[Problem], places: Iterable[KeyPath]) -> None:
        super().__init__()
        self.problems = tuple(problems)
        self.places = tuple(places)


class Kinds(Struct, frozen=True):
    """A table of which there are several kinds, each with a class of its own that is one of `base`. `of` says
    which one a table is meant to be; where it says none, the table must be right as `base`. `key` is the
    one whose value names a kind."""

    base: type[Struct]
    classes: Sequence[type[Struct]]
    of: Callable[[Any], type[Struct] | None]
    key: str


class Shape(Generic[_T]):
    """The shape of a file: its class, and which class each of its tables belongs to (`tables`, by key, the
    numbers of list elements left out). `modules` have these classes, with the documentation of their
    fields, each after those that it uses; `read_as` makes of data that is right what it says, `kinds` are
    those of its tables that are of several kinds."""

    def __init__(
        self,
        model: type[_T],
        tables: Mapping[tuple[str, ...], type],
        modules: Sequence[ModuleType],
        read_as: Callable[[Mapping[str, Any]], _T],
        kinds: Kinds | None = None,
    ) -> None:
        self._model, self._tables, self._modules, self._read_as = model, tables, modules, read_as
        self._kinds = kinds
        self._by_tag = {_tag(kind): kind for kind in kinds.classes} if kinds else {}

    @cached_property
    def _adapter(self) -> TypeAdapter[Any]:
        from pydantic import TypeAdapter  # it takes long to load; not every command reads what people write

        return TypeAdapter(self._data_classes[self._model.__name__])

    @cached_property
    def _data_classes(self) -> dict[str, Any]:
        return _data_classes(self._modules, self._kinds)

    def read(self, data: Mapping[str, Any]) -> _T:
        """The data as classes. Raises WrongShape."""
        from pydantic import ValidationError

        try:
            # Strict JSON mode takes lists for tuples and tables for dataclasses, and converts nothing else.
            self._adapter.validate_json(json.dumps(data, default=str), strict=True)
            return self._read_as(data)
        except ValidationError as error:
            details = [one for detail in error.errors() for one in self._of_no_kind(detail)]
        raise WrongShape(self._problems(details), map(self._key_of, details))

    def _of_no_kind(self, detail: ErrorDetails) -> Sequence[ErrorDetails]:
        """The complaints behind one of a table of which can't be told what kind it is meant to be: those
        about what all kinds have in common."""
        if self._kinds is None or detail["type"] != "union_tag_not_found":
            return (detail,)
        from pydantic import TypeAdapter, ValidationError

        try:
            TypeAdapter(self._data_classes["base of kinds"]).validate_json(
                json.dumps(detail["input"], default=str), strict=True
            )
        except ValidationError as error:
            return [{**one, "loc": (*detail["loc"], *one["loc"])} for one in error.errors()]
        return (detail,)

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
            for key, docs in pairwise(_body(shape, shapes)):
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
            key, kind = self._key_of(detail), detail["type"]
            table = self._table_at(detail["loc"][:-1])
            if (key, kind) in seen:
                continue
            seen.add((key, kind))
            if kind == _NO_ENTRY:
                hint = f"Words: {', '.join(KEEP)}."
                yield Problem("expected a word, a list of words, or a table as { text = ... }", hint, key)
            elif kind == "unexpected_keyword_argument":
                yield self._unknown_key(table, key)
            elif kind == "missing":
                yield Problem(f'"{key[-1]}" is missing', self._documentation(table, str(key[-1])), key)
            elif kind == "literal_error":
                expected = str(detail.get("ctx", {}).get("expected", "")).replace("'", '"')
                if several := self._words_of_kinds(table, str(key[-1])):
                    expected = " or ".join(f'"{word}"' for word in several)
                value = json.dumps(detail["input"], ensure_ascii=False)
                words = re.findall(r'"([^"]*)"', expected)
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
            location = detail["loc"][:-1] if detail["type"] in _ABOUT_A_KEY else detail["loc"]
            for place, part in enumerate(location):
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

    def _key_of(self, detail: ErrorDetails) -> KeyPath:
        if detail["type"] in _ABOUT_A_KEY:
            return (*self._key(detail["loc"][:-1]), detail["loc"][-1])
        return self._key(detail["loc"])

    def _key(self, location: tuple[int | str, ...]) -> KeyPath:
        """The validator's location without the names of classes and types that it adds in unions."""
        return tuple(
            part
            for part in location
            if part != "[key]" and part not in self._by_tag and self._kind(part) is None
        )

    def _table_at(self, location: tuple[int | str, ...]) -> type | None:
        """The class of the table at the validator's location."""
        if location and location[-1] in self._by_tag:
            return self._by_tag[str(location[-1])]
        names = tuple(part for part in self._key(location) if isinstance(part, str))
        if names[:1] == ("values",):
            names = ("values", "*") if len(names) > 1 else names
        return self._tables.get(names)

    def _unknown_key(self, table: type | None, key: KeyPath) -> Problem:
        """A key that a table does not have; perhaps another kind of such a table does."""
        name, known = str(key[-1]), _keys(table)
        if table in self._by_tag.values() and any(name in _keys(kind) for kind in self._by_tag.values()):
            return Problem(f"{self._called(table)} has no {name}", key=key)
        return Problem(f'"{name}" is no key here', likely(name, known), key)

    def _called(self, kind: Any) -> str:
        """The word in a table for its kind."""
        assert self._kinds is not None  # noqa: S101 - there is a kind
        return str(get_args(get_type_hints(kind)[self._kinds.key])[0])

    def _words_of_kinds(self, table: type | None, name: str) -> list[str]:
        """The words that a key may have in the kinds of a table that are called the same, where there are
        several."""
        if table not in self._by_tag.values():
            return []
        alike = [kind for kind in self._by_tag.values() if self._called(kind) == self._called(table)]
        return [str(get_args(get_type_hints(kind)[name])[0]) for kind in alike] if len(alike) > 1 else []

    def _documentation(self, table: type | None, name: str) -> str:
        """What a missing key is for, from the documentation of the format."""
        if table is None:
            return ""
        if self._kinds is not None and table is self._kinds.base:
            table = self._kinds.classes[0]
        schema = self.documented
        about = schema if table is self._model else schema.get("$defs", {}).get(table.__name__, {})
        described: dict[str, Any] = about.get("properties", {}).get(name, {})
        return (
            f"It says: {text[0].lower()}{text[1:]}" if (text := str(described.get("description", ""))) else ""
        )


# No key is read that isn't known; a field's name may have an underscore that its key has not.
_CONFIG = {"extra": "forbid", "alias_generator": lambda name: name.rstrip("_")}


def _keys(table: type | None) -> list[str]:
    return [item.name.rstrip("_") for item in structs.fields(table)] if table else []


def _body(of: ast.ClassDef, known: Mapping[str, ast.ClassDef]) -> list[ast.stmt]:
    """What a class and its bases say, its own first."""
    bases = (known[name] for base in of.bases if (name := ast.unparse(base)) in known)
    return [*of.body, *chain.from_iterable(_body(base, known) for base in bases)]


def _tag(kind: type) -> str:
    """What the validator calls a kind of a table; no key is called so."""
    return f"[{kind.__name__}]"


def _data_classes(modules: Sequence[ModuleType], kinds: Kinds | None) -> dict[str, Any]:
    """A data class for each struct of some modules, by name, with its fields, checks and documentation; for
    the base of several kinds any of them."""
    made: dict[str, Any] = {}
    for name, of, home in ((*item, module.__name__) for module in modules for item in vars(module).items()):
        if isinstance(of, type) and issubclass(of, Struct) and of.__module__ == home:
            hints = get_type_hints(of, localns=made, include_extras=True)
            parts = [(item.name, hints[item.name], _field(item)) for item in structs.fields(of)]
            more = {"__doc__": of.__doc__, "__pydantic_config__": _CONFIG, **_checks(of)}
            made[name] = make_dataclass(name, parts, namespace=more, frozen=True, kw_only=True)
            if kinds is not None and of is kinds.base:
                more["__pydantic_config__"] = {**_CONFIG, "extra": "ignore"}
                made["base of kinds"] = make_dataclass(name, parts, namespace=more, frozen=True, kw_only=True)
            if kinds is not None and all(kind.__name__ in made for kind in kinds.classes):
                made[kinds.base.__name__] = _any_of(kinds, made)
    return made


def _any_of(kinds: Kinds, made: Mapping[str, Any]) -> Any:
    """The type of a table that is of one of some kinds, by their data classes."""
    from pydantic import Discriminator, Tag

    every = [Annotated[made[kind.__name__], Tag(_tag(kind))] for kind in kinds.classes]
    return Annotated[Union[*every], Discriminator(lambda table: (kind := kinds.of(table)) and _tag(kind))]


def _checks(of: type[Struct]) -> dict[str, Any]:
    """What checks the values of a struct, with the properties that it asks for."""
    own = of.__mro__[: of.__mro__.index(Struct)]
    fields = {item.name for item in structs.fields(of)}
    return {
        name: value
        for base in reversed(own)
        for name, value in vars(base).items()
        if name not in fields and (name == "__post_init__" or isinstance(value, property))
    }


def _field(item: structs.FieldInfo) -> Any:
    if item.default_factory is not NODEFAULT:
        return field(default_factory=item.default_factory)
    return field(default=MISSING if item.default is NODEFAULT else item.default)
