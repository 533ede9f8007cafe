"""A course goes on: scenarios are mended, people join late, get more time, begin again, work in teams."""

from __future__ import annotations

import csv
import io
import json
import re
import shlex
import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.error import HTTPError

import pandas
import pytest
from msgspec.structs import replace

from muddled_orchard.commands.ledger.person import remove_repositories
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.exercise.changed_story import first_change
from muddled_orchard.core.exercise.scenario import Value
from muddled_orchard.core.exercise.values import values_of
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.grading.assessment import HunkResult
from muddled_orchard.core.grading.others_values import values_of_others
from muddled_orchard.files.scenarios.catalogue import load, scenario_path
from tests.conftest import database, graded, muddled, shell
from tests.hosts import RunningHost, course_of, git, hosted, pushes_of, until
from tests.test_class import RIGHT, WRONG
from tests.test_host import CLONE, works

JAM = scenario_path("press-limit").read_text("utf-8").replace('id = "press-limit"', 'id = "jam"')
THEIRS, OURS = 'keep = ["theirs"]', 'keep = ["ours"]'


def course(folder: Path, exercises: str, learners: str = "ada bo", more: str = "") -> None:
    """A course file with its scenario and roster."""
    folder.mkdir(exist_ok=True)
    (folder / "course.toml").write_text(f'roster = "roster.csv"\nout = "out"\n{more}\n{exercises}', "utf-8")
    rows = "".join(f"{id_},{id_.title()}\n" for id_ in learners.split())
    (folder / "roster.csv").write_text(f"id,name\n{rows}", "utf-8")


def unpacked(top: Path, learner: str, exercise: str = "jam") -> Path:
    """What a learner got, unpacked among what is handed in; the folder that they work in."""
    place = top / "in" / f"{learner}-{exercise}"
    place.mkdir(parents=True, exist_ok=True)
    shell(place, f"tar xzf {top}/out/{exercise}/{learner}.tar.gz")
    return place / exercise / "work"


CHANGES = {
    "a brief": ("two shifts", "both shifts", ""),
    "an answer": (THEIRS, OURS, ""),
    "a message": ("Lower the pressure limit at night", "Lower it", 'commit 2 ("Lower it", on night-shift) is not as it was'),
    "a date": ("minutes = 35", "minutes = 36", "commit 2 ("),
    "a file": ("brush", "broom", 'commit 1 ("'),
    "a value of some": ('"41", "42"', '"40", "42"', "commit "),
    "work that lies there": ("[cast]", '[start]\nwrite = { "new.txt" = "x\\n" }\n[cast]', "the work that is not committed"),
}  # fmt: skip


@pytest.mark.parametrize("name", CHANGES)
def test_what_a_changed_scenario_still_hands_out(name: str, tmp_path: Path) -> None:
    before, after, says = CHANGES[name]
    (tmp_path / "jam.toml").write_text(JAM)
    old = Variants(load(tmp_path / "jam.toml"))
    (tmp_path / "jam.toml").write_text(JAM.replace(before, after))
    said = first_change(old, Variants(load(tmp_path / "jam.toml")), [f"v{number}" for number in range(40)])
    assert said.startswith(says) if says else said == ""


def test_a_mended_scenario_goes_on_and_a_changed_one_for_those_who_have_not_begun(tmp_path: Path) -> None:
    course(tmp_path, '[[exercise]]\nscenario = "jam.toml"\n')
    (tmp_path / "jam.toml").write_text(JAM.replace(THEIRS, OURS))
    muddled("handout", "-q", folder=tmp_path)
    shell(unpacked(tmp_path, "ada"), RIGHT)
    assert "12 of 26 points" in muddled("grade", "in", folder=tmp_path).stdout
    # The key is mended, and the letter of a brief; somebody joins late.
    (tmp_path / "jam.toml").write_text(JAM.replace("cracked", "broke"))
    told = muddled("grade", "in", "--compare", folder=tmp_path).stdout
    assert "46 -> 100" in " ".join(told.split())
    assert "Why: the scenario was changed" in told
    course(tmp_path, '[[exercise]]\nscenario = "jam.toml"\n', "ada bo cyd")
    done = muddled("handout", folder=tmp_path)
    assert "1 handed out, 2 there already" in done.stdout
    assert "jam was changed, and hands out what it did: 2 hand-outs are graded by it" in done.stderr
    assert "26 of 26 points" in muddled("grade", "in", folder=tmp_path).stdout
    with database(tmp_path / "orchard.db") as db:
        ((versions,),) = db.execute("SELECT count(DISTINCT scenario) FROM grading")
        ((kept,),) = db.execute("SELECT count(*) FROM scenario")
    assert (versions, kept) == (2, 2), "the ledger keeps which version each was graded by"
    # Now the story itself: it is refused, with what differs; whoever has not begun may have it.
    (tmp_path / "jam.toml").write_text(JAM.replace("minutes = 35", "minutes = 36"))
    refused = muddled("handout", folder=tmp_path, code=2).stderr
    assert "jam was changed after it had been handed out: commit 2 (" in refused
    assert "muddled handout jam --anew LEARNER..." in refused
    assert "graded as it was handed out" in muddled("grade", "in", folder=tmp_path).stderr
    assert "ada has begun jam" in muddled("handout", "--anew", "ada", folder=tmp_path, code=2).stderr
    assert "1 handed out, 2 there already" in muddled("handout", "--anew", "bo", folder=tmp_path).stdout
    shell(unpacked(tmp_path, "bo"), RIGHT)
    assert "0 handed out" in muddled("handout", folder=tmp_path).stdout
    assert {name: one["percent"] for name, one in graded(tmp_path / "in", "--ledger", tmp_path / "orchard.db").items()} == {"ada": 100, "bo": 100}  # fmt: skip


def test_the_same_once_more_or_another(tmp_path: Path) -> None:
    course(tmp_path, '[[exercise]]\nscenario = "press-limit"\n')
    muddled("handout", "-q", folder=tmp_path)
    first = (tmp_path / "out/press-limit/ada.tar.gz").read_bytes()
    shell(unpacked(tmp_path, "ada", "press-limit"), RIGHT)
    (tmp_path / "out/press-limit/ada.tar.gz").unlink()
    muddled("handout", "--afresh", "ada", "press-limit", folder=tmp_path)
    assert (tmp_path / "out/press-limit/ada.tar.gz").read_bytes() == first
    told = muddled("handout", "--afresh", "ada", "press-limit", "--other", "--json", folder=tmp_path).stdout
    (other,) = json.loads(told)["hand_outs"]
    shell(tmp_path, "mkdir in/again; tar xzf out/press-limit/ada.tar.gz -C in/again")
    shell(tmp_path / "in/again/press-limit/work", RIGHT.replace("/^=======/d", "/^=======/d"))
    table = json.loads(muddled("grade", "in", "--json", folder=tmp_path).stdout)["submissions"]
    assert [(one["learner"], one["percent"]) for one in table] == [("ada", 100), ("ada", 100)]
    assert other["variant"] in {one["variant"] for one in table}
    for words, says in {
        "--afresh eve press-limit": "eve was not handed out press-limit",
        "--afresh ada presslimit": "ada was not handed out presslimit\n  Did you mean",
        "--afresh ada press-limit --push x": "--afresh is for one learner",
        "--other": "--other goes with --afresh",
    }.items():
        assert says in muddled("handout", *words.split(), folder=tmp_path, code=2).stderr, words


def test_a_pile_of_groups_exercises_and_forms(tmp_path: Path) -> None:
    """As `handout --pack folder` writes them, and as they come back: each is graded as what it is."""
    course(tmp_path, '[[exercise]]\nscenario = "press-limit"\n[[exercise]]\nscenario = "stale-main"\n')
    muddled("handout", "--pack", "folder", "-q", folder=tmp_path)
    shell(tmp_path / "out/press-limit/ada/work", RIGHT)
    shell(tmp_path, "mkdir -p mix/group/zips; cp -r out/press-limit/* mix/group; cp -r out/stale-main/ada mix/top; tar czf mix/group/zips/b.tar.gz -C out/stale-main bo")  # fmt: skip
    for pile in ("out", "mix"):
        table = json.loads(muddled("grade", pile, "--json", folder=tmp_path).stdout)["submissions"]
        assert {(one["learner"], one["exercise"], one["percent"]) for one in table} == {
            ("ada", "press-limit", 100), ("bo", "press-limit", 0), ("ada", "stale-main", 0), ("bo", "stale-main", 0),
        }  # fmt: skip


def test_beginning_again_on_a_host(tmp_path: Path) -> None:
    again = 'feedback = "full"\n[[exercise]]\nscenario = "press-limit"\nagain = true'
    folder = course_of(tmp_path / "course", ["ada", "bo"], again)
    with hosted(folder) as host:
        assert "not yet" in works(host, "ada", WRONG)
        handed_out = git(
            tmp_path, f"git ls-remote {host.remote('bo')}; git ls-remote {host.remote('ada')}"
        ).stdout
        page = host.page("ada", "exercise/press-limit")
        assert "Another one like it" in page
        token = page.split('name="token" value="')[1].split('"')[0]
        for who, fields, says in (
            ("bo", {"token": token, "exercise": "press-limit"}, "403"),
            ("ada", {"token": token, "exercise": "jam"}, "404"),
        ):
            with pytest.raises(HTTPError, match=says):
                host.data(who, "again", fields)
        host.data("ada", "again", {"token": token, "exercise": "press-limit"})
        shutil.rmtree(folder / "at")
        assert "got it" in works(host, "ada", RIGHT)
        host.data("ada", "again", {"token": token, "exercise": "press-limit", "other": "yes"})
        shutil.rmtree(folder / "at")
        now = git(tmp_path, f"git ls-remote {host.remote('ada')}").stdout
        assert not set(now.split()) & {word for word in handed_out.split() if len(word) == 40}
        assert "not yet" in works(host, "ada", WRONG)
    with hosted(folder) as host:
        # What was pushed of either stays, and the best of it counts.
        assert until(lambda: all(graded for _, _, graded in pushes_of(folder)))
        assert "Not yet" in host.page("ada", "exercise/press-limit")
    text = muddled("ledger", "--table", "attempts", "--csv", "-", folder=folder).stdout
    rows = list(csv.DictReader(io.StringIO(text)))
    assert [(row["percent"], row["counts"]) for row in rows] == [
        ("46.2", "no"),
        ("100.0", "yes"),
        ("46.2", "no"),
    ]
    with database(folder / "orchard.db") as db:
        assert db.execute("SELECT count(*), count(replaced) FROM hand_out WHERE learner = 'ada'").fetchone() == (2, 1)  # fmt: skip


def test_a_host_goes_on_with_a_mended_key(tmp_path: Path) -> None:
    folder = tmp_path / "course"
    folder.mkdir()
    (folder / "jam.toml").write_text(JAM)
    course_of(folder, ["ada"], 'feedback = "full"\n[[exercise]]\nscenario = "jam.toml"')
    with hosted(folder) as host:
        assert "Push 1: not yet" in works(host, "ada", WRONG, exercise="jam")
        (folder / "jam.toml").write_text(JAM.replace(THEIRS, OURS).replace("cracked", "broke"))
        assert until(lambda: "1 earlier result is graded anew" in (folder / "host.err").read_text())
        assert until(lambda: pushes_of(folder) == [("ada", "jam", True)])
        assert until(lambda: "Got it" in host.page("ada", "exercise/jam"))
        assert "broke" in host.page("ada", "exercise/jam")
    # It begins again with what was mended while it stood still.
    (folder / "jam.toml").write_text(JAM)
    with hosted(folder) as host:
        assert until(lambda: "Not yet" in host.page("ada", "exercise/jam"))
    with database(folder / "orchard.db") as db:
        assert db.execute("SELECT count(*) FROM grading").fetchone() == (3,)


# -- Four weeks ---------------------------------------------------------------------------------------------

WEEKS = """
[[exercise]]
scenario = "jam.toml"
due = 2026-10-08T18:00:00+02:00
[[exercise]]
scenario = "quince.toml"
weight = 2
due = 2026-10-15T18:00:00+02:00
"""
LATER = """
[[exercise]]
scenario = "plum.toml"
team = true
due = 2026-10-22T18:00:00+02:00
[[excused]]
learner = "eve"
exercise = "quince"
reason = "Ill all week"
"""
SETTINGS = 'title = "Four weeks"\npass_mark = 50\nlate = { a_day = 10, most = 50 }\nfeedback = "full"\n'

# What each hands in: exercise, right or wrong, when; and what it has to come to, in percent.
STORY = [
    ("ada", "jam", RIGHT, "2026-10-07T12:00:00+0200", 100.0),
    ("bo", "jam", WRONG, "2026-10-07T12:00:00+0200", 46.2),
    ("cyd", "jam", RIGHT, "2026-10-10T12:00:00+0200", 100.0),  # two days late, but with an extension
    ("hal", "jam", RIGHT, "2026-10-07T12:00:00+0200", 100.0),
]
LATER_STORY = [
    ("ada", "quince", RIGHT, "2026-10-16T12:00:00+0200", 90.0),  # a day late
    ("bo", "quince", RIGHT, "2026-10-15T12:00:00+0200", 100.0),
    ("dot", "jam", RIGHT, "2026-10-30T12:00:00+0200", 50.0),  # joined late, and was very late
    ("gil", "plum", RIGHT, "2026-10-20T12:00:00+0200", 100.0),
    ("fay", "plum", "", "", 100.0),  # gil's
]
WEIGHTS = {"jam": 1, "quince": 2, "plum": 1}


class Course:
    """A course on files, or on a host: what is handed in, in either way."""

    def __init__(self, top: Path, way: str) -> None:
        self.top, self.way = top, way
        self.host: RunningHost | None = None

    def write(self, learners: str, more: str) -> None:
        """The course file and the roster, as the instructor has them now."""
        self.top.mkdir(exist_ok=True)
        text = f'{SETTINGS}roster = "roster.csv"\nout = "out"\n{more}'
        (self.top / "course.toml").write_text(text, "utf-8")
        teams = {"fay": "press", "gil": "press"}
        rows = "".join(
            f"{id_},{'Ada' if id_ == 'dot' else id_.title()},{teams.get(id_, '')}\n"
            for id_ in learners.split()
        )
        (self.top / "roster.csv").write_text(f"id,name,team\n{rows}", "utf-8")
        if self.way == "host":
            muddled("host", "--passwords", "passwords.csv", "-q", folder=self.top)
        else:
            muddled("handout", "-q", folder=self.top)

    @contextmanager
    def runs(self, given: list[tuple[str, str]]) -> Iterator[None]:
        """A host serves it for as long as the block lasts, and has handed these out."""
        if self.way != "host":
            yield
            return
        with hosted(self.top) as self.host:
            whose = {("gil", "plum"): "fay"}  # a team shares one
            places = [
                self.top / "repositories" / place[1] / f"{whose.get(place, place[0])}.git" for place in given
            ]
            assert until(lambda: all(place.exists() for place in places))
            yield

    def hand_in(self, who: str, exercise: str, script: str, when: str) -> None:
        """Work at that time, and hand it in."""
        script = f"export GIT_AUTHOR_DATE={when} GIT_COMMITTER_DATE={when}\n{script}"
        if self.host is not None:
            place = self.top / "at" / f"{who}-{exercise}"
            place.mkdir(parents=True)
            done = git(
                place,
                CLONE.format(url=self.host.remote(who, exercise), who="x")
                + script
                + "\ngit push -q origin main",
            )
            assert "got it" in done.stderr or "not yet" in done.stderr, done.stderr
        else:
            shell(unpacked(self.top, who, exercise), script)

    def grade(self) -> None:
        """Have everything graded by what the exercises say now."""
        if self.way != "host":
            muddled("grade", "in", "-q", "--pass-mark", "0", folder=self.top)
        else:
            assert until(lambda: all(graded for _, _, graded in pushes_of(self.top)))

    def totals(self, *more: str) -> dict[str, dict[str, str]]:
        """Everybody's row of the totals."""
        text = muddled("ledger", "--table", "totals", "--csv", "-", *more, folder=self.top).stdout
        return {row["id"]: row for row in csv.DictReader(io.StringIO(text), delimiter=";" if more else ",")}


@pytest.mark.parametrize("way", ["archives", "host"])
def test_four_weeks(way: str, tmp_path: Path) -> None:
    """Marks are known by construction; the totals are added up here by hand."""
    course = Course(tmp_path / "course", way)
    course.top.mkdir()
    for id_ in WEIGHTS:
        (course.top / f"{id_}.toml").write_text(JAM.replace('id = "jam"', f'id = "{id_}"'))
    (course.top / "jam.toml").write_text(JAM.replace(THEIRS, OURS))  # a slip that nobody sees yet
    course.write("ada bo cyd eve hal", WEEKS)
    with course.runs([(who, exercise) for who, exercise, *_ in STORY]):
        for who, exercise, script, when, _ in STORY:
            course.hand_in(who, exercise, script, when)
        course.grade()
        assert [course.totals()[who]["jam"] for who in ("ada", "bo")] == ["46.2", "100.0"]
    # The second week: the key is mended, cyd gets more time, and dot and a team join.
    (course.top / "jam.toml").write_text(JAM)
    muddled("settle", "cyd", "jam", "--due", "2026-10-11T18:00", "--reason", "Ill", folder=course.top)
    course.write("ada bo cyd eve hal dot fay gil", f"{WEEKS}{LATER}")
    with course.runs([(who, exercise) for who, exercise, *_ in LATER_STORY]):
        for who, exercise, script, when, _ in LATER_STORY:
            if script:
                course.hand_in(who, exercise, script, when)
        course.grade()
    muddled("ledger", "--forget", "hal", folder=course.top)
    expected: dict[str, dict[str, float]] = {}
    for who, exercise, _, _, percent in STORY + LATER_STORY:
        expected.setdefault(who, {})[exercise] = percent
    found = course.totals()
    assert set(found) == {"ada", "bo", "cyd", "eve", "dot", "fay", "gil"}
    for who, row in found.items():
        marks = {exercise: expected.get(who, {}).get(exercise, 0.0) for exercise in WEIGHTS}
        counts = [exercise for exercise in WEIGHTS if (who, exercise) != ("eve", "quince")]
        total = sum(WEIGHTS[one] * marks[one] for one in counts) / sum(WEIGHTS[one] for one in counts)
        assert float(row["total"]) == pytest.approx(total, abs=0.051), who
        assert {one: float(row[one]) for one in counts} == pytest.approx(
            {one: marks[one] for one in counts}
        ), who
    assert found["eve"]["quince"] == ""
    other = course.totals("--delimiter", ";", "--decimal", ",", "--excused", "EX")
    assert (other["eve"]["quince"], other["bo"]["jam"]) == ("EX", "46,2")
    shown = " ".join(muddled("ledger", folder=course.top).stdout.split())
    assert "excused from quince" in shown
    assert "Ada (dot)" in shown
    waits = json.loads(muddled("settle", "--json", folder=course.top).stdout)
    assert [(one["learner"], one["due"]) for one in waits["allowed"]] == [("cyd", "2026-10-11T18:00:00+02:00"), ("eve", None)]  # fmt: skip
    muddled("reply", "--out", "fb", "-q", folder=course.top)
    told = {who: " ".join((course.top / f"fb/{who}/feedback.txt").read_text().split()) for who in found}
    assert "You are excused from this exercise: it does not count. Why: Ill all week." in told["eve"]
    assert "You have time until 2026-10-11 18:00 UTC+02:00. Why: Ill." in told["cyd"]
    assert "It came 1 day late, after 2026-10-15 18:00 UTC+02:00, and loses 10 %" in told["ada"]
    assert "Two limits for one press (plum)" in told["fay"]
    undone = muddled("settle", "cyd", "jam", "--on", "due", "--undo", folder=course.top).stdout
    assert course.totals()["cyd"]["jam"] == "80.0"
    assert f"The total is {float(course.totals()['cyd']['total']):g} % now." in undone


# -- The forms of the world around ------------------------------------------------------------------------


@pytest.fixture(scope="module")
def piled(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A class of four: right, wrong, untouched, and one that copied another's file."""
    top = tmp_path_factory.mktemp("piled")
    course(top, '[[exercise]]\nscenario = "press-limit"\n', "ada bo cyd dot")
    muddled("handout", "-q", folder=top)
    works = {who: unpacked(top, who, "press-limit") for who in ("ada", "bo", "cyd", "dot")}
    limits = {who: re.findall(r"\d+", shell(work, "git show night-shift:press.toml | grep ^limit"))[0] for who, work in works.items()}  # fmt: skip
    shell(works["ada"], RIGHT)
    shell(works["bo"], WRONG)
    other = next(str(value) for value in range(41, 47) if str(value) != limits["dot"])
    shell(works["dot"], RIGHT.replace("; git commit", f"; sed -i 's/^limit = .*/limit = {other}/' press.toml; git commit"))  # fmt: skip
    muddled("grade", "in", "-q", folder=top)
    return top


def test_a_value_of_another_variant_needs_a_look(piled: Path) -> None:
    told = json.loads(muddled("settle", "--json", folder=piled).stdout)["needs_a_look"]
    assert [one["learner"] for one in told] == ["dot"]
    assert re.search(r"has a value of another variant \(4\d for 4\d\): was it copied\?", told[0]["why"][0])


@pytest.mark.parametrize(
    ("left", "told"),
    [
        ("limit = 137 bar", ("137", "45")),  # of a range of which nobody lists every number
        ("limit = 45 bar", None),  # their own
        ("limit = 501 bar", None),  # nobody's
        ("limit = 045 bar", None),
        ("limit = 137 psi", None),  # not alike
    ],
)
def test_whose_value_it_is(left: str, told: tuple[str, str] | None) -> None:
    scenario = replace(load(scenario_path("press-limit")), values={"limit": Value(between=(1, 500))})
    code = next(
        str(number) for number in range(10_000) if values_of(scenario, str(number)) == {"limit": "45"}
    )
    hunk = HunkResult(
        task=1, commit=None, file="a.txt", hunk=1, kept="blend", accepted=("ours",), outcome="missed",
        left=left, ours="limit = 40 bar", theirs="limit = 45 bar", wanted="limit = 45 bar",
    )  # fmt: skip
    found = [(one.value, one.own) for one in values_of_others(scenario, code, [hunk])]
    assert found == ([told] if told else [])


def test_forms_of_continuous_integration(piled: Path) -> None:
    forms = {
        name: piled / name
        for name in ("workflow-commands", "sarif", "code-quality", "markdown", "annotations")
    }
    muddled("grade", "in", "-q", *(f"--{name}={file}" for name, file in forms.items()), folder=piled)
    texts = {name: file.read_text("utf-8") for name, file in forms.items()}
    lines = texts["annotations"].splitlines()
    assert sum("cyd" in line for line in lines) == 1, "one for an untouched work, and not seven"
    commands = texts["workflow-commands"].splitlines()
    assert len(commands) == len(lines)
    assert all(
        re.fullmatch(r"::(error|warning) (file=[^,:]+,)?(line=\d+,)?title=[a-z]+::.+", line)
        for line in commands
    )
    (run,) = json.loads(texts["sarif"])["runs"]
    assert [one["ruleId"] for one in run["results"]] == [line.rpartition("[")[2][:-1] for line in lines]
    issues = json.loads(texts["code-quality"])
    assert len({one["fingerprint"] for one in issues}) == len(issues) == len(lines)
    assert texts["markdown"].count("<details") == 3
    assert "| Ada | press-limit | Got it | 26 of 26 | 100 |" in texts["markdown"]
    assert "accepted: theirs" in texts["markdown"]
    muddled("grade", "in", "-q", "--for-learner", "--markdown", "hints.md", folder=piled)
    assert "accepted: theirs" not in (piled / "hints.md").read_text("utf-8")


def test_tables_of_other_countries_and_in_pipes(piled: Path) -> None:
    words = ("--csv", "t.csv", "--table", "totals", "--delimiter", ";", "--decimal", ",", "--bom")
    muddled("ledger", *words, folder=piled)
    read = pandas.read_csv(piled / "t.csv", sep=";", decimal=",", encoding="utf-8-sig")
    assert dict(zip(read["id"], read["total"], strict=True)) == {
        "ada": 100,
        "bo": 46.2,
        "cyd": 0,
        "dot": 46.2,
    }
    if shutil.which("soffice"):
        told = shell(piled, 'HOME=$PWD soffice --headless --convert-to "csv:Text - txt - csv (StarCalc):9,34,76,1,,1031,false,true,false" --infilter="CSV:59,34,76,1,,1031" --outdir office t.csv >/dev/null 2>&1; cat office/t.csv')  # fmt: skip
        assert "bo\tBo\t46.2" in told, "a number of that country, and no text"
    shown = muddled("ledger", "--table", "totals", folder=piled).stdout.splitlines()
    assert shown[0].split() == ["id", "name", "total", "press-limit"]
    assert shown[2].split() == ["bo", "Bo", "46.2", "46.2"]
    piped = shell(piled, f"env -u COLUMNS {shlex.quote(sys.executable)} -m muddled_orchard settle | cat")
    assert any("dot" in line and "was it copied?" in line for line in piped.splitlines()), (
        "a record is a line"
    )
    for command, says in {
        "ledger --csv no/where.csv": "there is no folder no",
        "ledger --csv x.csv --delimiter x": "--delimiter",
        "ledger --csv x.csv --decimal , ": "are the same sign",
        "grade in --tab": 'no option "--tab"',
        "ledger --exc": 'Did you mean "--excused"?',
    }.items():
        assert says in muddled(*command.split(), folder=piled, code=2).stderr, command
    assert muddled("-q", "grade", "in", folder=piled).stdout == ""
    assert "rebase-one\n" in muddled("catalogue", "--ids", "--operation", "rebase").stdout


def test_one_persons_data_and_retention(piled: Path, tmp_path: Path) -> None:
    shutil.copytree(piled, tmp_path / "c")
    shell(
        tmp_path / "c",
        "mkdir -p repositories/press-limit; git init -q --bare repositories/press-limit/bo.git",
    )
    muddled("settle", "bo", "press-limit", "--excuse", folder=tmp_path / "c")
    told = json.loads(muddled("ledger", "--person", "bo", folder=tmp_path / "c").stdout)
    assert {name: len(rows) for name, rows in told["tables"].items()} == {
        "push": 0, "hand": 0, "password": 0, "arrival": 0, "role": 0, "grading": 1, "hand_out": 1, "allowance": 1, "settlement": 0, "learner": 1,
    }  # fmt: skip
    assert told["tables"]["grading"][0]["result"]["variant"] == told["tables"]["hand_out"][0]["variant"]
    assert told["repositories"] == ["repositories/press-limit/bo.git"]
    with database(tmp_path / "c/orchard.db") as db:  # ada and cyd are of last year
        for query in (
            "UPDATE hand_out SET made = '2024-05-05T00:00:00+00:00' WHERE learner IN ('ada', 'cyd')",
            "UPDATE grading SET graded = '2024-05-05T00:00:00+00:00' WHERE learner IN ('ada', 'cyd')",
            "UPDATE learner SET added = '2024-05-05T00:00:00+00:00' WHERE id IN ('ada', 'cyd')",
        ):
            db.execute(query)
    assert "2 learners (ada and cyd)" in muddled("ledger", "--forget-before", "2025-01-01", folder=tmp_path / "c").stdout  # fmt: skip
    assert "and 1 repository of a host" in muddled("ledger", "--forget", "bo", folder=tmp_path / "c").stdout
    assert not (tmp_path / "c/repositories/press-limit/bo.git").exists()
    assert "ada" not in muddled("ledger", "--json", folder=tmp_path / "c").stdout


def test_what_can_not_be_removed_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "jam/bo.git").mkdir(parents=True)
    monkeypatch.setattr(shutil, "rmtree", lambda *_, **__: None)  # as of a disk that is read only
    with pytest.raises(BadInput, match="can't be removed"):
        remove_repositories({"bo": [tmp_path / "jam/bo.git"]}, ["bo"])


def test_manual_pages_and_completion(piled: Path, tmp_path: Path) -> None:
    muddled("help", "--manual", tmp_path / "man")
    page = (tmp_path / "man/man1/muddled-grade.1").read_text()
    assert "\n.SH NAME\nmuddled\\-grade \\- grade one submission or a whole folder of them\n" in page
    if shutil.which("mandoc"):
        assert shell(tmp_path, "mandoc -Tlint man/man1/*.1 || true") == ""
    for what, word in (("learners", "cyd"), ("exercises", "press-limit"), ("scenarios", "three-knots")):
        assert f"{word}\n" in muddled("help", "--words", what, folder=piled).stdout
    assert muddled("help", "--words", "learners", folder=tmp_path).stdout == ""
    for shell_name, check in {"bash": "bash -n", "zsh": "zsh -n", "fish": "fish -n"}.items():
        script = tmp_path / shell_name
        script.write_text(muddled("help", "--completion", shell_name).stdout)
        assert "muddled help --words learners" in script.read_text()
        if shutil.which(shell_name):
            shell(tmp_path, f"{check} {script}")
    asked = "COMP_WORDS=(muddled settle c); COMP_CWORD=2; f=$(complete -p muddled | sed 's/.*-F \\([^ ]*\\).*/\\1/'); $f muddled c settle; echo ${COMPREPLY[@]}"  # fmt: skip
    path = f"{shlex.quote(str(Path(sys.executable).parent))}:$PATH"
    said = subprocess.run(["bash", "-c", f'PATH={path}; source {tmp_path}/bash; {asked}'], cwd=piled, capture_output=True, text=True, check=False)  # fmt: skip
    assert said.stdout.strip() == "cyd"
