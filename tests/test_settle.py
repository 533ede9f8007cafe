"""A person's last word: what it changes, what it outlives, and how it is told."""

from __future__ import annotations

import json
import subprocess
import tempfile
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from muddled_orchard.commands.json_outputs import output_schema
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.grading.assessment import (
    Assessment,
    CriterionResult,
    HunkResult,
    met,
    partly,
    skipped,
)
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.core.grading.kinds.rules import NoRules
from muddled_orchard.core.grading.settling import (
    Settlement,
    about_of,
    conflict_names,
    in_force,
    settled,
    settled_things,
)
from muddled_orchard.core.grading.summary import got_it
from muddled_orchard.core.grading.verdicts import verdicts
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.bundled import BUNDLED
from tests.conftest import PROGRAM, graded, muddled, shell


def hunk(file: str, number: int | None, kept: str, worth: float, *, commit: str | None = None, weight: float = 1.0) -> HunkResult:  # fmt: skip
    outcome = "met" if worth == 1 else "partly" if worth else "missed"
    return HunkResult(task=1, commit=commit, file=file, hunk=number, kept=kept, accepted=("theirs",), outcome=outcome, worth=worth, weight=weight)  # type: ignore[arg-type]  # fmt: skip


# Four conflicts weigh 1, 1, 2 and 1 (the last was never met); right is the first alone, so 1 of 5.
HUNKS = (
    hunk("a.txt", 1, "theirs", 1.0),
    hunk("a.txt", 2, "ours", 0.0),
    hunk("b.txt", None, "base", 0.0, weight=2),
)
GRADED = Assessment(
    exercise="press", title="", variant="v", state="finished", hunks=HUNKS, unmet=1, conflicts_weight=5.0,
    doubts=(met(Said("odd")).findings),
    criteria=(
        CriterionResult(id="resolution", outcome=partly(Said("no"), 0.2), points=2, possible=10, weight=10),
        CriterionResult(id="tidy", outcome=met(Said("yes")), points=2, possible=2, weight=2),
        CriterionResult(id="rules", outcome=skipped(NoRules()), points=0, possible=0, weight=6),
    ),
)  # fmt: skip


def said(about: str, earned: float | None, *, work: str = "f") -> Settlement:
    return Settlement(learner="ada", exercise="press", work=work, about=about, earned=earned, by="maren", reason="why")  # fmt: skip


# Verdicts, what conflicts then earn, what all earns of 12 points, and what the percentage is.
CASES: dict[str, tuple[Sequence[Settlement], float, float]] = {
    "a conflict": ([said("a.txt:2@1", 1.0)], 0.4, 6),
    "half a conflict": ([said("b.txt@1", 0.5)], 0.4, 6),
    "one taken away": ([said("a.txt:1@1", 0.0)], 0.0, 2),
    "two conflicts": ([said("a.txt:2@1", 1.0), said("b.txt@1", 1.0)], 0.8, 10),
    "the criterion goes before its conflicts": ([said("resolution", 0.5), said("a.txt:2@1", 1.0)], 0.5, 7),
    "as graded": ([said("all", None)], 0.2, 4),
    "another criterion": ([said("tidy", 0.0)], 0.2, 2),
    "all of it": ([said("all", 0.75)], 0.2, 9),
    "all of it, and a part": ([said("all", 1.0), said("tidy", 0.0)], 0.2, 12),
}


@pytest.mark.parametrize("name", CASES)
def test_what_a_verdict_changes(name: str) -> None:
    given, share, points = CASES[name]
    found = settled(GRADED, given)
    assert found.criteria[0].outcome.share == pytest.approx(share)
    assert found.points == pytest.approx(points)
    assert found.percent == pytest.approx(round(100 * points / 12, 1))
    assert found.doubts == ()  # a person has looked
    assert verdicts(found).percent == found.percent
    assert got_it(found) == got_it(verdicts(found)) == (points == 12)
    for conflict, own_one in zip(found.hunks, HUNKS, strict=True):  # the grader's own stands beside it
        assert conflict.settled is None or conflict.settled.verdict == own_one.outcome
    for criterion, own in zip(found.criteria, GRADED.criteria, strict=True):
        assert criterion.settled is None or criterion.settled.verdict == own.outcome.verdict


def test_the_newest_in_force_and_what_is_no_longer_there() -> None:
    given = [said("tidy", 0.0), said("tidy", 0.5), said("rest", 1.0, work="other"), said("all", 1.0, work="")]  # fmt: skip
    assert [(one.about, one.earned) for one in in_force(given, "f")] == [("tidy", 0.5), ("all", 1.0)]
    found = settled(GRADED, [said("gone.txt:1@1", 1.0), said("rules", 1.0)])
    assert [doubt.values["about"] for doubt in found.doubts] == ["gone.txt:1@1", "rules"]
    assert found.points == GRADED.points
    looked_at = [replace(said("gone.txt:1@1", 1.0), id=1), replace(said("all", None), id=2)]
    assert settled(GRADED, looked_at).doubts == ()  # somebody has looked at all of it since


def test_conflicts_are_called_by_their_shortest_name() -> None:
    several = replace(GRADED, hunks=(*HUNKS, hunk("c.txt", 1, "ours", 0.0, commit="one"), hunk("c.txt", 1, "ours", 0.0, commit="two")))  # fmt: skip
    names = conflict_names(several)
    assert names == ["a.txt:1", "a.txt:2", "b.txt", "c.txt@one", "c.txt@two"]
    assert [about_of(several, name) for name in names] == ["a.txt:1@1", "a.txt:2@1", "b.txt@1", "c.txt:1@one", "c.txt:1@two"]  # fmt: skip
    for named, told in {"a.txt": "Say a.txt:1 or a.txt:2.", "rules": "There are: resolution, tidy.", "tidi": 'Did you mean "tidy"?'}.items():  # fmt: skip
        with pytest.raises(BadInput) as bad:
            about_of(several, named)
        assert bad.value.problems[0].hint == told


@pytest.fixture
def course(tmp_path: Path) -> Path:
    """Ada took the wrong side, Bo the right one, with an empty line more; Cyd did nothing."""
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada Quince\nbo,Bo Medlar\ncyd,Cyd Sloe\n")
    muddled("handout", "press-limit", "--roster", "roster.csv", "--out", "out", folder=tmp_path)
    shell(
        tmp_path,
        "mkdir in; for l in ada bo; do mkdir in/$l; tar xzf out/press-limit/$l.tar.gz -C in/$l; done",
    )
    for learner, side, more in (
        ("ada", "ours", ""),
        ("bo", "theirs", "sed -i 's/^limit.*/&\\n/' press.toml; "),
    ):
        script = f"git merge -q night-shift || true; git checkout -q --{side} .; {more}git commit -qam merged"
        shell(tmp_path / "in" / learner / "press-limit/work", script)
    muddled("grade", "in", "--quiet", folder=tmp_path)
    return tmp_path


def test_a_verdict_outlives_regrading_and_not_other_work(course: Path) -> None:
    plain = graded(course / "in", "--ledger", course / "orchard.db")["ada"]
    told = muddled("settle", "ada", "press-limit", "--on", "press.toml", "--earns", "50", "--reason", "The  remark\nsays why", "--by", "Maren", folder=course)  # fmt: skip
    assert 'press.toml earns 50 % (graded: 0 %). Maren: "The remark says why"' in told.stdout
    for more in ((), ("--again",)):
        ada = graded(course / "in", "--ledger", course / "orchard.db", *more)["ada"]
        assert ada["points"] == plain["points"] + 7
        assert ada["hunks"][0]["settled"] | {"made": ""} == {"earned": 0.5, "by": "Maren", "reason": "The remark says why", "made": "", "graded": "missed", "graded_share": 0.0}  # fmt: skip
        assert ada["criteria"]["resolution"]["settled"] is None
    for view in (("grade", "in/ada"), ("grade", "in/ada", "--for-learner")):
        assert "The remark says why" in muddled(*view, folder=course).stdout
    for option in ("--csv", "--junit"):
        assert 'press.toml earns 50 % (graded: 0 %). Maren: "The remark says why"' in muddled("grade", "in", option, "-", folder=course).stdout.replace('""', '"')  # fmt: skip
    assert "(settled by a person)" in muddled("grade", "in", folder=course).stdout
    again = muddled("settle", "ada", "press-limit", "--on", "press.toml", "--missed", folder=course).stdout
    assert "in the place of the verdict of Maren" in again
    undone = muddled("settle", "ada", "press-limit", "--on", "press.toml", "--undo", folder=course).stdout
    assert "the verdict of Maren on press.toml:1@1 (50 %) holds again" in " ".join(undone.split())
    # Work of another content is graded by itself; a verdict on all of it holds for that as well.
    shell(course / "in/ada/press-limit/work", "echo '# more' >> press.toml; git commit -qam more")
    ada = graded(course / "in", "--ledger", course / "orchard.db")["ada"]
    assert (ada["hunks"][0]["settled"], ada["points"] < plain["points"] + 7) == (None, True)
    muddled("settle", "ada", "press-limit", "--met", "--reason", "Showed it", folder=course)
    muddled("settle", "cyd", "press-limit", "--earns", "40%", folder=course)
    shell(course / "in/ada/press-limit/work", "echo '# again' >> press.toml; git commit -qam again")
    ada = graded(course / "in", "--ledger", course / "orchard.db")["ada"]
    assert (ada["percent"], ada["settled"]["reason"]) == (100, "Showed it")
    assert ada["settled"]["graded_share"] < 1
    assert " 96 % " in muddled("ledger", folder=course).stdout  # the median of ada's 100 and bo's mark
    (course / "course.toml").write_text('[[exercise]]\nscenario = "press-limit"\ndue = 2026-01-02T03:00:00Z\nlate = { a_day = 10 }\n')  # fmt: skip
    totals = json.loads(muddled("ledger", "--json", folder=course).stdout)["course"]["totals"]
    assert [(one["learner"], one["percent"]) for one in totals if one["learner"] != "bo"] == [("ada", 100.0), ("cyd", 40.0)]  # fmt: skip


def test_what_needs_a_look_is_gone_through_by_a_person_or_a_script(course: Path) -> None:
    data = json.loads(muddled("settle", "--json", folder=course).stdout)
    jsonschema.validate(data, output_schema("settle"))
    assert [(one["learner"], one["exercise"]) for one in data["needs_a_look"]] == [("bo", "press-limit")]

    def typed(lines: str) -> subprocess.CompletedProcess[str]:
        words = [*PROGRAM, "settle", "--next", "--by", "Maren"]
        return subprocess.run(words, cwd=course, input=lines, capture_output=True, text=True, check=True)

    for lines in ("", "stop\n", "later\n", "later"):
        assert "0 verdicts given, 1 still to be looked at." in typed(lines).stdout
    done = typed("nonsense\nresolution 300 x\nresolutoin 50 x\nok it is only a remark\n")
    assert done.stderr.count("That was not understood") == 2
    assert 'Did you mean "resolution"?' in done.stderr
    assert "1 verdict given, 0 still to be looked at." in done.stdout
    assert "Nothing needs a look" in typed("").stdout
    bo = graded(course / "in", "--ledger", course / "orchard.db")["bo"]
    assert (bo["needs_a_look"], bo["settled"]["earned"], bo["settled"]["reason"]) == ([], None, "it is only a remark")  # fmt: skip
    listed = muddled("settle", folder=course).stdout
    assert "as graded" in listed
    assert "it is only a remark" in listed
    assert "A person has looked at this" in muddled("settle", "bo", "press-limit", folder=course).stdout


def test_two_verdicts_at_once_are_both_kept(course: Path) -> None:
    with ThreadPoolExecutor(8) as pool:
        words = [[*PROGRAM, "settle", "ada", "press-limit", "--on", "tidy", "--earns", str(n), "--by", f"person-{n}"] for n in range(8)]  # fmt: skip
        codes = [pool.submit(subprocess.run, word, cwd=course, capture_output=True) for word in words]
        assert [code.result().returncode for code in codes] == [0] * 8
    given = json.loads(muddled("settle", "--json", folder=course).stdout)["settled"]
    assert sorted(one["by"] for one in given) == [f"person-{n}" for n in range(8)]
    ada = graded(course / "in", "--ledger", course / "orchard.db")["ada"]
    assert ada["criteria"]["tidy"]["settled"]["by"] == given[-1]["by"]
    muddled("ledger", "--anonymous", folder=course)
    assert b"person-" not in (course / "orchard.db").read_bytes()
    muddled("ledger", "--forget", "learner-0001", folder=course)
    assert json.loads(muddled("settle", "--json", folder=course).stdout)["settled"] == []


TEAM = "id,name,team\nada,Ada Quince,red\nben,Ben Rowan,red\neda,Eda Moss,\n"
SQUASHED = """tar xf ../out/own-line/ada.tar.gz; cd own-line/work; git switch -qc side; sed -i 's/[0-9]/I/' *.txt; git commit -qam I
git switch -q main; sed -i 's/[0-9]/O/' *.txt; git commit -qam O; git merge -q --squash side || sed -i '/^[<=>]/d' *.txt; git commit -qam Both"""


def test_a_teams_work_is_settled_for_all_or_for_one(tmp_path: Path) -> None:
    """One work, several learners: one look is enough, and an exception may be one's own."""
    (tmp_path / "class.csv").write_text(TEAM)
    (tmp_path / "course.toml").write_text('title = "Teams"\nroster = "class.csv"\n[[exercise]]\nscenario = "own-line"\nteam = true\n')  # fmt: skip
    muddled("handout", "--out", "out", folder=tmp_path)
    shell(tmp_path, f"mkdir in; cd in; {SQUASHED}")
    muddled("grade", "in", folder=tmp_path)

    def settle(words: str, code: int = 0) -> str:
        ran = muddled("settle", *words.split(), folder=tmp_path, code=code)
        return " ".join((ran.stderr if code else ran.stdout).split())

    def given() -> list[tuple[str, float | None]]:
        told = json.loads(muddled("settle", "--json", folder=tmp_path).stdout)
        return [(one["learner"], one["earned"]) for one in told["settled"]]

    words = [*PROGRAM, "settle", "--next", "--by", "Maren"]
    said = subprocess.run(words, cwd=tmp_path, input="made 70 seen\n", text=True, capture_output=True, check=True).stdout  # fmt: skip
    assert "1 verdict given, 0 still to be looked at" in said
    assert "for all who share it: Ada Quince and Ben Rowan" in said
    assert given() == [("ada", 0.7), ("ben", 0.7)]
    assert "Ben Rowan alone; --team says it for Ada Quince, too" in settle(
        "ben own-line --on made --earns 50"
    )
    assert "all who share it" in settle("ada own-line --on made --missed --team")
    assert given() == [("ada", 0.7), ("ben", 0.7), ("ben", 0.5), ("ada", 0), ("ben", 0)]
    settle("ben own-line --on made --undo --team")
    settle("ben own-line --on made --undo --team")
    assert given() == [("ben", 0.7)]
    assert "Ben Rowan, Make a conflict yourself: excused" in settle("ada own-line --excuse --team")
    assert "excused is taken back" in settle("ada own-line --on due --undo")
    told = json.loads(muddled("settle", "--json", folder=tmp_path).stdout)["allowed"]
    assert [one["learner"] for one in told] == ["ben"]
    for wrong, says in {
        "eda own-line --met --team": "eda shares own-line with nobody",
        "ada own-line --team": "--team goes with a verdict",
        "--next --team": "whose work is it about?",
    }.items():
        assert says in settle(wrong, 2)


WRONG = {
    "adda press-limit --met": 'there is no learner "adda"\n  Did you mean "ada"?',
    "ada press-limt --met": '"press-limt" was not handed out to ada\n  Did you mean "press-limit"?',
    "ada --met": "which exercise of ada?",
    "--met": "whose work is it about?",
    "ada press-limit --next": "--next goes through the whole class",
    "ada press-limit --on delivered --met": "delivered is no part of press-limit",
    "ada press-limit --earns 101": "101 is no percentage from 0 to 100",
    "cyd press-limit --undo": "there is no verdict to take back for cyd, press-limit",
    "ada press-limit --undo": "there is no verdict to take back for ada, press-limit",
    "ada press-limit --submission in/x --met": 'ada handed in no "in/x" for press-limit',
    "cyd press-limit --on tidy --met": "cyd has handed in nothing for press-limit that could be read",
    "cyd press-limit --as-graded": "cyd has handed in nothing for press-limit",
    "ada press-limit --reason why": "--reason goes with a verdict",
    "ada press-limit --json": "--json lists",
}


def test_wrong_use_is_told_and_settles_nothing(course: Path) -> None:
    for words, told in WRONG.items():
        assert (
            told.casefold() in muddled("settle", *words.split(), folder=course, code=2).stderr.casefold()
        ), words
    assert json.loads(muddled("settle", "--json", folder=course).stdout)["settled"] == []


# What is changed in the scenario; each mark before and after; what is said of it.
CHANGED: dict[str, tuple[str, str, dict[str, tuple[float, float]], str]] = {
    "a key": ('[[rule]]', '[[answer]]\nfile = "press.toml"\nkeep = ["ours"]\nworth = 0.5\n\n[[rule]]', {"ada": (38.5, 65.4)}, "press.toml:1: 0 % -> 50 %"),
    "weights": ("[[answer]]", "[points]\nresolution = 4\n\n[[answer]]", {"ada": (38.5, 62.5), "bo": (92.3, 87.5)}, "resolution: 0 of 14 -> 0 of 4"),
    "nothing": ("", "", {}, "No mark changes: 2 submissions"),
}  # fmt: skip


@pytest.mark.parametrize("name", CHANGED)
def test_a_changed_key_says_whose_marks_change_before_and_after(name: str, course: Path) -> None:
    old, new, expected, told = CHANGED[name]
    text = (BUNDLED / "press-limit.toml").read_text()
    (course / "new").mkdir()
    (course / "new/press-limit.toml").write_text(text.replace(old, new, 1) if old else text)
    held = (course / "orchard.db").read_bytes()
    words = ("grade", "in", "--scenarios", "new")
    said = muddled(*words, "--compare", folder=course)
    assert told in " ".join(said.stdout.split())
    assert "Nothing was written" in said.stdout
    ledger = Ledger(course / "orchard.db")
    count = len(ledger.gradings())
    ledger.close()
    assert (course / "orchard.db").read_bytes() == held
    data = json.loads(muddled(*words, "--compare", "--json", folder=course).stdout)
    jsonschema.validate(data, output_schema("grade"))
    found = {one["learner"]: (one["before"], one["after"]) for one in data.get("changes", ())}
    assert {learner: marks for learner, marks in found.items() if marks[0] != marks[1]} == expected
    assert (told in " ".join(muddled(*words, folder=course).stdout.split())) == bool(expected)
    assert "not what they were" not in muddled(*words, folder=course).stdout  # it is remembered now
    ledger = Ledger(course / "orchard.db")
    assert (len(ledger.gradings()) > count) == bool(old)
    ledger.close()
    # By the key that was handed out all of it can still be graded.
    again = {one["learner"]: one["percent"] for one in json.loads(muddled("grade", "in", "--json", folder=course).stdout)["submissions"]}  # fmt: skip
    assert again["ada"] == 38.5


def test_compare_needs_something_to_compare_with(course: Path) -> None:
    assert (
        "writes no file"
        in muddled("grade", "in", "--compare", "--csv", "x.csv", folder=course, code=2).stderr
    )
    (course / "orchard.db").rename(course / "elsewhere")
    assert "there is none here" in muddled("grade", "in", "--compare", folder=course, code=2).stderr


ABOUT = {"a.txt:1@1": (1, 1.0), "a.txt:2@1": (1, 0.0), "b.txt@1": (2, 0.0)}
"""Each conflict of `GRADED` by its full name: what it weighs (of 5), and what the grader gave it."""

VERDICTS = st.one_of(
    st.tuples(
        st.sampled_from([*ABOUT, "resolution", "tidy", "all"]), st.sampled_from([0.0, 0.25, 0.5, 1.0, None])
    ),
    st.tuples(st.sampled_from([*ABOUT, "resolution", "tidy", "all"]), st.just("undo")),
)


def expected_points(now: Mapping[str, float | None]) -> float:
    """What verdicts come to of 12 points, worked out without the program."""
    earned = {about: share for about, share in now.items() if share is not None}
    if "all" in earned:
        return 12 * earned["all"]
    conflicts = sum(weight * earned.get(name, own) for name, (weight, own) in ABOUT.items()) / 5
    return 10 * earned.get("resolution", conflicts) + 2 * earned.get("tidy", 1.0)


@settings(max_examples=120, deadline=None)
@given(st.lists(VERDICTS, max_size=14))
def test_any_verdicts_and_undone_ones_come_to_what_is_worked_out_by_hand(
    steps: list[tuple[str, Any]],
) -> None:
    with tempfile.TemporaryDirectory() as folder:
        ledger = Ledger(Path(folder) / "orchard.db", create=True)
        ledger.enrol([Learner("ada", "Ada Quince")])
        stacks: dict[str, list[float | None]] = {}
        for about, verdict in steps:
            if verdict == "undo":
                newest = [one for one in ledger.settlements() if one.about == about][-1:]
                assert [ledger.unsettle(one) for one in newest] == [True] * bool(stacks.get(about))
                if newest:
                    stacks[about].pop()
                    assert not ledger.unsettle(newest[0])  # it has gone already
            else:
                ledger.settle(said(about, verdict))
                stacks.setdefault(about, []).append(verdict)
        given_now = in_force(ledger.settlements(), "f")
        ledger.close()
    now = {about: stack[-1] for about, stack in stacks.items() if stack}
    assert {one.about: one.earned for one in given_now} == now
    found = settled(GRADED, given_now)
    assert found.points == pytest.approx(expected_points(now), abs=0.06)
    assert found.doubts == (() if now else GRADED.doubts)
    assert {thing.what for thing in settled_things(found)} == {{"b.txt@1": "b.txt"}.get(about, about.removesuffix("@1")) for about in now}  # fmt: skip
