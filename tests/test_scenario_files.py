"""What a scenario's author is told when something is wrong: everything at once, each with its place."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from msgspec.structs import replace

from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.grading.criteria import CRITERIA, weight_of
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.scenarios.scenario_file import load_scenario
from tests.conftest import muddled
from tests.scenarios import CHAIN

# What is changed in a good scenario, and the beginnings of the lines that are said: place, key, what.
WRONG: dict[str, tuple[list[tuple[str, str]], list[str]]] = {
    "worth, weights and rules of answers": (
        [('keep = ["theirs"]', 'worth = 2\nkeep = ["theirs"]'), ("gone = true", "gone = true\nweight = 0")],
        ["67: answer[1]: worth is a share from 0 to 1, not 2", "answer[2]: a weight is above 0 and at most 1000, not 0"],
    ),
    "shapes of keep": (
        [('keep = ["theirs"]', 'keep = [{ tekst = "x" }]'), ("keep = [{ text", "keep = [3, { text")],
        ['answer[1].keep[1].tekst: "tekst" is no key here|Did you mean "text"?', "answer[3].keep[1]: expected a word, a list of words, or a table"],
    ),
    "a change without keep, a pattern": (
        [('keep = ["theirs"]', 'keep = [{ matches = "(", text = "x" }]\nchange = [{ find = "", put = "x" }]')],
        ["answer[1].change[1]: find is empty"],
    ),
    "a pattern in an answer": ([('keep = ["theirs"]', 'keep = [{ matches = "(", text = "x" }]')], ["answer[1].keep[1].matches: this is no regular expression"]),
    "messages": ([('bring = "east"', 'bring = "east"\nmessage = "mine"'), ('bring = "west"', 'bring = "west"\nmessage = { hat = "x" }')],
                 ['task[1].message: expected "proposed" or "own", found "mine"', 'task[2].message.hat: "hat" is no key here|Did you mean "has"?']),
    "a message without an example": ([('bring = "east"', 'bring = "east"\nmessage = { matches = "^x" }')], ["task[1].message: the example", "|Add text = an example"]),
    "what is asked of a task that is given up": (
        [('bring = "east"', 'bring = "east"\nabort = true\nmessage = "own"'), ("task = 2\nfile", "task = 1\nfile")],
        ["task[1].message: message asks for more of what is to be given up", "answer[3].task: task 1 is to be given up, so no answer is wanted there"],
    ),
    "a reset, a part of a rebase and a list": (
        [('do = "merge"\non = "main"\nbring = "east"', 'do = "reset"\non = "main"\nto = "north"'),
         ('do = "merge"\non = "main"\nbring = "west"', 'do = "rebase"\non = "west"\nonto = "main"\nsince = "nort"\ntodo = ["pik north"]')],
        ['task[1].to: the commit "north" is not in main', 'task[2].since: no commit is labelled "nort"|Did you mean "north"?', 'task[2].todo[1]: "pik" is no word of such a list|Did you mean "pick"?',
         'task[2].todo: the list misses a commit: "Count the south hives anew", which has no label'],
    ),
    "patches and parents": (
        [('do = "merge"\non = "main"\nbring = "east"', 'do = "am"\non = "main"\npatches = ["nort"]'), ('do = "merge"\non = "main"\nbring = "west"', 'do = "revert"\non = "main"\nundo = "north"\nparent = 1')],
        ['task[1].patches[1]: no commit is labelled "nort"', 'task[2].parent: the commit "north" has 1 parent'],
    ),
    "work and commands": (
        [('[[task]]\ndo = "merge"\non = "main"\nbring = "east"', '[start]\nstopped = true\nwrite = { "swarm.txt" = "call Tobias\\n", "a:b" = "x" }\n[[task]]\ndo = "merge"\non = "main"\nbring = "east"'),
         ('file = "swarm.txt"\nhas = "Maren"', "runs = \"python3 'x\"\nseconds = 90")],
        ["rule[1]: seconds is above 0 and at most 60, not 90", "start.stopped: work that is not committed goes with an operation that is not begun", "start.write.swarm.txt: swarm.txt is committed like that on main already", "start.write.a:b"],
    ),
    "what is not supported": (
        [('do = "merge"\non = "main"\nbring = "east"', 'do = "subtree"\non = "main"\nbring = "east"'), ('bring = "west"', 'bring = ["east", "west"]')],
        ["task[1].do: subtrees are not supported", "task[2].bring: a merge of several branches at once (octopus) is not supported|Ask for them one after the other"],
    ),
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
    "a missing key is explained": (
        [('do = "merge"\non = "main"\nbring = "east"', 'on = "main"\nbring = "east"')], ['task[1].do: "do" is missing|It says: the operation'],
    ),
    "an empty one": ([('title = "Notes on the hives"', 'title = " "'), ('message = "Lose some hives"', 'message = ""')],
                     ["3: title: the title is empty", "story[4].message: message is empty"]),
    "keys, story and points at once": (
        [('find = "north: 3", put = "north: 4"', 'find = "nrth", put = "x"'), ("keep = [{ text", "keap = [{ text"),
         ('has = "Maren"', 'has = "Maren"\n[points]\nrules = "none"')],
        ["36: story[2].change[1].find: find does not occur", "81: answer[3].keap|Did you mean", "88: points.rules: expected a number"],
    ),
    "nothing of a broken story's consequences": (
        [('"swarm.txt" = "call Tobias\\n"', '"swarm.txt" = 3'), ('bring = "west"', 'bring = "wset"')], ["28: story[1].write.swarm.txt: expected text in quotes"],
    ),
    "names that other systems don't have": (
        [('"old.txt" = "kept', '"aux.txt" = "a"\n"a:b" = "a"\n"end." = "a"\n"Notes.txt" = "a"\n"old.txt" = "kept')],
        ['story[1].write.aux.txt: "aux.txt" is no path for a file here: Windows has no file', 'names with ":"', "end with a dot or a blank",
         'can\'t stand beside "notes.txt"|upper and lower case'],
    ),
    "files in the way": (
        [('remove = ["old.txt"]', 'rename = { "old.txt" = "swarm.txt" }\nwrite = { "notes.txt/x" = "a" }')],
        ['story[2].rename.old.txt: there is a file "swarm.txt" by then', 'story[2].write.notes.txt/x: "notes.txt/x" is no path for a file here: "notes.txt" is a file'],
    ),
    "branches": (
        [('on = "west"\nfrom', 'on = "main/x"\nfrom'), ('bring = "west"', 'bring = "main/x"\ndelete = "main"')],
        ['40: story[3].on: there can be no branch "main/x" beside "main"', 'task[2].delete: the branch "main" can\'t be deleted: it receives'],
    ),
    "a time that Git doesn't have": ([("2031-05-01", "1969-05-01")], ["5: starts: Git has no dates before 1970"]),
    "no points": ([('has = "Maren"', 'has = "Maren"\n[points]\n' + "\n".join(f"{name} = 0" for name in CRITERIA))], ["points: all points are 0"]),
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
    "a number without end": ([("format = 1", f"format = 1\nminutes = {'1' * 5000}")], ["2: a number is too long|Shorten it"]),
    "a number in base 16 without end": ([("format = 1", f"format = 1\nminutes = 0x{'f' * 9000}")], ["2: minutes: a number is too long|Shorten it"]),
    "a key of thousands of parts": ([("format = 1", f"format = 1\na{'.a' * 20000} = 1")], ["2: lists or tables are nested too deeply"]),
    "a key of forty parts": ([("format = 1", f"format = 1\na{'.a' * 40} = 1")], ["2: lists or tables are nested too deeply"]),
    "too many of a list": ([("format = 1", 'format = 1\nstart = [' + '{label = "a"},' * 51 + "]")], ["2: start: there are 51 of them, and the most is 50|Make several exercises of it."]),
    "a file of 5 MB": ([("format = 1", f"format = 1 # {'x' * 5_000_000}")], ["it is larger than the 4 MiB that such a file may have"]),
    "lists without end": ([("format = 1", f"format = 1\nx = {'[' * 3000}{']' * 3000}")], ["2: lists or tables are nested too deeply"]),
    "no TOML": ([('title = "Notes', 'title = Notes')], ["3: this is no valid TOML: Invalid value|Text stands between straight quotes"]),
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
    assert said.count('found "merg"') == 2
    assert not (tmp_path / "x").exists()


def test_too_few_words_for_the_hunks(scenario_file: Callable[[str], Path], tmp_path: Path) -> None:
    path = scenario_file(CHAIN.replace('keep = ["theirs"]', 'keep = ["theirs", "ours"]'))
    said = muddled("plant", path, tmp_path / "x", code=2).stderr
    assert "70: answer[1].keep: keep has 2 words, but notes.txt conflicts in 1 hunk" in said


def test_a_good_file_is_plain_data(scenario_file: Callable[[str], Path]) -> None:
    scenario = load_scenario(scenario_file(CHAIN))
    assert [task.source for task in scenario.task] == ["east", "west"]
    assert scenario.story[1].from_ == "main"
    assert weight_of(scenario, "resolution") == 14
    assert hash(scenario.task) == hash(load_scenario(scenario_file(CHAIN)).task)


def test_what_history_weighs_where_a_list_is_asked_for() -> None:
    """As much as the conflicts, unless the file gives it a weight of its own."""
    scenario = ScenarioLibrary().find("tidy-before-sharing")
    assert scenario is not None
    for points, weight in (
        ({}, 14),
        ({"resolution": 5}, 5),
        ({"resolution": 5, "history": 1}, 1),
        ({"history": 0}, 0),
    ):
        assert weight_of(replace(scenario, points=points), "history") == weight


def test_any_line_ends_and_a_byte_order_mark_are_read(
    scenario_file: Callable[[str], Path], tmp_path: Path
) -> None:
    plain = load_scenario(scenario_file(CHAIN))
    path = tmp_path / "scenario.toml"
    path.write_bytes(b"\xef\xbb\xbf" + CHAIN.replace("\n", "\r\n").replace(" = ", "\t=\t").encode())
    assert load_scenario(path).story[1:] == plain.story[1:]
    path.write_bytes(CHAIN.encode("utf-16"))
    with pytest.raises(BadInput, match="UTF-16"):
        load_scenario(path)
    path.write_bytes(CHAIN.replace("Notes on", "N\xf6tes on").encode("latin-1"))
    for command in (["survey"], ["rehearse"], ["plant"]):
        target = [tmp_path / "x"] if command == ["plant"] else []
        said = muddled(*command, path, *target, code=1 if command == ["survey"] else 2).stderr
        assert "scenario.toml:3: this is no UTF-8 text (byte 0xf6)" in said


def test_rules_markers_and_ids_are_checked_before_anybody_is_handed_anything(tmp_path: Path) -> None:
    chain = CHAIN.replace(
        'has = "Maren"',
        'has = "@{who}"\n[[rule]]\nfile = "nots.txt"\nhas = "x"\n[values]\nwho = { choose = ["Max", "Mar", "M"] }',
    )
    chain = chain.replace('text = "south: 13"', 'text = "<<<<<<< HEAD\\nsouth: 13"')
    (tmp_path / "press-limit.toml").write_text(chain.replace('"hive-notes"', '"press-limit"'), "utf-8")
    wide = {"COLUMNS": "250"}  # a folder of tests may have a long name
    said = " ".join(muddled("survey", tmp_path / "press-limit.toml", code=1, more=wide).stdout.split())
    for told in (
        'press-limit.toml:2: id: a bundled scenario has the id "press-limit"',
        'press-limit.toml:81: answer[3].keep[1].text: the answer has a conflict marker: "<<<<<<< HEAD"',
        'press-limit.toml:84: rule[1]: with who = "Max": the key\'s own solution breaks this rule: in swarm.txt "Max" is missing',
        "press-limit.toml:88: rule[2].file: this rule is for nots.txt, and the key's own solution has no such file Did you mean",
    ):
        assert told in said
    (tmp_path / "one.toml").write_text(CHAIN, "utf-8")
    (tmp_path / "two.toml").write_text(CHAIN, "utf-8")
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada\n", "utf-8")
    for command in (["survey"], ["handout", "--roster", "roster.csv", "--out", "out"]):
        done = muddled(*command, "one.toml", "two.toml", folder=tmp_path, code=2 - (command == ["survey"]))
        assert 'two.toml: id: the id "hive-notes" is also that of one.toml' in done.stderr
    assert 'Did you mean "one.toml"?' in muddled("plant", "one", "x", folder=tmp_path, code=2).stderr
