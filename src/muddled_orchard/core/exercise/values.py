"""One learner's version of a scenario: the same conflicts, other words and numbers.

The values come from a keyed hash of the variant's code, so they are the same for ever, on every
machine and with every version of Python.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Collection, Iterator, Mapping
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.problems import BadInput, KeyPath, Problem, likely
from muddled_orchard.core.exercise.scenario import Scenario, Value

PLAIN_VARIANT = "0"
"""The code of the variant that is built where none is asked for."""

_Fill = Callable[[Mapping[str, str]], Any]

_CODE = pattern(r"[A-Za-z0-9][A-Za-z0-9-]{0,63}")
_USE = pattern(r"@(@\{|\{([^{}\n]*)\})")
_MOST_OPTIONS = 24
_HASH_KEY = b"muddled-orchard values 1"
# All that a learner meets; the format, the id, dates, points and spacing stay as they are.
_VARYING = ("title", "brief", "cast", "story", "task", "start", "answer", "rule", "role")


def variant_of(scenario: Scenario, code: str) -> Scenario:
    """The scenario with every `@{name}` replaced by this variant's value (`@@{` stands for `@{`).

    Raises BadInput for a code that can't be used and for names that `[values]` does not have.
    """
    checked_code(code)
    return ScenarioTemplate(scenario).filled(values_of(scenario, code))


def verbatim(text: str, names: Collection[str]) -> str:
    """A text that was not written for a scenario, as a scenario says it: what looks like the use of a value
    stands for itself, unless there is a value of that name."""
    if "@{" not in text:
        return text

    def said(use: re.Match[str]) -> str:
        if use[1] == "@{":
            return use[0] if names else f"@{use[0]}"
        return use[0] if use[2] in names else f"@{use[0]}"

    return _USE.sub(said, text)


def checked_code(code: str) -> None:
    """Raise BadInput for a code that can't be used."""
    if not _CODE.fullmatch(code):
        raise BadInput(
            Problem(f'"{code}" is no variant code', "Use up to 64 letters, digits and hyphens, as in 5c1d9a.")
        )


def values_of(scenario: Scenario, code: str) -> dict[str, str]:
    """The value that each name has in a variant."""
    return {name: _pick(scenario.id, name, value, code) for name, value in scenario.values.items()}


def sample_values(scenario: Scenario) -> Iterator[dict[str, str]]:
    """Values for which a scenario should be tried: each that a name can have (of a long range the ends and
    some between), the other names as in the plain variant."""
    plain = values_of(scenario, PLAIN_VARIANT)
    for name, value in scenario.values.items():
        for option in _options(value):
            if option != plain[name]:
                yield {**plain, name: option}


def _options(value: Value) -> list[str]:
    """What a value can be; of a long range the ends and some between."""
    if value.choose is not None:
        return list(dict.fromkeys(value.choose))[:_MOST_OPTIONS]
    low, high = value.between or (0, 0)
    numbers = range(low, high + 1)
    step = max(1, len(numbers) // _MOST_OPTIONS)
    return [str(number) for number in dict.fromkeys([*numbers[::step], high])]


def can_be(value: Value, text: str) -> bool:
    """Whether some variant has this text as a value."""
    if value.choose is not None:
        return text in value.choose
    low, high = value.between or (0, 0)
    return text.removeprefix("-").isdecimal() and text == str(int(text)) and low <= int(text) <= high


class ScenarioTemplate:
    """A scenario made ready to be filled in many times: where its values stand is found once.

    Raises BadInput for names that `[values]` does not have.
    """

    def __init__(self, scenario: Scenario) -> None:
        problems: list[Problem] = []
        found = {
            name: _placeholders(getattr(scenario, name), (name,), scenario.values, problems)
            for name in _VARYING
        }
        if problems:
            raise BadInput(problems)
        self._scenario = scenario
        self._placeholders = {name: fill for name, fill in found.items() if fill is not None}

    def filled(self, values: Mapping[str, str]) -> Scenario:
        """The scenario with these values, one for each name."""
        return replace(self._scenario, **{name: fill(values) for name, fill in self._placeholders.items()})


def _pick(exercise: str, name: str, value: Value, code: str) -> str:
    seed = f"{exercise}\n{name}\n{code}".encode()
    number = int.from_bytes(hashlib.blake2b(seed, key=_HASH_KEY, digest_size=16).digest())
    if value.choose is not None:
        return value.choose[number % len(value.choose)]
    assert value.between is not None  # noqa: S101 - Value allows no third way
    low, high = value.between
    return str(low + number % (high - low + 1))


def _placeholders(part: Any, key: KeyPath, names: Collection[str], problems: list[Problem]) -> _Fill | None:
    """What fills in the strings of `part`, however deep they lie (keys of mappings are strings too); None
    where nothing is to be filled in."""

    def below(item: Any, *more: str | int) -> tuple[Any, _Fill | None]:
        return item, _placeholders(item, (*key, *more), names, problems)

    if isinstance(part, str):
        return _text_placeholders(part, key, names, problems)
    if isinstance(part, tuple):
        items = [below(item, number) for number, item in enumerate(part)]
        if any(fill for _, fill in items):
            return lambda values: tuple(_made(item, values) for item in items)
    elif isinstance(part, Mapping):
        pairs = [(below(name, name), below(item, name)) for name, item in part.items()]
        if any(fill for pair in pairs for _, fill in pair):
            return lambda values: {_made(name, values): _made(item, values) for name, item in pairs}
    elif isinstance(part, Struct):
        held = {name: below(getattr(part, name), name.rstrip("_")) for name in part.__struct_fields__}
        changed = {name: item for name, item in held.items() if item[1]}
        if changed:
            return lambda values: replace(
                part, **{name: _made(item, values) for name, item in changed.items()}
            )
    return None


def _made(item: tuple[Any, _Fill | None], values: Mapping[str, str]) -> Any:
    part, fill = item
    return fill(values) if fill else part


def _text_placeholders(
    text: str, key: KeyPath, names: Collection[str], problems: list[Problem]
) -> _Fill | None:
    uses = list(_USE.finditer(text))
    problems += [
        Problem(f'no value is named "{use[2]}"', likely(use[2], names), key)
        for use in uses
        if use[1] != "@{" and use[2] not in names
    ]
    if not uses:
        return None
    return lambda values: _USE.sub(lambda use: "@{" if use[1] == "@{" else values[use[2]], text)
