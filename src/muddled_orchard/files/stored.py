"""Scenarios that were checked when they came in: written as text and read back without checking again.

The validator that tells people everything that is wrong with a scenario takes longer to start than most
commands take for their work; it is for what people write.
"""

from __future__ import annotations

import hashlib
import json
import tomllib
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import datetime
from functools import cache
from typing import Any

import msgspec
from msgspec import NODEFAULT, Struct
from msgspec.structs import FieldInfo, fields

from muddled_orchard.core.exercise.defaults import completed
from muddled_orchard.core.exercise.operations import with_tasks
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.task import IN_ORDER, Task


class Damaged(Exception):
    """A text is not what was written here."""


# Written even where they are as by default: they had none at first, and a text stays the same for ever.
_ALWAYS = frozenset({"format", "starts"})


def scenario_text(scenario: Scenario) -> str:
    """All that a scenario is made of as JSON, without defaults: the same text for the same scenario."""
    return json.dumps(_plain(scenario), ensure_ascii=False, separators=(",", ":"))


def digest_of(scenario: Scenario) -> str:
    """What tells one version of a scenario from another."""
    return hashlib.sha256(scenario_text(scenario).encode()).hexdigest()[:16]


def scenario_of(text: str) -> Scenario:
    """The scenario of such a text. Raises Damaged where it is none."""
    with sound():
        return scenario_of_data(json.loads(text))


def scenario_of_toml(text: str, name: str) -> Scenario:
    """The scenario of a file that is known to be right; `name` is the file's, without its suffix."""
    return completed(scenario_of_data(tomllib.loads(text)), name)


def scenario_of_data(data: Mapping[str, Any]) -> Scenario:
    """The scenario of a file's data that is known to be right; what it leaves out is left out."""
    lists = {"story": (), "rule": (), **data}
    tables = {name: [_fields_of(table) for table in lists[name]] for name in ("story", "task", "rule")}
    return with_tasks(Scenario, {**data, **tables}, "task")


def _fields_of(table: Mapping[str, Any]) -> dict[str, Any]:
    """A table by fields: those that are words of Python have an underscore behind them."""
    return {f"{key}_" if key in ("from", "with") else key: value for key, value in table.items()}


@contextmanager
def sound() -> Iterator[None]:
    """Raise Damaged where what is read within is not what was written."""
    try:
        yield
    except (msgspec.MsgspecError, ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise Damaged(str(error)) from error


def _plain(part: Any) -> Any:
    if isinstance(part, Struct):
        return {
            item.name.rstrip("_"): _plain(value)
            for item in _fields(type(part))
            if (value := getattr(part, item.name)) != _default(item) or item.name in _ALWAYS
        }
    if isinstance(part, dict):
        return {name: _plain(value) for name, value in part.items()}
    if isinstance(part, tuple):
        return [_plain(value) for value in part]
    if isinstance(part, datetime):
        return part.isoformat().replace("+00:00", "Z")
    return part


@cache
def _fields(of: type[Struct]) -> tuple[FieldInfo, ...]:
    """The fields of a class, in the order in which they are written: to look them up takes long, since their
    types are worked out for it."""
    return tuple(sorted(fields(of), key=_place)) if issubclass(of, Task) else fields(of)


def _place(item: FieldInfo) -> int:
    return IN_ORDER.index(item.name)


def _default(item: FieldInfo) -> Any:
    return item.default_factory() if item.default_factory is not NODEFAULT else item.default
