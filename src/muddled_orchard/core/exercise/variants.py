"""Many variants of one scenario: those that have the same values differ in nothing but their code, so the
story is played once for all of them."""

from __future__ import annotations

from msgspec import Struct

from muddled_orchard.core.base.remembering import remember
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.story import unroll, with_code
from muddled_orchard.core.exercise.values import ScenarioTemplate, checked_code, values_of

_MOST = 512

Values = tuple[tuple[str, str], ...]


class Variant(Struct, frozen=True):
    """One variant: the scenario with its values, the story with its code, and the values themselves."""

    scenario: Scenario
    history: History
    values: Values


class Variants:
    """The variants of a scenario. What is remembered is bounded."""

    def __init__(self, scenario: Scenario) -> None:
        self.scenario = scenario
        self._template = ScenarioTemplate(scenario)
        self._known: dict[Values, tuple[Scenario, History]] = {}

    def __reduce__(self) -> tuple[type[Variants], tuple[Scenario]]:
        return Variants, (self.scenario,)  # to another process go the facts, not what was made of them

    def of(self, code: str) -> Variant:
        """The variant with this code. Raises BadInput where it can't be made."""
        checked_code(code)
        values = tuple(values_of(self.scenario, code).items())
        if values not in self._known:
            varied = self._template.filled(dict(values))
            remember(self._known, values, (varied, unroll(varied, code)), _MOST)
        varied, history = self._known[values]
        return Variant(varied, with_code(history, code), values)
