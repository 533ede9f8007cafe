"""Practising alone: a beginner's hour, and the rule of what comes next."""

from __future__ import annotations

import json
import re
import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from urllib.error import HTTPError

import pytest
from benchmarks.drill import simulated

from muddled_orchard.core.course.drilling import Try, next_exercise, standing_of
from muddled_orchard.core.key.exercise_summary import Difficulty, ExerciseSummary
from muddled_orchard.files.scenarios.catalogue import load, scenario_path
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from tests.conftest import graded, muddled
from tests.hosts import RunningHost, course_of, git, hosted


def at_hand(folder: Path) -> dict[str, Any]:
    """What the program says is at hand."""
    found: dict[str, Any] = json.loads(muddled("drill", "--json", folder=folder).stdout)["at_hand"]
    return found


def act(folder: Path, behaviour: str) -> Path:
    """Work on the exercise at hand as this learner does; where it lies."""
    here = at_hand(folder)
    place: Path = folder / "drill" / here["folder"]
    key = make_key(
        ScratchRepository(folder / f"{here['variant']}.git"),
        load(scenario_path(here["exercise"])),
        here["variant"],
    )
    named(behaviour, key).act(LearnerSession(place / "work", key, "ada"))
    return place


def test_a_beginners_first_hour(tmp_path: Path) -> None:
    """Lost, wrong three times, the same with other values, right, another one, the answer, and handed in."""
    assert "Begin with one of them" in muddled("drill", folder=tmp_path).stdout
    assert "there is no" in muddled("drill", "rebas", folder=tmp_path, code=2).stderr

    begun = muddled("drill", "rebase", folder=tmp_path).stdout
    first = at_hand(tmp_path)
    assert f"drill/{first['folder']}/BRIEF.md" in begun
    assert "is at hand" in muddled("drill", "merge", folder=tmp_path, code=2).stderr
    lost = muddled("drill", folder=tmp_path, code=1).stdout
    assert "to begin" in lost  # as peek says it
    work = tmp_path / "drill" / first["folder"] / "work"
    git(work, "git rebase main")
    assert {"git rebase --abort" in muddled("drill", folder=tmp_path, code=1).stdout for _ in range(3)} == {
        True
    }
    git(work, "git rebase --abort")
    assert at_hand(tmp_path)["failed"] == 0, "what is not done yet counts for nothing"

    act(tmp_path, "kept ours")
    said = [muddled("drill", folder=tmp_path, code=1).stdout for _ in range(3)]
    assert len(set(said)) == 3
    assert "It tells more each time" in said[0]
    assert "--hint" not in "".join(said)
    assert "The same task with other values" in said[2]
    second = at_hand(tmp_path)
    assert second["exercise"] == first["exercise"]
    assert second["variant"] != first["variant"]

    act(tmp_path, "right")
    right = muddled("drill", "--check", folder=tmp_path).stdout
    assert "Got it." in right
    assert "muddled drill rebase" in right
    skills = {
        one["skill"]: one for one in json.loads(muddled("drill", "--json", folder=tmp_path).stdout)["skills"]
    }
    assert (skills["rebase"]["tried"], skills["rebase"]["in_a_row"], skills["rebase"]["sits"]) == (
        2,
        1,
        False,
    ) or (
        skills["rebase"]["tried"] == 1  # what was left in the file says nothing of the rebase
    )
    assert skills["contents"]["tried"] == 2

    muddled("drill", "--any", folder=tmp_path)
    third = at_hand(tmp_path)
    answer = muddled("drill", "--show", folder=tmp_path).stdout
    assert "$ git merge" in answer
    assert "\n\n\n" not in answer
    assert at_hand(tmp_path)["exercise"] == third["exercise"]
    table = muddled("drill", "--table", folder=tmp_path).stdout
    assert f"At hand: drill/{at_hand(tmp_path)['folder']}" in table

    muddled("drill", "--export", "drilled.zip", folder=tmp_path)
    result = graded(tmp_path / "drilled.zip")
    assert [one["state"] for one in result.values()] == ["untouched", "untouched", "finished", "finished"]
    assert [one["points"] == one["possible"] for one in result.values()][2:] == [False, True]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "this is no progress of a drill"),
        ('{"format": 2}', "this is no progress of a drill"),
        ('{"tries": [{"exercise": 3}]}', "this is no progress of a drill"),
    ],
)
def test_damaged_progress_is_said_and_kept(text: str, says: str, tmp_path: Path) -> None:
    """It is never written over."""
    (tmp_path / "drill").mkdir()
    (tmp_path / "drill/progress.json").write_text(text)
    for more in ([], ["merge"], ["--check"]):
        found = muddled("drill", *more, folder=tmp_path, code=2).stderr
        assert says in found
        assert "Move it away" in found
    assert (tmp_path / "drill/progress.json").read_text() == text


def test_what_a_course_drills(tmp_path: Path) -> None:
    """`--any` keeps to it; a word of which nothing is known is said with its line; a folder taken away is gone."""
    course = '[[exercise]]\nscenario = "cellar-by-rebase"\n'
    (tmp_path / "course.toml").write_text(f'drill = ["rebas"]\n{course}')
    said = muddled("drill", "--any", folder=tmp_path, code=2).stderr
    assert "course.toml:1" in said
    assert "rebase" in said
    (tmp_path / "course.toml").write_text(f'drill = ["modify/delete"]\n{course}')
    assert "Drilling modify/delete" in muddled("drill", "--any", folder=tmp_path).stdout
    assert "don't go together" in muddled("drill", "merge", "--show", folder=tmp_path, code=2).stderr
    shutil.rmtree(tmp_path / "drill" / at_hand(tmp_path)["folder"])
    assert "no exercise is at hand" in muddled("drill", "--check", folder=tmp_path, code=2).stderr
    assert "nothing was drilled" in muddled("drill", "--export", "it.zip", folder=tmp_path, code=2).stderr
    assert not (tmp_path / "it.zip").exists()


def test_practice_is_shown_and_never_counted(tmp_path: Path) -> None:
    """A drill that is handed in among the class: packed, unpacked, alone, and in the folders of a board."""
    (tmp_path / "course.toml").write_text('roster = "r.csv"\n[[exercise]]\nscenario = "press-limit"\n')
    (tmp_path / "r.csv").write_text("id,name\nada,Ada\nben,Ben\n")
    muddled("handout", "--out", "out", "--pack", "folder", folder=tmp_path)
    muddled("drill", "rebase", folder=tmp_path)
    act(tmp_path, "right")
    muddled("drill", folder=tmp_path)
    muddled("drill", "merge", "--folder", "drill", folder=tmp_path)
    (tmp_path / "inbox").mkdir()
    muddled("drill", "--export", "inbox/ada.zip", folder=tmp_path)
    shutil.copytree(tmp_path / "drill", tmp_path / "inbox/ben")
    shutil.copytree(tmp_path / "out/press-limit/ben", tmp_path / "inbox/ben press-limit")
    told = muddled("grade", "inbox", "--csv", "-", "--pass-mark", "0", folder=tmp_path).stdout.splitlines()
    assert [row.split(",")[:3:2] for row in told] == [
        ["id", "exercise"],
        ["ben", "press-limit"],
        ["ada", "press-limit"],
    ]
    found = json.loads(muddled("grade", "inbox", "--json", folder=tmp_path).stdout)
    rows = [(one["learner"], one["uncounted"], one["percent"]) for one in found["submissions"]]
    assert sorted(rows) == [
        ("ada", "practice", 0), ("ada", "practice", 100), ("ben", "", 0),
        ("ben", "practice", 0), ("ben", "practice", 100),
    ]  # fmt: skip
    assert [one["kind"] for one in found["class"]] == ["missing", "shared"]
    assert "4 practice" in muddled("grade", "inbox", folder=tmp_path).stdout
    assert (
        "It is practice, of a drill"
        in muddled("grade", "drill/" + at_hand(tmp_path)["folder"], folder=tmp_path).stdout
    )
    alone = json.loads(muddled("grade", "inbox/ada.zip", "--json", folder=tmp_path).stdout)
    assert {one["learner"] for one in alone["submissions"]} == {"ada"}
    kept = json.loads(muddled("ledger", "--json", folder=tmp_path).stdout)
    assert {one["exercise"] for one in kept["gradings"]} == {"press-limit"}

    shutil.copytree(tmp_path / "drill", tmp_path / "folders/ada/drill")
    board = json.loads(muddled("board", "folders", "--json", folder=tmp_path).stdout)["learners"]
    assert {(one["learner"], one["practice"], one["done"], one["exercises"]) for one in board} == {
        ("ada", False, 0, 1), ("ben", False, 0, 1)
    }  # fmt: skip
    git(
        tmp_path / "folders/ada/drill" / at_hand(tmp_path)["folder"] / "work",
        "git merge $(git branch | grep -v '*' | head -1)",
    )
    (_, row) = json.loads(muddled("board", "folders", "--json", folder=tmp_path).stdout)["learners"]
    assert (row["learner"], row["practice"], row["stage"]) == ("ada", True, "in a conflict")


def test_a_host_gives_exercises_to_practise(tmp_path: Path) -> None:
    """Wrong three times, with more told each time; the same with other values, right; and the host begun anew."""
    course_of(tmp_path, ["ada", "ben"], 'drill = ["rebase"]\n[[exercise]]\nscenario = "cellar-by-rebase"\n')

    def ask(host: RunningHost, skill: str = "") -> str:
        token = re.search(r'name="token" value="([^"]+)"', host.page("ada", "/"))
        assert token
        page = host.data("ada", "/drill", {"token": token[1], "skill": skill}).decode()
        found = re.search(r"git/ada/(drill\.[a-z-]+)\.git", page)
        return found[1] if found else ""

    def pushed(host: RunningHost, id_: str, place: str, script: str) -> str:
        got = git(
            tmp_path,
            f"git clone -q {host.remote('ada', id_)} {place} && cd {place} && git fetch -q origin main:main",
        )
        assert not got.returncode, got.stderr
        return git(tmp_path / place, f"{script}; git push -f origin HEAD 2>&1").stdout

    with hosted(tmp_path) as host:
        with pytest.raises(HTTPError):
            ask(host, "merge")
        id_ = ask(host, "rebase")
        assert id_.startswith("drill.")
        assert id_ != "drill.cellar-by-rebase", "what the course hands out is not drilled"
        assert ask(host) == id_, "there is one at hand"
        said = pushed(host, id_, "first", "git merge -X ours main -m x")
        pages = [host.page("ada", f"/exercise/{id_}")]
        for number in range(2):
            assert "is over" not in said
            said = git(
                tmp_path / "first", f"git commit -q --allow-empty -m {number}; git push origin HEAD 2>&1"
            ).stdout
            pages.append(host.page("ada", f"/exercise/{id_}"))
        assert "is over" in said
        assert ["Next exercise" in page for page in pages] == [False, False, True]
        assert 'rebase</th><td data-name="Tried" class="number">1<' in host.page("ada", "/")
        (row, _) = json.loads(muddled("board", "--json", folder=tmp_path).stdout)["learners"]
        assert (row["learner"], row["practice"], row["done"], row["exercises"]) == ("ada", True, 0, 1)
        assert f"board/ada/{id_}" in host.page("instructor", "/board")
        assert "Push 3" in host.page("instructor", f"/board/ada/{id_}")
        assert ask(host) == id_
    with hosted(tmp_path) as host:
        assert ask(host) == id_
        assert "is over" in pushed(
            host,
            id_,
            "second",
            "git rebase main; git rebase --skip",
        )
        assert "At hand" not in host.page("ada", "/")
        totals = json.loads(muddled("ledger", "--json", folder=tmp_path).stdout)
        assert not totals["gradings"]
        assert {one["exercise"] for one in totals["hand_outs"]} == {"cellar-by-rebase"}
        assert "drill" in muddled("ledger", "--person", "ada", folder=tmp_path).stdout
    first, second = (
        git(tmp_path / place, "git log --format=%H --max-parents=0 main").stdout
        for place in ("first", "second")
    )
    assert first != second


NOW = datetime(2031, 9, 1, 8, tzinfo=UTC)


def tried(*rows: tuple[float, str, str, str]) -> list[Try]:
    """Tries of (hours since the first, exercise, variant, what went wrong), each about a rebase and contents."""
    return [
        Try(
            exercise=exercise, variant=variant, at=NOW + timedelta(hours=hours),
            skills=("rebase", "contents"), wrong=tuple(wrong.split()),
        )
        for hours, exercise, variant, wrong in rows
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("tries", "standing"),
    [
        ([], (0, 0, False, None)),
        (tried((0, "a", "1", ""), (1, "a", "2", "")), (2, 2, False, None)),
        (tried((0, "a", "1", ""), (1, "a", "2", ""), (2, "b", "1", "")), (3, 3, False, 20)),
        (tried((0, "a", "1", ""), (1, "a", "2", ""), (21, "b", "1", "")), (3, 3, True, None)),
        (tried((0, "a", "1", ""), (1, "a", "1", ""), (21, "a", "1", "")), (3, 3, False, None)),
        (tried((0, "a", "1", ""), (1, "a", "2", "rebase"), (2, "b", "1", "")), (3, 1, False, None)),
        (tried((0, "a", "1", ""), (1, "a", "2", "contents"), (2, "b", "1", "")), (2, 2, False, None)),
    ],
)
def test_when_a_skill_sits(tries: list[Try], standing: tuple[int, int, bool, float | None]) -> None:
    """Three times in a row with other values, one of them a day later; what another skill spoiled says nothing."""
    found = standing_of("rebase", tries)
    again = None if found.again is None else (found.again - NOW) / timedelta(hours=1)
    assert (found.tried, found.in_a_row, found.sits, again) == standing


def test_what_comes_next() -> None:
    """What went wrong once more; else another skill; nothing while all of it waits for another day."""

    def exercise(id_: str, operation: str, kind: str, points: int) -> ExerciseSummary:
        return ExerciseSummary(
            id=id_, title=id_, operations=(operation,), kinds=(kind,), hunks=1,
            difficulty=Difficulty(points, "easy", ()),
        )  # fmt: skip

    known = [
        exercise("a", "rebase", "contents", 1),
        exercise("b", "rebase", "contents", 5),
        exercise("c", "merge", "add/add", 3),
    ]

    def follows(*rows: tuple[float, str, str, str], wanted: tuple[str, ...] = ()) -> tuple[str, str] | None:
        found = next_exercise(known, tried(*rows), NOW + timedelta(hours=2), wanted)
        return None if found is None else (found[0].id, found[1])

    assert follows() == ("a", "rebase")
    assert follows((0, "a", "1", "rebase")) == ("a", "rebase")
    assert follows((0, "a", "1", ""))[0] == "c"  # type: ignore[index]
    assert follows((0, "a", "1", ""), wanted=("rebase",)) == ("b", "rebase")
    thrice = ((0, "a", "1", ""), (1, "a", "2", ""), (2, "b", "1", ""))
    assert follows(*thrice, wanted=("rebase", "contents")) is None


def test_the_drill_mends_what_is_lacking_sooner() -> None:
    """Each of ten learners who lack three skills needs fewer exercises than by the catalogue in order."""
    drill, in_order = simulated(10)
    assert all(one < other for one, other in zip(drill, in_order, strict=True))
