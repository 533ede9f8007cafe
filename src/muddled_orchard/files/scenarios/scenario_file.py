"""Read a scenario file: TOML in, frozen data out, or everything that is wrong with it in one go."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from muddled_orchard.core.base.limits import MOST_ENTRIES
from muddled_orchard.core.base.problems import BadInput, KeyPath, Problem, likely
from muddled_orchard.core.exercise import scenario as scenario_module
from muddled_orchard.core.exercise import task as task_module
from muddled_orchard.core.exercise import text_rules as rules_module
from muddled_orchard.core.exercise.defaults import completed
from muddled_orchard.core.exercise.operations import OPERATIONS, operation_of
from muddled_orchard.core.exercise.scenario import (
    Answer,
    AnswerChange,
    Change,
    Entry,
    KeepHunk,
    Role,
    Rule,
    Scenario,
    Start,
    Value,
)
from muddled_orchard.core.exercise.story import unroll
from muddled_orchard.core.exercise.task import MessageRules, Task
from muddled_orchard.core.exercise.text_rules import bad_pattern, several
from muddled_orchard.core.exercise.values import PLAIN_VARIANT, variant_of
from muddled_orchard.core.grading.criteria import CRITERIA, weight_of
from muddled_orchard.core.merging.keep import KEEP
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.scenarios.shape import Kinds, Shape, WrongShape
from muddled_orchard.files.scenarios.sound_part import sound_part
from muddled_orchard.files.scenarios.toml_text import parsed, text_of
from muddled_orchard.files.scenarios.tree_folders import with_taken_folders
from muddled_orchard.files.stored import scenario_of_data

# Which class a key's table belongs to, the numbers of list elements left out.
_TABLES: Mapping[tuple[str, ...], type] = {
    (): Scenario,
    ("values", "*"): Value,
    ("story",): Entry,
    ("story", "change"): Change,
    ("task",): Task,
    ("task", "message"): MessageRules,
    ("answer",): Answer,
    ("answer", "keep"): KeepHunk,
    ("answer", "change"): AnswerChange,
    ("rule",): Rule,
    ("role",): Role,
    ("start",): Start,
}

# What somebody may look for among the operations.
_NOT_SUPPORTED = {"submodule": "submodules", "subtree": "subtrees", "octopus": "octopus merges"}

_EVERY_TASK = list(dict.fromkeys(kind for ways in OPERATIONS.values() for kind in ways.values()))
_TASK_MODULES = dict.fromkeys(sys.modules[kind.__module__] for kind in _EVERY_TASK)

SHAPE_OF_FILE = Shape(
    Scenario,
    _TABLES,
    (rules_module, task_module, *_TASK_MODULES, scenario_module),
    scenario_of_data,
    Kinds(Task, _EVERY_TASK, operation_of, "do"),
)


def scenario_schema() -> dict[str, Any]:
    """The JSON Schema of the scenario file, made from the model."""
    schema = SHAPE_OF_FILE.documented
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "Scenario file"}


def load_scenario(path: Path) -> Scenario:
    """Read and check a scenario. Raises BadInput with every problem, each with file, line and key."""
    text = text_of(path)
    scenario, problems = read_scenario(text, path.parent, path.stem)
    if problems:
        raise with_lines(BadInput(problems), path, text)
    assert scenario is not None  # noqa: S101 - without problems there is one
    return scenario


def read_scenario(
    text: str, folder: Path | None = None, name: str = ""
) -> tuple[Scenario | None, list[Problem]]:
    """A scenario's text as data, and everything wrong with it (keys, but lines only for broken TOML).

    `folder` is where the folders lie that its story takes whole trees from, `name` the file's name without
    its suffix.
    """
    try:
        data = parsed(text)
    except BadInput as bad:
        return None, list(bad.problems)
    if too_many := list(_too_many(data)):
        return None, too_many
    problems = list(_words_problems(data))
    try:
        return _checked(SHAPE_OF_FILE.read(data), folder, name, problems), problems
    except WrongShape as wrong:
        problems = [*wrong.problems, *problems]
        part = sound_part(data, wrong.places)
    try:
        rest: list[Problem] = []
        _checked(SHAPE_OF_FILE.read(part.data), folder, name, rest)
        problems += part.told(rest)
    except WrongShape:
        pass  # one thing at a time
    return None, problems


def _checked(shaped: Scenario, folder: Path | None, name: str, problems: list[Problem]) -> Scenario:
    """A scenario with what its file leaves out; everything that doesn't fit is added to `problems`."""
    problems += _meaning_problems(shaped)
    try:
        scenario = with_taken_folders(completed(shaped, name), folder, problems)
        plain = variant_of(scenario, PLAIN_VARIANT)
        problems += _bad_patterns(plain)  # with a value in its place, a use of one is no pattern's brace
        unroll(plain, PLAIN_VARIANT)
    except BadInput as bad:
        problems += bad.problems
        return shaped
    return scenario


def _too_many(data: Mapping[str, Any]) -> Iterator[Problem]:
    for table, most in MOST_ENTRIES.items():
        entries = data.get(table)
        if isinstance(entries, list | dict) and len(entries) > most:
            what = f"there are {len(entries):,} of them, and the most is {most}"
            yield Problem(what, "Make several exercises of it.", (table,))


def _words_problems(data: Mapping[str, Any]) -> Iterator[Problem]:
    """Words that can be checked even where a file's shape is wrong, so that they are told in the same go."""
    for key in ("id", "title", "brief"):
        if isinstance(data.get(key), str) and not data[key].strip():
            yield Problem(f"the {key} is empty", "Write one, or leave the key out.", (key,))
    for table, keys in (("story", ("on", "by", "message")), ("task", ("on",))):
        entries = data.get(table)
        for number, entry in enumerate(entries if isinstance(entries, list) else []):
            for key in keys:
                value = entry.get(key) if isinstance(entry, dict) else None
                if isinstance(value, str) and not value.strip():
                    yield Problem(f"{key} is empty", "Say it, or leave the key out.", (table, number, key))
    yield from _not_supported(data)
    answers = data.get("answer")
    for number, answer in enumerate(answers if isinstance(answers, list) else []):
        keep = answer.get("keep") if isinstance(answer, dict) else None
        for place, word in enumerate(keep if isinstance(keep, list) else []):
            if isinstance(word, str) and word not in KEEP:
                where: KeyPath = ("answer", number, "keep", place)
                yield Problem(f'"{word}" is no choice', likely(word, KEEP), where)


def _not_supported(data: Mapping[str, Any]) -> Iterator[Problem]:
    """What somebody may ask for that there is not, by its name."""
    tasks = data.get("task")
    for number, task in enumerate(tasks if isinstance(tasks, list) else []):
        if isinstance(task, dict) and (what := _NOT_SUPPORTED.get(str(task.get("do")))):
            yield Problem(f"{what} are not supported", "Ask for another operation.", ("task", number, "do"))
        if isinstance(task, dict) and isinstance(task.get("bring"), list):
            told = "a merge of several branches at once (octopus) is not supported"
            yield Problem(told, "Ask for them one after the other, a task each.", ("task", number, "bring"))


def _meaning_problems(scenario: Scenario) -> Iterator[Problem]:
    for name, weight in scenario.points.items():
        if name not in CRITERIA:
            yield Problem(f'"{name}" is no criterion', likely(name, CRITERIA), ("points", name))
        elif weight < 0:
            yield Problem("points can't be negative", key=("points", name))
    if not any(weight_of(scenario, name) for name in CRITERIA):
        yield Problem("all points are 0: nothing can be earned", "Leave some as they are.", ("points",))


def _bad_patterns(scenario: Scenario) -> Iterator[Problem]:
    wanted: list[tuple[str, KeyPath]] = [
        (rule.matches or "", ("rule", number, "matches")) for number, rule in enumerate(scenario.rule)
    ]
    wanted += [
        (pattern, ("answer", number, *place, "matches"))
        for number, answer in enumerate(scenario.answer)
        for table, place in answer.tables()
        for pattern in several(table.matches)
    ]
    for pattern, key in wanted:
        if complaint := bad_pattern(pattern):
            yield Problem(f"this is no regular expression: {complaint}", key=key)
