"""The board: who needs help first, from plain data, and from folders in which learners are at work."""

from __future__ import annotations

import io
import json
from datetime import UTC, datetime
from pathlib import Path

import pytest

from muddled_orchard.classroom.marking import GradingRun
from muddled_orchard.commands.board.folder_board import FolderBoard, folder_board
from muddled_orchard.commands.board.terminal import board_view
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.phrases import ago
from muddled_orchard.core.course.board import STAGES, Seen, Stage, board
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.show.terminal.console import console
from tests.conftest import muddled, shell
from tests.test_class import RIGHT, WRONG

EDITED = RIGHT.replace("git commit -qam merged", "true")

# What a learner has typed, the stage that is seen, and what stands behind it.
AT_WORK: dict[str, tuple[str, Stage, str]] = {
    "ada": ("true", "nothing begun", ""),
    "bo": ("git merge -q night-shift >/dev/null || true", "in a conflict", "press.toml (1 hunk left)"),
    "cyd": (EDITED, "not staged", "press.toml"),
    "dot": (f"{EDITED}git add press.toml", "not committed", "the merge is not completed"),
    "eva": (WRONG, "not right", "1 conflict not resolved as accepted"),
    "fay": (RIGHT, "done", ""),
    "gus": (f"{RIGHT}echo more >> README.md", "not committed", "README.md changed"),
    "hal": (WRONG, "not right", "1 conflict not resolved as accepted"),
}


@pytest.fixture
def course(tmp_path: Path) -> Path:
    """A folder of practice folders, with a learner at each stage."""
    rows = "".join(f"{id_},{id_.title()}\n" for id_ in AT_WORK)
    (tmp_path / "roster.csv").write_text(f"id,name\n{rows}", "utf-8")
    words = (
        "handout",
        "press-limit",
        "rebase-four",
        "pull-by-merge",
        "--roster",
        "roster.csv",
        "--out",
        "out",
        "--pack",
        "folder",
        "--quiet",
    )
    muddled(*words, folder=tmp_path)
    for who, (script, _, _) in AT_WORK.items():
        shell(tmp_path / "out/press-limit" / who / "work", script)
    return tmp_path


def rows_of(folder: Path, *named: str) -> dict[str, dict[str, object]]:
    data = json.loads(muddled("board", *named, "--json", folder=folder).stdout)
    return {row["learner"]: row for row in data["learners"]}


def looked_at(boards: FolderBoard) -> list[tuple[str, str]]:
    return [(row.learner, row.seen.stage) for row in boards.look().rows]


def test_folders_show_where_everybody_stands(course: Path) -> None:
    mine = muddled("board", "out/press-limit", "--json", "--ledger", "orchard.db", folder=course).stdout
    data = json.loads(mine)
    found = {row["learner"]: row for row in data["learners"]}
    for who, (_, stage, detail) in AT_WORK.items():
        if stage != "done":  # who is done is shown with the next exercise
            assert (found[who]["stage"], found[who]["detail"]) == (stage, detail), who
    assert (found["fay"]["exercise"], found["fay"]["done"]) == ("rebase-four", 1)
    order = [str(row["stage"]) for row in data["learners"] if row["exercise"] == "press-limit"]
    assert order == sorted(order, key=[str(stage) for stage in STAGES].index), (
        "who needs help first comes first"
    )
    assert data["common"] == {
        "what": "press-limit: press.toml, hunk 1: kept ours",
        "learners": ["eva", "hal"],
    }
    work = course / "out/rebase-four/fay/work"
    shell(work, "git rebase main >/dev/null 2>&1 || true")
    assert (
        rows_of(course, "out/rebase-four", "out/press-limit")["fay"]["detail"]
        == "plan.txt (1 hunk left), step 2 of 4"
    )
    # A clone of a host's repository: done here, and not there yet; whose hand is raised the ledger knows.
    shell(
        course,
        "git clone -q --bare out/press-limit/ada/work srv/ada.git; git clone -q srv/ada.git out/cloned/ada",
    )
    shell(course / "out/cloned/ada", f"git branch night-shift origin/night-shift; {RIGHT}")
    ledger = HostLedger(course / "orchard.db")
    ledger.raise_hand("ada", "press-limit")
    ledger.close()
    ada = rows_of(course, "out/cloned")["ada"]
    assert (ada["exercise"], ada["stage"]) == ("press-limit", "not pushed")
    assert ada["hand"]
    shown = muddled("board", "out/press-limit", "--show", "bo", folder=course).stdout
    for part in (
        "In the middle of a merge on main.",
        "press.toml, hunk 1",
        "ours (main)",
        "theirs (night-shift)",
        "<<<<<<< HEAD",
    ):
        assert part in shown
    table = muddled("board", "out/press-limit", "--once", folder=course).stdout
    assert "2 make the same mistake: press-limit: press.toml, hunk 1: kept ours (eva and hal)" in " ".join(
        table.split()
    )


def test_only_what_changed_is_looked_at_and_nothing_is_touched(
    course: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    place = course / "out/press-limit"
    hostile = place / "bo/work"
    shell(
        hostile,
        f"git config core.fsmonitor 'touch {course}/PWNED'; echo '#!/bin/sh\ntouch {course}/PWNED' > .git/hooks-x; git config core.hooksPath .git/hooks-x",
    )
    before = shell(place, "find . -printf '%p %s %T@ %i\n' | sort")
    ledger = Ledger(course / "orchard.db")
    asked: list[int] = []
    with folder_board([place], GradingRun(ScenarioLibrary(), ledger), Bounds(), 2) as boards:
        look = boards._looked_at
        monkeypatch.setattr(boards, "_looked_at", lambda paths: asked.append(len(paths)) or look(paths))  # type: ignore[func-returns-value]
        first = looked_at(boards)
        assert looked_at(boards) == first
        assert asked == [len(AT_WORK), 0]
        assert shell(place, "find . -printf '%p %s %T@ %i\n' | sort") == before
        shell(place / "bo/work", "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' press.toml")
        shell(place / "eva/work", "git reset -q --hard HEAD~1")
        assert dict(looked_at(boards))["bo"] == "not staged"
        assert asked == [len(AT_WORK), 0, 2]
        since = {row.learner: row.seen.since for row in boards.look().rows}
        shell(place / "bo/work", "echo >> press.toml")
        assert {row.learner: row.seen.since for row in boards.look().rows} == since, (
            "a stage lasts since it began"
        )
        # Read in the middle of a command: it stays as it was until it can be read again.
        index = place / "cyd/work/.git/index"
        whole = index.read_bytes()
        index.write_bytes(whole[:50])
        assert dict(looked_at(boards))["cyd"] == "not staged"
        assert dict(looked_at(boards))["cyd"] == "unreadable"
        index.write_bytes(whole)
        assert dict(looked_at(boards))["cyd"] == "not staged"
    ledger.close()
    assert not (course / "PWNED").exists()


def test_what_can_not_be_watched_is_told(course: Path) -> None:
    for more, says in (
        (("nowhere",), "nowhere: there is no such file or folder"),
        (("out/press-limit", "--show", "zed"), 'there is no learner "zed" on the board'),
        (("out/press-limit", "--every", "0.1"), "--every 0.1 is too often"),
        (("--ledger", "none.db"), "there is no such ledger"),
    ):
        assert says in muddled("board", *more, folder=course, code=2).stderr
    assert "nothing begun" in muddled("board", "--once", folder=course).stdout, "a ledger without a push"


def seen(
    stage: Stage, since: float, *, repeated: int = 0, mistakes: tuple[str, ...] = (), exercise: str = "x"
) -> Seen:
    return Seen(
        exercise=exercise, title=exercise, stage=stage, since=since, repeated=repeated, mistakes=mistakes
    )


def test_who_needs_help_first_comes_first() -> None:
    class_of = {
        "done": [seen("done", 1)],
        "wrong": [seen("not right", 1, mistakes=("m", "n"))],
        "again": [seen("not right", 9, repeated=2, mistakes=("m",))],
        "late": [seen("nothing begun", 5)],
        "idle": [seen("nothing begun", 1)],
        "going on": [seen("done", 3, exercise="a"), seen("nothing begun", 0)],
        "conflict": [seen("in a conflict", 1)],
        "second hand": [seen("not committed", 1)],
        "first hand": [seen("done", 1)],
        "two": [seen("not right", 2, exercise="a", mistakes=("a",)), seen("in a conflict", 8)],
        "nothing": [],
    }
    shown = board(class_of, {}, {"second hand": 20.0, "first hand": 10.0})
    assert [row.learner for row in shown.rows] == [
        "first hand", "second hand", "again", "idle", "late", "going on", "conflict", "two", "wrong", "done",
    ]  # fmt: skip
    rows = {row.learner: row for row in shown.rows}
    assert (rows["going on"].seen.since, rows["going on"].done, rows["going on"].of) == (3, 1, 2)
    assert rows["two"].seen.stage == "in a conflict", "the newest news"
    assert shown.common is not None
    assert (shown.common.what, shown.common.learners) == ("m", ("again", "wrong"))
    assert shown.counts["nothing begun"] == 3


def test_how_long_ago_something_was() -> None:
    for since, said in (
        (100.0, "now"),
        (40.0, "1 min"),
        (-3_500.0, "1 h"),
        (-90_000 * 3.0, "3 d"),
        (500.0, "now"),
        (None, ""),
    ):
        assert ago(since, 120.0) == said


def test_a_board_fits_its_terminal() -> None:
    many = {f"l{number}": [seen("in a conflict", 0)] for number in range(100)}
    on = console(io.StringIO())
    on.width, on.height, on.record = 80, 24, True
    on.print(board_view(on, "A course", board(many, {}, {}), datetime(2031, 9, 1, tzinfo=UTC), most=24))
    lines = on.export_text().rstrip("\n").split("\n")
    assert len(lines) <= 24
    assert max(map(len, lines)) <= 80
    assert "more, who need help less" in lines[-1]
