"""One learner's version of a scenario: the same knots, other words and numbers.

The values come from a keyed hash of the variant's code, so they are the same for ever, on every
machine and with every version of Python.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator, Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any

from muddled_orchard.core.problems import BadInput, KeyPath, Problem, likely
from muddled_orchard.core.scenario import Scenario, Value

PLAIN = "0"
"""The code of the variant that is built where none is asked for."""

_CODE = re.compile(r"[A-Za-z0-9][A-Za-z0-9-]{0,63}")
_USE = re.compile(r"@(@\{|\{([^{}\n]*)\})")
_MOST_OPTIONS = 24
_HASH_KEY = b"muddled-orchard values 1"
# What a learner or a grader reads of a scenario; names, dates and branches stay as they are.
_VARYING = ("title", "brief", "story", "answer", "rule")


def variant_of(scenario: Scenario, code: str) -> Scenario:
    """The scenario with every `@{name}` replaced by this variant's value (`@@{` stands for `@{`).

    Raises BadInput for a code that can't be used and for names that `[values]` does not have.
    """
    checked_code(code)
    return filled(scenario, values_of(scenario, code))


def checked_code(code: str) -> None:
    """Raise BadInput for a code that can't be used."""
    if not _CODE.fullmatch(code):
        raise BadInput(
            Problem(f'"{code}" is no variant code', "Use up to 64 letters, digits and hyphens, as in 5c1d9a.")
        )


def values_of(scenario: Scenario, code: str) -> dict[str, str]:
    """The value that each name has in a variant."""
    return {name: _pick(scenario.id, name, value, code) for name, value in scenario.values.items()}


def corners(scenario: Scenario) -> Iterator[dict[str, str]]:
    """Values for which a scenario should be tried: each that a name can have (of a long range the ends and
    some between), the other names as in the plain variant."""
    plain = values_of(scenario, PLAIN)
    for name, value in scenario.values.items():
        for option in _options(value):
            if option != plain[name]:
                yield {**plain, name: option}


def _options(value: Value) -> list[str]:
    if value.choose is not None:
        return list(dict.fromkeys(value.choose))[:_MOST_OPTIONS]
    low, high = value.between or (0, 0)
    numbers = range(low, high + 1)
    step = max(1, len(numbers) // _MOST_OPTIONS)
    return [str(number) for number in dict.fromkeys([*numbers[::step], high])]


def filled(scenario: Scenario, values: Mapping[str, str]) -> Scenario:
    """The scenario with these values. Raises BadInput for names that `[values]` does not have."""
    problems: list[Problem] = []
    parts = {name: _filled(getattr(scenario, name), values, (name,), problems) for name in _VARYING}
    if problems:
        raise BadInput(problems)
    return replace(scenario, **parts)


def _pick(exercise: str, name: str, value: Value, code: str) -> str:
    said = f"{exercise}\n{name}\n{code}".encode()
    number = int.from_bytes(hashlib.blake2b(said, key=_HASH_KEY, digest_size=16).digest())
    if value.choose is not None:
        return value.choose[number % len(value.choose)]
    assert value.between is not None  # noqa: S101 - Value allows no third way
    low, high = value.between
    return str(low + number % (high - low + 1))


def _filled(part: Any, values: Mapping[str, str], key: KeyPath, problems: list[Problem]) -> Any:
    """`part` with its strings filled in, however deep they lie; keys of mappings are strings too."""
    if isinstance(part, str):

        def use(found: re.Match[str]) -> str:
            if found[1] == "@{":
                return "@{"
            if found[2] not in values:
                problems.append(Problem(f'no value is named "{found[2]}"', likely(found[2], values), key))
                return ""
            return values[found[2]]

        return _USE.sub(use, part)
    if isinstance(part, tuple):
        return tuple(_filled(item, values, (*key, number), problems) for number, item in enumerate(part))
    if isinstance(part, Mapping):
        return {
            _filled(name, values, (*key, name), problems): _filled(item, values, (*key, name), problems)
            for name, item in part.items()
        }
    if is_dataclass(part) and not isinstance(part, type):
        changed = {
            item.name: _filled(getattr(part, item.name), values, (*key, item.name.rstrip("_")), problems)
            for item in fields(part)
        }
        return replace(part, **changed)
    return part
