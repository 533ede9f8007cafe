"""Survey scenarios: make the keys of all of them at once, and ask Git for their graphs."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from msgspec.structs import replace

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.values import PLAIN_VARIANT, ScenarioTemplate, sample_values, values_of
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.key.survey import Survey, rules_against, shape, survey
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.keymaking import keys_of_varied, make_keys
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.rule_runs import run_rules


class Surveyor:
    """Surveys scenarios in one scratch repository. Use it as `with surveyor()`."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._scratch = ScratchRepository(folder / "scratch.git")

    def survey(self, scenarios: Sequence[Scenario], code: str) -> list[Survey | BadInput]:
        """The survey of each scenario's variant, or what is wrong with it, in order."""
        made = make_keys(self._scratch, [(scenario, code) for scenario in scenarios])
        return [one if isinstance(one, BadInput) else survey(one) for one in made]

    def with_values_of(self, first: Scenario, second: Scenario, code: str) -> Survey | None:
        """The survey of the second scenario with the values that the first one has in a variant; None where
        the two vary otherwise, or it can't be made."""
        if dict(first.values) != dict(second.values):
            return None
        varied = ScenarioTemplate(second).filled(values_of(first, code))
        (made,) = keys_of_varied(self._scratch, [(varied, code)])
        return None if isinstance(made, BadInput) else survey(made)

    def with_rules_run(self, survey: Survey) -> Survey:
        """The survey with what the commands of rules say of the key's own solution."""
        key = survey.key
        if key.scenario.makes_own:
            return survey
        solved = key.steps[-1].solved if key.steps else {}
        runs = run_rules(key.scenario.rule, solved, key.texts, self._folder)
        problems = [
            Problem(
                f"the key's own solution breaks this rule: {run.reason}"
                if run.passed is False
                else f"this rule can't be checked: {run.reason}",
                "Mend the rule, or the answer." if run.passed is False else "",
                ("rule", number),
            )
            for number, run in runs.items()
            if not run.passed
        ]
        return replace(survey, errors=(*survey.errors, *problems))

    def weak_values(self, keys: Sequence[tuple[Scenario, Key]]) -> list[list[Problem]]:
        """For each scenario with its plain key: values with which it does not work, or meets other
        conflicts than otherwise."""
        tried = [
            (number, chosen)
            for number, (scenario, _) in enumerate(keys)
            for chosen in sample_values(scenario)
        ]
        forms = [ScenarioTemplate(scenario) for scenario, _ in keys]
        varied = [(forms[number].filled(chosen), PLAIN_VARIANT) for number, chosen in tried]
        made = keys_of_varied(self._scratch, varied)
        found: list[list[Problem]] = [[] for _ in keys]
        for (number, chosen), other in zip(tried, made, strict=True):
            scenario, key = keys[number]
            plain = values_of(scenario, PLAIN_VARIANT)
            name = next(name for name, value in chosen.items() if value != plain[name])
            chosen_value = f'with {name} = "{chosen[name]}"'
            if isinstance(other, BadInput):
                first = other.problems[0]
                found[number].append(
                    Problem(f"{chosen_value}: {first.key_text}: {first.what}", first.hint, ("values", name))
                )
            elif shape(other) != shape(key):
                hint = "A value must not make both sides alike, or join or part their hunks."
                what = f"{chosen_value} other conflicts are met than otherwise"
                found[number].append(Problem(what, hint, ("values", name)))
            else:
                plainly = {problem.key for problem in rules_against(key)}
                found[number] += [
                    Problem(f"{chosen_value}: {problem.what}", problem.hint, problem.key)
                    for problem in rules_against(other)
                    if problem.key not in plainly
                ]
        return found


@contextmanager
def surveyor() -> Iterator[Surveyor]:
    """A surveyor with a temporary folder of its own, which is gone afterwards."""
    git.require()
    with temporary_folder() as folder:
        yield Surveyor(folder)
