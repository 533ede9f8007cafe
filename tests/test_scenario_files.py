"""What a scenario's author is told when something is wrong: everything at once, each with its place."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from muddled_orchard.core.problems import BadInput
from muddled_orchard.files.scenario_file import load_scenario
from tests.conftest import muddled
from tests.scenarios import CHAIN

# What is changed in a good scenario, and the beginnings of the lines that are said: place, key, what.
WRONG: dict[str, tuple[list[tuple[str, str]], list[str]]] = {
    "a misspelt key": (
        [('bring = "east"', 'brings = "east"')],
        ['60: task[1].brings: "brings" is no key here|Did you mean "bring"?'],
    ),
    "a misspelt key deep inside": (
        [('find = "north: 3", put = "north: 4"', 'fnd = "north: 3", put = "north: 4"')],
        ['36: story[2].change[1].fnd: "fnd" is no key here|Did you mean "find"?'],
    ),
    "a misspelt key and a misspelt word": (
        [('bring = "east"', 'brings = "east"'), ('keep = ["theirs"]', 'keep = ["thiers"]')],
        ["60: task[1].brings", '70: answer[1].keep[1]: "thiers" is no choice|Did you mean "theirs"?'],
    ),
    "other shapes": (
        [('title = "Notes on the hives"', "title = 3"), ("starts = 2031-05-01T08:00:00+02:00", 'starts = "spring"'),
         ('remove = ["old.txt"]', 'remove = "old.txt"')],
        ["3: title: expected text in quotes, found 3", "5: starts: expected a time as in",
         "37: story[2].remove: expected a list in square brackets"],
    ),
    "a missing key is explained": ([('title = "Notes on the hives"\n', "")], ['title: "title" is missing|It says: the exercise']),
    "an unknown author, branch and file": (
        [('on = "west"\nfrom = "main"\nby = "tobias"', 'on = "west"\nfrom = "mian"\nby = "tobia"'),
         ('bring = "west"', 'bring = "wset"')],
        ['41: story[3].from: there is no branch "mian" yet|Did you mean "main"?',
         '42: story[3].by: "tobia" is not in the cast|Did you mean "tobias"?',
         '65: task[2].bring: there is no branch "wset"|Did you mean "west"?'],
    ),
    "a text that does not occur once": (
        [('find = "north: 3", put = "north: 4"', 'find = "o", put = "O"'), ('after = "kept for reference"', 'after = "kept"')],
        ["36: story[2].change[1].find: find occurs 5 times in notes.txt", "54: story[4].change[3].after: after does not occur as a whole line"],
    ),
    "a branch from nowhere": ([('on = "east"\nfrom = "main"', 'on = "east"')], ['31: story[2].on: the branch "east" is new here']),
    "an answer that does not fit": (
        [('keep = ["theirs"]', 'keep = ["thiers"]'), ("task = 2\nfile", "task = 3\nfile")],
        ['70: answer[1].keep[1]: "thiers" is no choice|Did you mean "theirs"?', "79: answer[3].task: there is no task 3"],
    ),
    "two ways at once": ([("gone = true", 'gone = true\ntext = "x"')], ["73: answer[2]: expected exactly one of keep, text, side and gone"]),
    "paths that leave": (
        [('"old.txt" = "kept', '"../old.txt" = "kept'), ('"swarm.txt" = "call Tobias', '".git/config" = "call Tobias')],
        ["27: story[1].write.../old.txt", "28: story[1].write..git/config"],
    ),
    "a pattern and points": (
        [('has = "Maren"', 'matches = "("\n[points]\nmarker = 3')],
        ["86: rule[1].matches: this is no regular expression", '88: points.marker: "marker" is no criterion|Did you mean "markers"?'],
    ),
    "no TOML": ([('title = "Notes', 'title = Notes')], ["3: this is no valid TOML"]),
    "a value that nobody gives": ([('message = "Lose some hives"', 'message = "Lose @{count} hives"')], ['story[4].message: no value is named "count"']),
}  # fmt: skip


@pytest.mark.parametrize("name", WRONG)
def test_problems_have_their_place(name: str, scenario_file: Callable[[str], Path]) -> None:
    edits, expected = WRONG[name]
    text = CHAIN
    for find, put in edits:
        assert text.count(find) >= 1, find
        text = text.replace(find, put, 1)
    path = scenario_file(text)
    with pytest.raises(BadInput) as raised:
        load_scenario(path)
    said = str(raised.value)
    for line in expected:
        what, _, hint = line.partition("|")
        assert what in said
        assert hint in said
    assert len(raised.value.problems) <= len(expected) + 2, said
    assert all(str(problem).startswith(str(path)) for problem in raised.value.problems)


def test_the_program_says_the_same_and_leaves_with_2(
    scenario_file: Callable[[str], Path], tmp_path: Path
) -> None:
    path = scenario_file(CHAIN.replace('do = "merge"', 'do = "merg"'))
    said = muddled("plant", path, tmp_path / "x", code=2).stderr
    assert said.count('"stash-pop", found "merg"') == 2
    assert not (tmp_path / "x").exists()


def test_too_few_words_for_the_hunks(scenario_file: Callable[[str], Path], tmp_path: Path) -> None:
    path = scenario_file(CHAIN.replace('keep = ["theirs"]', 'keep = ["theirs", "ours"]'))
    said = muddled("plant", path, tmp_path / "x", code=2).stderr
    assert "70: answer[1].keep: keep has 2 words, but notes.txt conflicts in 1 hunk" in said


def test_a_good_file_is_plain_data(scenario_file: Callable[[str], Path]) -> None:
    scenario = load_scenario(scenario_file(CHAIN))
    assert [task.bring for task in scenario.task] == ["east", "west"]
    assert scenario.story[1].from_ == "main"
    assert scenario.weight("resolution") == 6
    assert hash(scenario.task) == hash(load_scenario(scenario_file(CHAIN)).task)
