"""Whether a wrong conflict reads as it would with the values of another variant: it may be a copied file."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping

from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.values import options_of, values_of
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
    options = {own[name]: options_of(value) for name, value in scenario.values.items()}
    for hunk in wrong:
        for text in (hunk.wanted, hunk.ours, hunk.theirs):
            if text and (found := _other_value(hunk.left or "", text, options)) is not None:
                yield ValueOfAnother(hunk.file, hunk.hunk, *found)
                break


def _other_value(left: str, text: str, options: Mapping[str, Iterable[str]]) -> tuple[str, str] | None:
    """A value in what was left, and the one that stands in its place in `text`, where both are alike but for
    values."""
    standing = re.compile("|".join(rf"(?<!\w){re.escape(value)}(?!\w)" for value in options))
    own = standing.findall(text)
    parts = [re.escape(part) for part in standing.split(text)]
    between = [f"({'|'.join(map(re.escape, options[value]))})" for value in own]
    pattern = parts[0] + "".join(value + part for value, part in zip(between, parts[1:], strict=True))
    match = re.fullmatch(pattern, left)
    pairs = zip(match.groups(), own, strict=True) if match is not None else ()
    return next(((other, mine) for other, mine in pairs if other != mine), None)
