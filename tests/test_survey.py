"""Survey, catalogue and sketch: what an instructor sees before anybody works on a scenario."""

from __future__ import annotations

import html
import json
import re
import tomllib
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from muddled_orchard.files.scenarios.bundled import BUNDLED, bundled_ids
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.scenarios.scenario_file import scenario_schema
from muddled_orchard.files.scenarios.sketches import SKETCHES, sketch_kinds
from muddled_orchard.rehearsal import proving
from muddled_orchard.system.workers import Machines
from muddled_orchard.vcs.carrying_out import TaskRunner
from tests.conftest import muddled, shell
from tests.scenarios import CHAIN

SCHEMA_FILE = BUNDLED.parent / "scenario.schema.json"


def surveyed(*arguments: str | Path, code: int = 0) -> dict[str, Any]:
    return dict(json.loads(muddled("survey", *arguments, "--json", code=code).stdout))


def test_a_merge_is_shown_with_its_sides_and_its_key() -> None:
    said = muddled("survey", "press-limit").stdout
    for words in ("Difficulty: easy", "(HEAD -> main) Wash pears twice like apples, Maren Quill", "merge night-shift into main", "ours (main)",
                  "theirs (night-shift)", "limit = 48", "accepted: theirs", "After a right solution", "covers the conflict"):  # fmt: skip
        assert words in said
    (found,) = surveyed("press-limit")["surveys"]
    (conflict,) = found["tasks"][0]["steps"][0]["conflicts"]
    assert (conflict["file"], conflict["kind"], conflict["accepted"]) == (
        "press.toml",
        "contents",
        [["theirs"]],
    )
    assert conflict["hunks"] == [
        {"hunk": 1, "base": "limit = 48\n", "ours": "limit = 55\n", "theirs": "limit = 45\n"}
    ]


def test_a_rebase_is_shown_step_by_step_with_its_sides_swapped() -> None:
    said = " ".join(muddled("survey", "rebase-four").stdout.split())
    for words in (
        '"Suvi helps" (helper): no conflict',
        "ours and theirs are swapped",
        "The key covers both conflicts.",
    ):
        assert words in said
    assert 'the commit "Mend the spelling" becomes empty' in " ".join(
        muddled("survey", "rebase-empty").stdout.split()
    )
    (found,) = surveyed("rebase-four")["surveys"]
    steps = found["tasks"][0]["steps"]
    assert [(step["label"], len(step["conflicts"])) for step in steps] == [
        ("helper", 0),
        ("size", 1),
        ("crates", 1),
        ("when", 0),
    ]


def test_what_is_not_covered_or_not_there_is_an_error(tmp_path: Path) -> None:
    first = CHAIN.index("[[answer]]\ntask = 1")
    second = CHAIN.index("[[answer]]\ntask = 1", first + 1)
    (tmp_path / "uncovered.toml").write_text(CHAIN[:first] + CHAIN[second:])
    done = muddled("survey", tmp_path / "uncovered.toml", code=1, more={"COLUMNS": "250"})
    said = " ".join(done.stdout.split())
    assert "uncovered.toml: the key has no answer for notes.txt, which conflicts in task 1 (contents)" in said
    wrong = CHAIN.replace('file = "old.txt"\ngone', 'file = "swarm.txt"\ngone').replace("hive-notes", "wrong")
    (tmp_path / "wrong.toml").write_text(wrong)
    (tmp_path / "broken.toml").write_text(CHAIN.replace('bring = "west"', 'bring = "wset"'))
    done = muddled("survey", tmp_path, code=1)
    assert "wrong.toml:75: answer[2].file: swarm.txt does not conflict in task 1" in done.stderr
    assert 'broken.toml:65: task[2].bring: there is no branch "wset"' in done.stderr
    assert "the key has no answer for notes.txt" in done.stderr
    assert "errors, see below" in done.stdout
    assert surveyed(f"{tmp_path}/*.toml", code=1) == surveyed(tmp_path, code=1)
    result = surveyed(tmp_path, code=1)
    assert len(result["surveys"]) == 1
    assert {problem["line"] for problem in result["problems"]} == {75, 65}


def test_what_is_wanted_beyond_the_hunks_is_shown(tmp_path: Path) -> None:
    for id_, told in (
        ("gone-price-list", ["prices.csv merges cleanly and is to be changed all the same:", "+honey,7.80,jar", "-honey,6.90,jar"]),
        ("quiet-breakage", ['✓ scale.py lacks "weight("', "✓ scale.py is well-formed Python", "The key says what scale.py should be"]),
        ("there-and-back", ["It could be a fast-forward, and a merge commit is asked for."]),
        ("squash-the-notes", ["○    (HEAD -> main) Squashed: Merge branch 'cloths', the learner"]),
        ("json-comma", ['        {"name": "medlars", "price": 3.10}']),
    ):  # fmt: skip
        said = muddled("survey", id_).stdout
        assert [line for line in told if line not in said] == []
    three = CHAIN.replace(
        'keep = ["theirs"]', 'text = """\nHives\n=======\nnorth: 4\n\none\nTWO\nthree\nfour\nsouth: 6\n"""'
    )
    (tmp_path / "beyond.toml").write_text(three)
    said = muddled("survey", tmp_path / "beyond.toml").stdout
    assert "and beyond the hunks:" in said
    assert "-two\n      +TWO\n" in said


def test_the_graph_can_be_drawn(tmp_path: Path) -> None:
    for name in ("graph.png", "graph.svg"):
        assert muddled("survey", "rebase-four", "--quiet", "--picture", tmp_path / name).stdout == ""
    assert (tmp_path / "graph.png").read_bytes().startswith(b"\x89PNG")
    drawn = (tmp_path / "graph.svg").read_text("utf-8")
    assert "</svg>" in drawn
    again = tmp_path / "again.svg"
    muddled("survey", "rebase-four", "--quiet", "--picture", again)
    assert again.read_text("utf-8") == drawn, "the same scenario makes the same picture"
    for arguments, says in (
        (["rebase-four", "--picture", "graph.gif"], "no name for a picture"),
        (["rebase-four", "press-limit", "--picture", "graph.png"], "one picture for 2 scenarios"),
        (["rebase-four", "--picture", "/proc/nowhere/graph.png"], "there is no folder"),
    ):
        done = muddled("survey", "--quiet", *arguments, folder=tmp_path, code=2)
        assert says in done.stderr
        assert len(done.stderr.splitlines()) <= 3
    assert sorted(path.name for path in tmp_path.iterdir()) == ["again.svg", "graph.png", "graph.svg"]


def test_the_page_has_what_a_real_git_writes_in_each_style(tmp_path: Path) -> None:
    for id_, begin in (("three-knots", "git merge night-shift"), ("rebase-one", "git rebase main")):
        muddled("survey", id_, "--quiet", "--page", tmp_path / "page.html")
        page = html.unescape(re.sub(r"<[^>]+>", "", (tmp_path / "page.html").read_text("utf-8")))
        for style in ("merge", "diff3", "zdiff3"):
            muddled("plant", id_, tmp_path / f"{id_}-{style}", "--quiet")
            work = tmp_path / f"{id_}-{style}/work"
            shell(work, f"git config merge.conflictStyle {style}; {begin} || true")
            (path,) = shell(work, "git diff --name-only --diff-filter=U").split()
            text = (work / path).read_text("utf-8")
            for conflict in re.findall(r"(?ms)^<<<<<<< .*?^>>>>>>> [^\n]*", text):
                assert conflict in page, (style, conflict)


def test_the_page_without_the_key_has_nothing_of_it(tmp_path: Path) -> None:
    for id_ in ("press-limit", "frost-table", "kept-recipe", "quiet-breakage", "five-in-a-rebase"):
        whole, without = (tmp_path / name for name in ("whole.html", "without.html"))
        muddled("survey", id_, "--quiet", "--page", whole)
        muddled("survey", id_, "--quiet", "--page", without, "--without-key")
        text = (BUNDLED / f"{id_}.toml").read_text("utf-8")
        whys = [" ".join(why.split())[:40] for why in re.findall(r'(?m)^why = "([^"]{12,})', text)]
        with_key, left = (
            " ".join(html.unescape(page.read_text("utf-8")).split()) for page in (whole, without)
        )
        if id_ != "quiet-breakage":
            assert [why for why in whys if why in with_key]
        assert not [why for why in whys if why in left]
        assert "accepted" not in left
        assert 'class="key"' not in left
        assert len(left) < len(with_key)


def test_two_ways_to_the_same_files_are_compared() -> None:
    said = muddled("survey", "early-merges", "late-merge").stdout
    rows = {row[0].strip(): row[1:] for row in re.findall(r"(?m)^  ([a-z][^0-9]*?) +(\S+(?: \(\d+\))?) +(\S+(?: \(\d+\))?)$", said)}  # fmt: skip
    assert rows["times that Git stops"] == ("3", "1")
    assert rows["lines in conflict"] == ("6", "6")
    assert rows["lines at once, at most"] == ("2", "6")
    assert rows["difficulty of the hardest task"] == ("medium (5)", "medium (7)")
    assert "early-merges stops more often, and has less in conflict at once" in " ".join(said.split())
    other = muddled("survey", "late-merge", "early-merges").stdout
    assert "early-merges stops more often" in " ".join(other.split()), "whichever is named first"
    assert "two ways" not in muddled("survey", "press-limit", "late-merge").stdout
    for arguments, says in (
        (["press-limit", "--without-key"], "goes with --page"),
        (["press-limit", "--page", "-", "--json"], "only one thing"),
        (["press-limit", "--page", "/proc/nowhere/x.html"], "there is no folder"),
    ):
        assert says in muddled("survey", *arguments, code=2).stderr


def test_a_picture_needs_matplotlib_only_as_png(tmp_path: Path) -> None:
    (tmp_path / "matplotlib.py").write_text("raise ModuleNotFoundError('matplotlib')\n", "utf-8")
    more = {"PYTHONPATH": str(tmp_path)}
    muddled("survey", "press-limit", "--quiet", "--picture", tmp_path / "graph.svg", more=more)
    done = muddled("survey", "press-limit", "--quiet", "--picture", tmp_path / "x.png", more=more, code=2)
    assert "pip install 'muddled-orchard[png]'" in done.stderr
    assert not (tmp_path / "x.png").exists()
    root = ET.fromstring((tmp_path / "graph.svg").read_text("utf-8"))  # noqa: S314 - it is our own
    said = "".join(root.itertext())
    assert all(words in said for words in ("Two limits for one press", "night-shift", "Maren Quill"))


def test_a_control_is_said_to_be_one() -> None:
    assert "is a fast-forward: the branches have not diverged" in muddled("survey", "just-forward").stdout
    assert "does not conflict" in muddled("survey", "same-change").stdout


def test_the_catalogue_can_be_filtered_and_sorted() -> None:
    everything = json.loads(muddled("catalogue", "--json").stdout)["scenarios"]
    assert {one["id"] for one in everything} == set(bundled_ids())
    points = [one["difficulty"]["points"] for one in everything]
    assert points == sorted(points)
    assert {one["difficulty"]["level"] for one in everything} == {"none", "easy", "medium", "hard"}
    for one in everything:
        assert one["difficulty"]["points"] == sum(reason["points"] for reason in one["difficulty"]["reasons"])
    rebases = json.loads(muddled("catalogue", "--operation", "rebase", "--json").stdout)["scenarios"]
    assert rebases == [one for one in everything if "rebase" in one["operations"]]
    assert len(rebases) > 3
    gone = json.loads(muddled("catalogue", "--kind", "modify/delete", "--sort", "id", "--json").stdout)[
        "scenarios"
    ]
    assert [one["id"] for one in gone] == sorted(
        one["id"] for one in everything if "modify/delete" in one["kinds"]
    )
    assert f"3 of {len(everything)} scenarios." in muddled("catalogue", "--difficulty", "none").stdout


@pytest.mark.parametrize("kind", sketch_kinds())
def test_every_sketch_is_valid_and_plantable_as_it_stands(kind: str, tmp_path: Path) -> None:
    assert muddled("sketch", kind, "my-own.toml", folder=tmp_path).stdout.startswith("Wrote my-own.toml")
    (found,) = surveyed(tmp_path / "my-own.toml")["surveys"]
    assert (found["id"], found["errors"]) == ("my-own", [])
    muddled("plant", "my-own.toml", "practice", "--variant", "x1", folder=tmp_path)
    assert shell(tmp_path / "practice/work", "git fsck --strict --no-dangling 2>&1") == ""


def test_a_sketch_never_overwrites_and_a_bundled_scenario_can_be_copied(tmp_path: Path) -> None:
    muddled("sketch", "press-limit", "mine.toml", folder=tmp_path)
    before = (tmp_path / "mine.toml").read_text()
    assert 'id = "mine"' in before
    assert "exists already" in muddled("sketch", "rebase", "mine.toml", folder=tmp_path, code=2).stderr
    assert (tmp_path / "mine.toml").read_text() == before
    assert 'Did you mean "rebase"?' in muddled("sketch", "rebsae", "x.toml", folder=tmp_path, code=2).stderr
    assert "same-line" in muddled("sketch").stdout


@pytest.mark.parametrize("operation", ["merge", "rebase"])
@pytest.mark.parametrize("beside", [True, False])
def test_a_scenario_from_trees(operation: str, beside: bool, tmp_path: Path) -> None:
    trees = tmp_path / ("course/trees" if beside else "elsewhere")
    (tmp_path / "course").mkdir()
    shell(tmp_path, f"mkdir -p {trees}/base/sub {trees}/ours/sub {trees}/theirs/sub {trees}/wanted/sub")
    for name, text in (
        ("base", "a\nb\nc\n"),
        ("ours", "a\nb1\nc\n"),
        ("theirs", "a\nb2\nc\n"),
        ("wanted", "a\nb12\nc\n"),
    ):
        (trees / name / "sub/file.txt").write_text(text)
        (trees / name / "run.sh").write_text("#!/bin/sh\n")
        (trees / name / "run.sh").chmod(0o755)
    (trees / "base/gone.txt").write_text("x\n")
    (trees / "theirs/gone.txt").write_text("y\n")
    file = tmp_path / "course/of-mine.toml"
    muddled("sketch", operation, file, "--from", trees)
    (found,) = surveyed(file)["surveys"]
    assert (found["errors"], found["operations"]) == ([], [operation])
    conflicts = [c for step in found["tasks"][0]["steps"] for c in step["conflicts"]]
    assert {c["file"]: c["accepted"] for c in conflicts} == {
        "gone.txt": [["gone"]],
        "sub/file.txt": [["as written in the key"]],
    }
    muddled("plant", file, tmp_path / "practice")
    assert shell(tmp_path / "practice/work", "git ls-files -s run.sh").startswith("100755")
    shutil_left = sorted(path.name for path in (tmp_path / "course").iterdir())
    assert shutil_left == (["of-mine.toml", "trees"] if beside else ["of-mine", "of-mine.toml"])
    assert (
        "no folder base"
        in muddled("sketch", operation, tmp_path / "x.toml", "--from", tmp_path, code=2).stderr
    )


def test_the_schema_is_that_of_the_model_and_takes_every_bundled_scenario() -> None:
    schema = json.loads(SCHEMA_FILE.read_text("utf-8"))
    assert schema == json.loads(json.dumps(scenario_schema())), "make it anew with scripts/schema"
    validator = jsonschema.validators.validator_for(schema)(
        schema
    )  # the schema itself is checked below, once
    for path in [*BUNDLED.glob("*.toml"), *SKETCHES.glob("*.toml")]:
        validator.validate(json.loads(json.dumps(tomllib.loads(path.read_text("utf-8")), default=str)))
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"format": 1, "bried": ""}, schema)
    described = [prop for name, prop in schema["properties"].items() if name != "start"]
    described += [*schema["$defs"]["Entry"]["properties"].values()]
    assert all(prop.get("description") for prop in described)


OTHERWISE = """
[[rule]]
file = "press.txt"
has = "ours"
[[story]]
on = "main"
write = { "press.txt" = "base\\n" }
[[story]]
on = "other"
from = "main"
write = { "press.txt" = "theirs\\n" }
[[story]]
on = "main"
write = { "press.txt" = "ours\\n" }
[[task]]
do = "merge"
on = "main"
bring = "other"
[[answer]]
file = "press.txt"
keep = [["ours", { keep = "ours+theirs", worth = 0.5 }, %s]]
"""


def test_a_key_is_proved_by_carrying_it_out(tmp_path: Path) -> None:
    (tmp_path / "one.toml").write_text(OTHERWISE % '"theirs+ours"')
    said = " ".join(muddled("survey", tmp_path / "one.toml").stdout.split())
    assert "the solution earns 26 of 26 points, and nothing is left to do. 2 other accepted ways earn what they are worth." in said  # fmt: skip
    assert surveyed(tmp_path / "one.toml")["surveys"][0]["proof"] == {"earned": 26, "possible": 26, "ways": 2}
    assert "Proved" not in muddled("survey", tmp_path / "one.toml", "--quick").stdout
    assert "Proved: 2 of 2 keys" in muddled("survey", tmp_path / "one.toml", "press-limit").stdout


def test_what_is_accepted_and_breaks_a_rule_is_no_proof(tmp_path: Path) -> None:
    (tmp_path / "one.toml").write_text(OTHERWISE % '"theirs"')
    said = muddled("survey", tmp_path / "one.toml", "--quiet", code=1).stderr
    assert 'one.toml:19: answer[1]: the key accepts "theirs" in press.txt, which costs something else: rules: press.txt: "ours" is missing' in said  # fmt: skip
    assert "Mend the rule, or the answer." in said


IN_A_ROW = """
story = [
    { on = "main", write = { "a.txt" = "1\\n", "b.txt" = "1\\n" }, label = "begin", message = "Begin", publish = ["main"] },
    { on = "night", from = "main", write = { "a.txt" = "2\\n" }, label = "two", message = "Two" },
    { on = "night", write = { "c.txt" = "1\\n" }, label = "three", message = "Three" },
    { on = "late", from = "night", write = { "d.txt" = "1\\n" }, label = "late", message = "Late" },
    { on = "late", write = { "f.txt" = "1\\n" }, label = "more", message = "More" },
    { on = "main", write = { "b.txt" = "2\\n" }, label = "four", message = "Four" },
    { on = "origin/main", write = { "e.txt" = "1\\n" }, message = "Elsewhere" },
]
"""
# Tasks that nothing could be seen of, or that are in each other's way, each with what is said of it.
UNSEEN = (
    ('{ do = "merge", on = "late", bring = "night" }', "leaves nothing new: it is there already"),
    ('{ do = "merge", on = "night", bring = "late", message = "own" }', "only moves the branch on, so no commit of it could say anything"),
    ('{ do = "cherry-pick", on = "main", pick = ["two", "three"], message = "own" }', "Git makes the 2 commits of task 1"),
    ('{ do = "merge", on = "main", bring = "night", push = true }', "is refused: origin has what main lacks"),
    ('{ do = "reset", on = "main", to = "begin" }', "throws away the work that was handed out there"),
    ('{ do = "rebase", on = "main", onto = "night", message = "own" }', "replays a commit of the work that was handed out there, too"),
    ('{ do = "rebase", on = "main", onto = "night", todo = ["pick four"] }', "has no place for the work that was handed out there"),
    ('{ do = "merge", on = "main", bring = "night" }, { do = "revert", on = "main", undo = "two" }, { do = "cherry-pick", on = "main", pick = ["two"] }', '"Two" is in main already when it comes to that'),
    ('{ do = "cherry-pick", on = "main", pick = ["two"] }, { do = "cherry-pick", on = "main", pick = ["three", "two"] }', "nothing tells what task 2 (cherry-pick three and two onto main) makes from what task 1 makes"),
    ('{ do = "cherry-pick", on = "night", pick = ["late"] }, { do = "merge", on = "main", bring = "night" }, { do = "cherry-pick", on = "main", pick = ["late", "more"] }', "nothing tells what task 3 (cherry-pick late and more onto main) makes from what task 1 makes"),
    ('{ do = "reset", on = "night", to = "begin" }, { do = "merge", on = "night", bring = "late" }', "a later task brings back what task 1"),
    ('{ do = "merge", on = "main", bring = "night", squash = true }, { do = "revert", on = "main", undo = "four", message = "own" }', "from the squashed one on that branch"),
    ('{ do = "cherry-pick", on = "night", pick = ["four"] }, { do = "rebase", on = "night", onto = "main" }', "replays that branch, so what task 1 left there can't be seen any more"),
    ('{ do = "cherry-pick", on = "night", pick = ["four"] }, { do = "reset", on = "night", to = "two" }', "sets that branch back, so what task 1 left there"),
)  # fmt: skip


@pytest.mark.parametrize(("tasks", "says"), UNSEEN)
def test_tasks_of_which_nothing_could_be_seen_are_errors(tasks: str, says: str, tmp_path: Path) -> None:
    work = 'start.write = { "b.txt" = "mine\\n" }' if "work" in says else ""
    (tmp_path / "one.toml").write_text(f"{work}\n{IN_A_ROW}task = [{tasks}]\n")
    assert says in " ".join(muddled("survey", tmp_path / "one.toml", "--quiet", code=1).stderr.split())


def test_a_squash_of_which_nothing_is_left_is_told(tmp_path: Path) -> None:
    squashed = OTHERWISE.replace('bring = "other"', 'bring = "other"\nsquash = true').partition("keep")[0]
    (tmp_path / "one.toml").write_text(squashed + 'keep = [["theirs+ours", "ours"]]')
    said = muddled("survey", tmp_path / "one.toml", "--quiet", code=1).stderr
    assert 'the key accepts "ours" in press.txt: then nothing is left of "other"' in said


def test_a_proof_is_remembered_for_the_same_file(tmp_path: Path) -> None:
    more = {"XDG_CACHE_HOME": str(tmp_path / "cache")}
    (tmp_path / "one.toml").write_text(OTHERWISE % '"theirs+ours"')
    muddled("survey", tmp_path / "one.toml", more=more)
    memory = tmp_path / "cache/muddled/proved.json"
    memory.write_text(memory.read_text().replace("26.0", "25.0"))
    assert "earns 25 of 25" in muddled("survey", tmp_path / "one.toml", more=more).stdout
    (tmp_path / "one.toml").write_text(OTHERWISE % '"theirs+ours"' + "why = 'other'\n")
    assert "earns 26 of 26" in muddled("survey", tmp_path / "one.toml", more=more).stdout
    memory.write_text("{")
    assert "earns 26 of 26" in muddled("survey", tmp_path / "one.toml", more=more).stdout


def test_a_solution_that_does_not_earn_all_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(proving, "solve", lambda session, step: session.keep_side(step, "ours"))
    scenario = ScenarioLibrary().find("press-limit")
    assert scenario is not None
    (proof,) = proving.prove([scenario], "0", Machines(1))
    (fault,) = proof.faults
    assert fault.what.startswith(
        "the key's own solution earns 12 of 26 points: resolution: press.toml, line 12: ours"
    )
    assert "likely a fault of Muddled Orchard" in fault.hint


def test_a_task_that_git_refuses_is_told_with_its_answer(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(TaskRunner, "complete", lambda *_: None)
    scenario = ScenarioLibrary().find("rebase-one")
    assert scenario is not None
    (proof,) = proving.prove([scenario], "0", Machines(1))
    assert "Git's last answer:" in proof.faults[0].what
    assert any("peek still says" in fault.what for fault in proof.faults)
