"""A class counted: against counts and statistics that are known beforehand."""

from __future__ import annotations

import csv
import io
import json
import shutil
from collections import Counter
from pathlib import Path

import jsonschema
import pandas as pd
import pytest
from msgspec.structs import replace

from muddled_orchard.classroom.standing import read_class
from muddled_orchard.classroom.tallying import tally_of
from muddled_orchard.commands.json_outputs import output_schema
from muddled_orchard.commands.tally.page import tally_page
from muddled_orchard.core.course.item_figures import ItemStatistics, Reliability, reliability_told
from muddled_orchard.core.course.items import item_statistics
from muddled_orchard.core.course.likeness import Pair, alike
from muddled_orchard.core.course.tally import CriterionTally, ExerciseTally, Tally, outcome_of
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.stored_results import unpacked
from tests.classes import WORDS, Works, ledger_of, random_class, result
from tests.conftest import database, muddled

LEARNERS = [f"l{number}" for number in range(10)]


def class_of(items: dict[str, str], percents: dict[str, list[float]]) -> Tally:
    """Criteria as `1111000000`, a figure a learner, and exercises with their percentages."""
    criteria = tuple(
        CriterionTally(
            id=name,
            learners={"met": tuple(one for one, had in zip(LEARNERS, row, strict=True) if had == "1"), "missed": tuple(one for one, had in zip(LEARNERS, row, strict=True) if had == "0")},
        )
        for name, row in items.items()
    )  # fmt: skip
    exercises = tuple(
        ExerciseTally(
            id=name, title=name, handed_out=10, percents=dict(zip(LEARNERS, row, strict=False)), missing=(), got_it=(), conflicts=(),
            criteria=criteria if number == 0 else (), solved={}, minutes={},
        )
        for number, (name, row) in enumerate(percents.items())
    )  # fmt: skip
    return Tally(title="t", exercises=exercises, totals={}, absent=(), names={})


def test_item_statistics_are_those_computed_by_hand() -> None:
    from scipy.stats import pointbiserialr  # it takes long to load, and every worker would

    items = {"finished": "1111100000", "markers": "1111000000", "rest": "1110000000", "tidy": "1111111111"}
    rising = [10.0 * number for number in range(10)]
    found = item_statistics(class_of(items, {"one": rising, "two": [0.0] * 5 + [100.0] * 5}))
    # `finished` against the rest (markers, rest, tidy, a third each): those who have it got (1+1+1+2/3+1/3)/5
    # of the rest, the others 1/3. The rest's mean is 1.7/3 and its variance 0.09, so that
    # r = (0.8 - 1/3) / 0.3 * sqrt(0.5 * 0.5) = 7/9.
    assert [item.difficulty for item in found.items] == [0.5, 0.4, 0.3, 1.0]
    assert found.items[0].discrimination == pytest.approx(7 / 9)
    assert found.items[3].discrimination is None  # all have it
    table = pd.DataFrame({name: [int(had) for had in row] for name, row in items.items()})
    for item in found.items[:3]:
        rest = table.drop(columns=item.name).mean(axis=1)
        assert item.discrimination == pytest.approx(pointbiserialr(table[item.name], rest).statistic)
    # Variances 916.67 and 2777.78, covariance 1388.89: alpha = 2 * (1 - 3694.44 / 6472.22).
    assert found.reliability is not None
    assert found.reliability.alpha == pytest.approx(2 * (1 - 3694.4444 / 6472.2222), abs=1e-6)


@pytest.mark.parametrize(
    ("alpha", "told"), [(0.9, "ranks learners well"), (0.7, "strong from weak"), (0.2, "different things")]
)
def test_a_reliability_is_told_in_words(alpha: float, told: str) -> None:
    assert told in reliability_told(Reliability(alpha=alpha, exercises=3, learners=30))


def test_figures_are_never_told_from_too_few() -> None:
    nine = [10.0 * number for number in range(9)]
    found = item_statistics(class_of({"finished": "1111100000"}, {"one": nine, "two": nine}))
    assert found.items[0].discrimination is None  # there is no rest
    assert found.reliability is None
    assert "No reliability" in reliability_told(None)


@pytest.fixture(scope="module")
def course(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Works]:
    """Sixty learners and three exercises. Two have handed in nothing; two share a text of their own, two others
    a commit."""
    folder = tmp_path_factory.mktemp("course")
    works = random_class(60, ["press-limit", "three-knots", "cellar-by-rebase"], 2, seed=7)
    for learner in ("l00003", "l00004"):
        works[learner] = {exercise: [] for exercise in works[learner]}
    for learner in ("l00010", "l00011"):
        works[learner]["press-limit"] = [result("press-limit", ["blend", "theirs"], work=learner, left="limit = 2 + 3 - 1  # as they say")]  # fmt: skip
    for learner in ("l00020", "l00021"):
        works[learner]["three-knots"] = [result("three-knots", ["theirs", "theirs"], work=learner, commits=["c" * 40])]  # fmt: skip
    works["l00030"]["press-limit"] = [result("press-limit", ["ours", "ours"], work="1"), result("press-limit", ["theirs", "theirs"], work="2")]  # fmt: skip
    ledger_of(folder / "orchard.db", works, {"l00000": "<script>alert(1)</script>", "l00001": "=1+1"})
    return folder, works


def test_every_count_is_as_it_was_made(course: tuple[Path, Works]) -> None:
    folder, works = course
    data = json.loads(muddled("tally", "--json", folder=folder).stdout)
    jsonschema.validate(data, output_schema("tally"))
    assert data["absent"] == ["l00003", "l00004"]
    for exercise in data["exercises"]:
        own = {learner: done[exercise["exercise"]] for learner, done in works.items() if done[exercise["exercise"]]}  # fmt: skip
        best = {learner: max(several, key=lambda one: one.points) for learner, several in own.items()}
        assert exercise["percents"] == {learner: one.percent for learner, one in best.items()}
        assert set(exercise["got_it"]) == {learner for learner, one in best.items() if one.percent == 100}
        for number, conflict in enumerate(exercise["conflicts"]):
            expected: dict[str, set[str]] = {}
            for learner, one in best.items():
                expected.setdefault(outcome_of(one.hunks[number]), set()).add(learner)
            assert {word: set(several) for word, several in conflict["learners"].items()} == expected
            count = len(expected["accepted"]) / len(best)
            assert conflict["statistics"]["difficulty"] == pytest.approx(count, abs=1e-4)
            wrong = Counter({word: len(several) for word, several in expected.items() if word != "accepted"}).most_common(2)  # fmt: skip
            assert conflict["common_wrong"] == (None if wrong[0][1] == wrong[1][1] else wrong[0][0])
            rebase = exercise["exercise"] == "cellar-by-rebase"
            assert (conflict["swapped"] is None) != rebase
            assert set(conflict["swapped"] or ()) == (expected.get("ours", set()) if rebase else set())
        (tidy,) = [one for one in exercise["criteria"] if one["criterion"] == "tidy"]
        assert set(tidy["learners"].get("missed", ())) == {learner for learner, one in best.items() if one.points % 4 != 2}  # fmt: skip
    solved = data["exercises"][0]["attempts_until_solved"]
    assert (solved["l00030"], set(solved.values())) == (2, {1, 2})
    assert {pair["learners"][0]: pair["shared"] for pair in data["alike"]} == {
        "l00020": ["1 own commit in three-knots"],
        "l00010": ['"limit = 2 + 3 - 1 # as they say" in press.toml:1 (press-limit)'],
    }
    assert data["reliability"]["learners"] == 58


def test_views_say_the_same(course: tuple[Path, Works]) -> None:
    folder, _ = course
    data = json.loads(muddled("tally", "--json", folder=folder).stdout)
    rows = list(csv.DictReader(io.StringIO(muddled("tally", "--csv", "-", folder=folder).stdout)))
    said = muddled("tally", folder=folder, more={"COLUMNS": "80"}).stdout
    assert max(map(len, said.splitlines())) <= 80
    muddled("tally", "--page", "class.html", "--picture", "class.svg", folder=folder)
    page = (folder / "class.html").read_text()
    for exercise in data["exercises"]:
        for conflict in exercise["conflicts"]:
            (row,) = [one for one in rows if (one["exercise"], one["item"]) == (exercise["exercise"], conflict["conflict"])]  # fmt: skip
            for word, learners in conflict["learners"].items():
                assert int(row[word if word == "accepted" else f"kept {word}"]) == len(learners)
                assert f"{len(learners):>3} " in said
                assert f'<span class="count">{len(learners)}</span>' in page
    assert page.count("<tr><th scope=row") == 58
    assert "&lt;script&gt;alert(1)" in page
    assert "<script>alert" not in page
    assert "press.toml:1" in (folder / "class.svg").read_text()
    muddled("tally", "--picture", "class.png", folder=folder)
    assert (folder / "class.png").read_bytes().startswith(b"\x89PNG")


def test_chance_makes_nobody_alike(tmp_path: Path) -> None:
    ledger_of(tmp_path / "orchard.db", random_class(400, ["press-limit", "three-knots"], 3, seed=3))
    ledger = Ledger(tmp_path / "orchard.db")
    assert alike(read_class(ledger)) == []
    ledger.close()
    pair = Pair("ada", "bo", (), 1.0)
    assert pair.told({"ada": "Ada Quince"}).startswith("Ada Quince and bo share")


@pytest.mark.parametrize(("count", "group", "told"), [(400, 21, 0), (400, 20, 190), (30, 4, 0), (30, 3, 3)])
def test_what_many_share_is_no_evidence(count: int, group: int, told: int, tmp_path: Path) -> None:
    works = random_class(count, ["press-limit"], 3, seed=3)
    for learner in sorted(learner for learner, done in works.items() if done["press-limit"])[:group]:
        works[learner]["press-limit"] = [result("press-limit", ["theirs", "theirs"], work=learner, commits=["c" * 40])]  # fmt: skip
    ledger_of(tmp_path / "orchard.db", works)
    ledger = Ledger(tmp_path / "orchard.db")
    assert sum(bool(pair.shared) for pair in alike(read_class(ledger))) == told
    ledger.close()


EMPTY: dict[str, tuple[Works, str]] = {
    "nothing at all": ({}, "nothing was handed out yet"),
    "nothing came back": ({"ada": {"press-limit": []}}, "nobody has handed anything in yet"),
}


@pytest.mark.parametrize("name", EMPTY)
def test_where_there_is_nothing_to_count(name: str, tmp_path: Path) -> None:
    works, told = EMPTY[name]
    ledger_of(tmp_path / "orchard.db", works)
    assert told in muddled("tally", folder=tmp_path, code=2).stderr
    assert (
        "there is no such ledger" in muddled("tally", "--ledger", "other.db", folder=tmp_path, code=2).stderr
    )


def test_an_anonymous_ledger_is_counted_alike(course: tuple[Path, Works], tmp_path: Path) -> None:
    shutil.copy(course[0] / "orchard.db", tmp_path)
    before = json.loads(muddled("tally", "--json", folder=tmp_path).stdout)
    muddled("ledger", "--anonymous", folder=tmp_path)
    after = json.loads(muddled("tally", "--json", folder=tmp_path).stdout)
    counts = [
        [[(one["conflict"], {word: len(ids) for word, ids in one["learners"].items()}, one["statistics"]) for one in exercise["conflicts"]] for exercise in data["exercises"]]
        for data in (before, after)
    ]  # fmt: skip
    assert counts[0] == counts[1]
    with database(tmp_path / "orchard.db") as db:
        assert not any(
            "as they say" in unpacked(kept) for (kept,) in db.execute("SELECT result FROM grading")
        )


def test_without_pandas_all_but_statistics_is_there(
    course: tuple[Path, Works], monkeypatch: pytest.MonkeyPatch
) -> None:
    from muddled_orchard.commands.tally import command

    monkeypatch.setitem(__import__("sys").modules, "muddled_orchard.core.course.items", None)
    ledger = Ledger(course[0] / "orchard.db")
    found = command.count_class(ledger, None)
    ledger.close()
    assert found.statistics is None
    assert len(found.counted.totals) == 58
    assert ItemStatistics(items=(), reliability=None).items == ()
    assert set(WORDS) >= {"theirs", "ours"}


def test_a_ledger_of_the_first_version_and_an_exercise_that_nobody_did(tmp_path: Path) -> None:
    old = replace(
        result("press-limit", ["ours", "theirs"]), work="", made=None, asked=None, conflicts_weight=0.0
    )
    ledger_of(tmp_path / "orchard.db", {"ada": {"press-limit": [old], "three-knots": []}, "bo": {"press-limit": [], "three-knots": []}})  # fmt: skip
    with database(tmp_path / "orchard.db") as db:  # what the second version added
        db.executescript(
            "DROP TABLE settlement; DROP TABLE allowance; DROP TABLE arrival; DROP TABLE role; DROP TABLE push; DROP TABLE hand; DROP TABLE password; ALTER TABLE grading DROP COLUMN pile; PRAGMA user_version = 1"
        )
    data = json.loads(muddled("tally", "--json", folder=tmp_path).stdout)
    assert [(one["exercise"], one["percents"], one["missing"]) for one in data["exercises"]] == [("press-limit", {"ada": 60.0}, ["bo"]), ("three-knots", {}, ["ada", "bo"])]  # fmt: skip
    assert "0 of 2 tried it, 0 got it." in muddled("tally", folder=tmp_path).stdout
    muddled("tally", "--page", "class.html", "--picture", "class.svg", folder=tmp_path)
    muddled("reply", "--out", "fb", "--quiet", folder=tmp_path)
    assert "1 conflict is not resolved" in (tmp_path / "fb/ada/feedback.txt").read_text()
    # What it can't be sure to belong to is not settled; all of it can be, and a conflict by its weight.
    for words in (("--as-graded",), ("--on", "press.toml:1", "--met"), ("--on", "tidy", "--earns", "50")):
        assert "graded by an earlier version" in muddled("settle", "ada", "press-limit", *words, folder=tmp_path, code=2).stderr  # fmt: skip
    muddled("settle", "ada", "press-limit", "--earns", "90", folder=tmp_path)
    assert json.loads(muddled("tally", "--json", folder=tmp_path).stdout)["totals"] == {"ada": 45.0}
    with database(tmp_path / "orchard.db") as db:
        db.execute("UPDATE grading SET result = 'no JSON'")
    assert json.loads(muddled("tally", "--json", folder=tmp_path).stdout)["exercises"][0]["conflicts"] == []
    muddled("reply", "--out", "fb", "--quiet", folder=tmp_path)
    assert "no details are kept" in (tmp_path / "fb/ada/feedback.txt").read_text()


def test_many_read_while_one_writes(course: tuple[Path, Works], tmp_path: Path) -> None:
    shutil.copy(course[0] / "orchard.db", tmp_path)
    muddled("tally", "--json", folder=tmp_path)
    with database(tmp_path / "orchard.db", isolation_level=None) as db:
        db.execute("BEGIN IMMEDIATE")  # a grading is at work
        db.execute("DELETE FROM grading WHERE learner = 'l00030'")
        muddled("reply", "l00030", "--out", "fb", "--quiet", folder=tmp_path)
        assert len(json.loads(muddled("tally", "--json", folder=tmp_path).stdout)["totals"]) == 58
        assert "to look at" not in muddled("settle", folder=tmp_path).stdout
        db.execute("ROLLBACK")
    assert "You handed it in twice" in (tmp_path / "fb/l00030/feedback.txt").read_text()


# Files that a tally is asked for, and what is refused.
REFUSED = {
    "--picture class.gif": '"class.gif" is no name for a picture',
    "--json --csv -": "only one thing can go to standard output",
    "--page - --csv -": "only one thing can go to standard output",
    "--page folder": "this is a folder",
    "--course none.toml": "there is no such course file",
}


def test_what_cannot_be_written_is_refused_and_leaves_nothing(
    course: tuple[Path, Works], tmp_path: Path
) -> None:
    shutil.copy(course[0] / "orchard.db", tmp_path)
    (tmp_path / "folder").mkdir()
    there = sorted(path.name for path in tmp_path.iterdir())
    for words, told in REFUSED.items():
        assert told in muddled("tally", *words.split(), folder=tmp_path, code=2).stderr
    assert [name for name in sorted(path.name for path in tmp_path.iterdir()) if name not in there and not name.startswith("orchard.db")] == []  # fmt: skip
    page = muddled("tally", "--page", "-", folder=tmp_path).stdout
    assert page.startswith("<!doctype html>")
    assert page == muddled("tally", "--page", "-", folder=tmp_path).stdout  # the same class, the same page


def test_names_in_a_picture_are_no_formula_and_no_markup(tmp_path: Path) -> None:
    works = random_class(12, ["press-limit"], 2, seed=4)
    ledger_of(tmp_path / "orchard.db", works)
    (tmp_path / "course.toml").write_text(
        'title = "$x^2$ <b>&\\u0007"\n[[exercise]]\nscenario = "press-limit"\n'
    )
    for number in range(2):
        muddled("tally", "--picture", "class.svg", folder=tmp_path)
        svg = (tmp_path / "class.svg").read_text()
        assert "$x^2$ &lt;b&gt;&amp;\\x07: 12 learners" in svg
        (tmp_path / "class.svg").rename(tmp_path / f"{number}.svg")
    assert (tmp_path / "0.svg").read_bytes() == (tmp_path / "1.svg").read_bytes()


def test_a_page_without_statistics_says_nothing_of_them(course: tuple[Path, Works]) -> None:
    ledger = Ledger(course[0] / "orchard.db")
    counted = tally_of(ledger, read_class(ledger))
    ledger.close()
    bare, whole = tally_page(counted, None, []), tally_page(counted, item_statistics(counted), [])
    assert ("r +" in bare, "r +" in whole) == (False, True)
    assert ("Reliability" in bare, "Reliability" in whole) == (False, True)
    assert "Alike more" not in bare
    for name, learners in ((one.name, one.learners) for _, one in counted.conflicts):
        assert name in bare
        for several in learners.values():
            assert f'<span class="count">{len(several)}</span>' in bare
