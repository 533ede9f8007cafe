"""Whether a wrong conflict reads as it would with the values of another variant: it may be a copied file."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping

from muddled_orchard.core.exercise.scenario import Scenario, Value
from muddled_orchard.core.exercise.values import can_be, values_of
from muddled_orchard.core.grading.assessment import HunkResult
from muddled_orchard.core.grading.kinds.doubts import ValueOfAnother


def values_of_others(
    scenario: Scenario, variant: str, hunks: Iterable[HunkResult]
) -> Iterator[ValueOfAnother]:
    """The conflicts that are wrong, and right or one of the sides where a value is that of another
    variant."""
    wrong = [hunk for hunk in hunks if hunk.outcome == "missed" and hunk.left and hunk.kept == "blend"]
    if not wrong or not scenario.values:
        return
    own = values_of(scenario, variant)
    values = {own[name]: value for name, value in scenario.values.items()}
    for hunk in wrong:
        for text in (hunk.wanted, hunk.ours, hunk.theirs):
            if text and (found := _other_value(hunk.left or "", text, values)) is not None:
                yield ValueOfAnother(hunk.file, hunk.hunk, *found)
                break


def _other_value(left: str, text: str, values: Mapping[str, Value]) -> tuple[str, str] | None:
    """A value in what was left, and the one that stands in its place in `text`, where both are alike but for
    values. `values` says what each of this variant's can be elsewhere."""
    standing = re.compile("|".join(rf"(?<!\w){re.escape(value)}(?!\w)" for value in values))
    own = standing.findall(text)
    parts = [re.escape(part) for part in standing.split(text)]
    between = [f"({_pattern(values[value])})" for value in own]
    pattern = parts[0] + "".join(value + part for value, part in zip(between, parts[1:], strict=True))
    match = re.fullmatch(pattern, left)
    pairs = list(zip(match.groups(), own, strict=True)) if match is not None else []
    if not all(can_be(values[mine], other) for other, mine in pairs):
        return None
    return next(((other, mine) for other, mine in pairs if other != mine), None)


def _pattern(value: Value) -> str:
    return r"-?\d{1,20}" if value.choose is None else "|".join(map(re.escape, value.choose))
