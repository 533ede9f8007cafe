"""A course: which attempt counts, what late work loses, and everybody's total."""

from __future__ import annotations

import csv
import io
import json
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from muddled_orchard.core.course.plan import CourseExercise, CoursePlan, Late
from muddled_orchard.core.course.records import Grading, Work
from muddled_orchard.core.course.totals import attempts_of, counting, totals
from muddled_orchard.core.grading.verdicts import (
    CriterionVerdict,
    OutcomeVerdict,
    SettledVerdict,
    Verdicts,
)
from muddled_orchard.files.course.course_file import bundled_courses, load_course
from tests.conftest import muddled, shell

DUE = datetime(2031, 9, 8, 18, tzinfo=UTC)


def grading(points: float, hours: float, seen: float | None = None, *, name: str = "", state: str = "finished", earned: float | None = None) -> Work:  # fmt: skip
    """An attempt made so many hours after the due time, and first graded `seen` hours after it."""
    made = DUE + timedelta(hours=hours)
    graded = DUE + timedelta(hours=hours + 1 if seen is None else seen)
    one = Grading(submission=f"in/{points}", fingerprint=name or str(points), version="1", scenario="s", exercise="hives", variant="v", learner="ada", state=state, points=points, possible=10.0, result="", graded=graded.isoformat())  # fmt: skip
    criteria = (CriterionVerdict("resolution", OutcomeVerdict("partly", points / 10), points, 10),)
    settled = None if earned is None else SettledVerdict(earned)
    return Work(one, Verdicts(state="finished", criteria=criteria, hunks=(), ended=int(made.timestamp()), settled=settled))  # fmt: skip


# How late work and attempts are treated, the attempts, and what counts: percent, days late, by what that is known.
CASES: dict[str, tuple[str, tuple[float, float] | None, list[tuple[float, ...]], tuple[float, int, str]]] = {
    "in time": ("best", (10, 50), [(8, -1)], (80, 0, "newest commit")),
    "the minute it is due": ("best", (10, 50), [(8, 0)], (80, 0, "newest commit")),
    "an hour late": ("best", (10, 50), [(8, 1)], (72, 1, "newest commit")),
    "a day and an hour": ("best", (10, 50), [(8, 25)], (64, 2, "newest commit")),
    "very late": ("best", (10, 50), [(8, 2400)], (40, 100, "newest commit")),
    "late, and it costs nothing": ("best", None, [(8, 25)], (80, 2, "newest commit")),
    "a clock that is ahead": ("best", (10, 50), [(8, 900, -2)], (80, 0, "first graded")),
    "the best": ("best", (10, 50), [(8, -9), (6, -5), (7, -1)], (80, 0, "newest commit")),
    "the best after what it lost": ("best", (50, 100), [(7, -1), (10, 30)], (70, 0, "newest commit")),
    "the last": ("last", (10, 50), [(8, -9), (6, -5)], (60, 0, "newest commit")),
    "the first": ("first", (10, 50), [(8, -9), (9, -5)], (80, 0, "newest commit")),
}


@pytest.mark.parametrize("name", CASES)
def test_what_counts(name: str) -> None:
    which, late, made, expected = CASES[name]
    exercise = CourseExercise(
        scenario="hives.toml", due=DUE, late=Late(a_day=late[0], most=late[1]) if late else None
    )
    plan = CoursePlan(exercise=(exercise,), attempts=which)  # type: ignore[arg-type]  # one of its words
    found = attempts_of(plan, {"hives.toml": "hives"}, [grading(*numbers) for numbers in made])
    counts = counting(found, plan.attempts)
    assert counts is not None
    assert (counts.counted, counts.days_late, counts.known) == expected


def test_the_total_is_over_what_was_handed_out() -> None:
    plan = CoursePlan(
        pass_mark=50,
        exercise=(CourseExercise(scenario="hives", weight=3), CourseExercise(scenario="press"), CourseExercise(scenario="later")),
    )  # fmt: skip
    ids = {"hives": "hives", "press": "press", "later": "later"}
    given = [(learner, exercise) for learner in ("ada", "bo") for exercise in ("hives", "press")]
    again, stale = grading(8, -1, name="same"), grading(2, -1, -0.5, name="same", state="finished")
    untouched = grading(0, -1, name="other", state="untouched")
    found = totals(plan, ids, attempts_of(plan, ids, [stale, again, untouched]), given, ["ada", "bo"])
    (ada, bo) = found
    assert (ada.percent, ada.passed, bo.percent, bo.passed) == (60, True, 0, False)
    assert [(mark.exercise, mark.percent, mark.attempts, mark.passed) for mark in ada.marks] == [("hives", 80, 1, True), ("press", 0, 0, False)]  # fmt: skip


BAD = {
    'titel = "x"\n[[exercise]]\nscenario = "press-limit"': 'course.toml:1: titel: "titel" is no key here\n  Did you mean "title"?',
    'late = { a_day = 110 }\n[[exercise]]\nscenario = "press-limit"': "course.toml:1: late: late is in percent, from 0 to 100, not 110",
    'attempts = "worst"\n[[exercise]]\nscenario = "press-limit"': 'course.toml:1: attempts: expected "best", "last" or "first", found "worst"',
    "exercise = []": "course.toml: a course needs at least one [[exercise]]",
    '[[exercise]]\nscenario = "press-limi"': 'course.toml:2: exercise[1].scenario: there is no scenario "press-limi": no such file here, and none is bundled',
    '[[exercise]]\nscenario = "press-limit"\ndue = 2031-09-01T08:00:00': "course.toml:1: exercise[1]: a time needs its time zone",
    '[[exercise]]\nscenario = "press-limit"\nopens = 2031-09-02T08:00:00Z\ndue = 2031-09-01T08:00:00Z': "exercise[1]: it is due before it opens",
    '[[exercise]]\nscenario = "press-limit"\n[[exercise]]\nscenario = "press-limit"': 'course.toml:4: exercise[2].scenario: the exercise "press-limit" is in the course already',
    '[[exercise]]\nscenario = "press-limit"\nweight = -1': "exercise[1]: a weight is from 0 to 1000, not -1",
    'pack = "rar"\n[[exercise]]\nscenario = "press-limit"': 'course.toml:1: pack: "rar" is no form of hand-outs',
}  # fmt: skip


@pytest.mark.parametrize("text", BAD)
def test_what_is_wrong_with_a_course_is_told_with_its_place(text: str, tmp_path: Path) -> None:
    (tmp_path / "course.toml").write_text(text + "\n")
    done = muddled("handout", folder=tmp_path, code=2)
    assert BAD[text] in done.stderr
    assert sorted(path.name for path in tmp_path.iterdir()) == ["course.toml"]


def test_class_commands_take_everything_from_the_course(tmp_path: Path) -> None:
    muddled("sketch", "course", folder=tmp_path)
    text = (tmp_path / "course.toml").read_text()
    exercises = '[[exercise]]\nscenario = "press-limit"\nweight = 3\ndue = 2026-01-02T03:00:00Z\n[[exercise]]\nscenario = "own.toml"\n[[exercise]]\nscenario = "rebase-one"\nopens = 2999-01-01T00:00:00Z\n'  # fmt: skip
    (tmp_path / "course.toml").write_text(text.partition("[[exercise]]")[0] + exercises)
    (tmp_path / "own.toml").write_text(muddled_text("kept-recipe").replace("kept-recipe", "own"))
    (tmp_path / "class.csv").write_text("id,name,group\nada,Ada Quince,A\nbo,Bo Medlar,B\n")
    done = muddled("handout", folder=tmp_path)
    assert "2 exercises: 2 learners, 4 handed out." in done.stdout
    assert done.stderr == "Not open yet: rebase-one.\n"
    shell(
        tmp_path,
        "mkdir in; for l in ada bo; do mkdir in/$l; tar xzf hand-outs/press-limit/$l.tar.gz -C in/$l; done",
    )
    merge = "git merge -q night-shift || true; git checkout -q --theirs . && git add -A && GIT_COMMITTER_DATE=2026-01-03T04:00:00Z git commit -qm merged"  # fmt: skip
    shell(tmp_path / "in/ada/press-limit/work", merge)
    assert "12.0" not in muddled("grade", "in", folder=tmp_path, code=1).stdout  # bo is below the pass mark
    table = list(csv.DictReader(io.StringIO(muddled("ledger", "--csv", "-", "--table", "totals", folder=tmp_path).stdout)))  # fmt: skip
    (attempt,) = csv.DictReader(io.StringIO(muddled("ledger", "--csv", "-", "--table", "attempts", folder=tmp_path).stdout))  # fmt: skip
    assert (attempt["made (UTC)"], attempt["days late"], attempt["known by"], attempt["counts"]) == ("2026-01-03 04:00", "2", "newest commit", "yes")  # fmt: skip
    counted = round(float(attempt["percent"]) * 0.8, 1)
    assert [(row["id"], row["total"], row["press-limit"], row["own"], row["group"]) for row in table] == [("ada", str(round(counted * 3 / 4, 1)), str(counted), "0.0", "A"), ("bo", "0.0", "0.0", "0.0", "B")]  # fmt: skip
    course = json.loads(muddled("ledger", "--json", folder=tmp_path).stdout)["course"]
    assert [total["passed"] for total in course["totals"]] == [counted * 3 / 4 >= 60, False]
    shown = " ".join(muddled("ledger", folder=tmp_path).stdout.split())
    assert "First conflicts" in shown
    assert "told by its newest commit, as the learner's own clock had it (1 attempt)" in shown
    # A platform's import file: its own headings, a mark that it is UTF-8; a verdict of a person counts.
    muddled("settle", "bo", "own", "--earns", "50", "--reason", "Showed it", folder=tmp_path)
    muddled("ledger", "--csv", "import.csv", "--table", "totals", "--columns", 'Login=id,"Final, grade"=total,group=group', "--bom", folder=tmp_path)  # fmt: skip
    assert (tmp_path / "import.csv").read_bytes().decode() == f'\ufeffLogin,"Final, grade",group\nada,{round(counted * 3 / 4, 1)},A\nbo,12.5,B\n'  # fmt: skip
    marks = list(csv.DictReader(io.StringIO(muddled("ledger", "--csv", "-", "--table", "marks", folder=tmp_path).stdout)))  # fmt: skip
    assert [(row["id"], row["exercise"], row["percent"], row["days late"], row["lost percent"], row["attempts"], row["settled"].partition(" by ")[0], row["group"]) for row in marks] == [
        ("ada", "press-limit", str(counted), "2", "20.0", "1", "", "A"), ("ada", "own", "0.0", "", "", "0", "", "A"),
        ("bo", "press-limit", "0.0", "", "", "0", "", "B"), ("bo", "own", "50.0", "", "", "0", "all 50 %", "B"),
    ]  # fmt: skip
    for words, told in {"--columns Login=idd": 'there is no column "idd"', "--columns Login": "can't be read", "--columns =id": "can't be read"}.items():  # fmt: skip
        assert told in muddled("ledger", "--csv", "x.csv", *words.split(), folder=tmp_path, code=2).stderr
    assert "--bom goes with --csv" in muddled("ledger", "--bom", folder=tmp_path, code=2).stderr
    assert "--bom goes with --csv" in muddled("grade", "in", "--bom", folder=tmp_path, code=2).stderr
    muddled("grade", "in", "--csv", "pile.csv", "--wide", "--columns", "Login=id,Points=press-limit", "--bom", "--quiet", folder=tmp_path, code=1)  # fmt: skip
    assert (tmp_path / "pile.csv").read_bytes().decode() == "\ufeffLogin,Points\nada,24.0\nbo,0.0\n"
    assert not (tmp_path / "x.csv").exists()


def muddled_text(id_: str) -> str:
    """The text of a bundled scenario."""
    from muddled_orchard.files.scenarios.bundled import BUNDLED

    return (BUNDLED / f"{id_}.toml").read_text()


@pytest.mark.parametrize("id_", bundled_courses())
def test_bundled_courses_have_exercises_that_are_there_and_a_page(id_: str) -> None:
    course = load_course(Path(id_))
    assert len(course.ids) == len(course.plan.exercise) >= 6
    page = (Path(__file__).parent.parent / "docs/courses.md").read_text("utf-8")
    assert all(f"| `{exercise}` |" in page for exercise in course.ids.values())
