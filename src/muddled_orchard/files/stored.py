"""Scenarios that were checked when they came in: written as text and read back without checking again.

The validator that tells people everything that is wrong with a scenario takes longer to start than most
commands take for their work; it is for what people write.
"""

from __future__ import annotations

import hashlib
import json
import tomllib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from functools import cache
from typing import Any

import msgspec
from msgspec import NODEFAULT, Struct
from msgspec.structs import FieldInfo, fields

from muddled_orchard.core.exercise.defaults import completed
from muddled_orchard.core.exercise.scenario import Scenario


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
        return _scenario(json.loads(text))


def scenario_of_toml(text: str, name: str) -> Scenario:
    """The scenario of a file that is known to be right; `name` is the file's, without its suffix."""
    return completed(_scenario(tomllib.loads(text)), name)


def _scenario(data: dict[str, Any]) -> Scenario:
    for table in (*data["story"], *data["task"], *data.get("rule", ())):
        for key in ("from", "with"):  # words of Python: its fields have an underscore behind them
            if key in table:
                table[f"{key}_"] = table.pop(key)
    return msgspec.convert(data, Scenario)


@contextmanager
def sound() -> Iterator[None]:
    """Raise Damaged where what is read within is not what was written."""
    try:
        yield
    except (msgspec.MsgspecError, ValueError, KeyError, TypeError, AttributeError) as error:
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
    """The fields of a class: to look them up takes long, since their types are worked out for it."""
    return fields(of)


def _default(item: FieldInfo) -> Any:
    return item.default_factory() if item.default_factory is not NODEFAULT else item.default
