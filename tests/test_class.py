"""A whole class: rosters, hand-outs, the ledger, what comes back in any form, and the gradebook."""

from __future__ import annotations

import csv
import json
import os
import shlex
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
import xml.etree.ElementTree as ET
import zipfile
import zlib
from pathlib import Path
from types import SimpleNamespace
from typing import Any, Literal

import pytest
from msgspec.structs import replace

from muddled_orchard.classroom import marking
from muddled_orchard.classroom.marking import GradingRun
from muddled_orchard.cli import main
from muddled_orchard.commands.grade import command as grade
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.exercise.claim import ExerciseVariant
from muddled_orchard.core.grading.assessment import unreadable
from muddled_orchard.files.archives.export import spread
from muddled_orchard.files.archives.submissions import find_submissions
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.ledger_schema import LEARNERS, MIGRATIONS, OF_NOBODY
from muddled_orchard.files.course.roster_file import read_roster
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.stored_results import assessment_text, packed, unpacked
from tests.conftest import LEARNER, PROGRAM, all_marked, database, graded, muddled, shell

ROSTER = "id,name,group\nada,Ada Quince,red\nbo,Bo Medlar,red\ncyd,Cyd Sloe,blue\ndot,Dot Damson,blue\n"
RIGHT = (
    "git merge -q night-shift >/dev/null || true\n"
    "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' press.toml; git commit -qam merged\n"
)
WRONG = RIGHT.replace(
    "'/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d'", "'/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d'"
)

ROSTERS: dict[str, tuple[bytes, list[str], str]] = {
    "plain": (ROSTER.encode(), ["ada", "bo", "cyd", "dot"], ""),
    "with a byte order mark and semicolons": ("﻿ID;Name\nada;Ada, of the mill\n".encode(), ["ada"], ""),
    "other headings, and tabs": (b"First name\tSurname\tUsername\tGroup\nAda\tQuince\taq\tred\n", ["aq"], ""),
    "quotes and blank lines": (b'name,id\n"Quince, Ada",ada\n\n,bo\n', ["ada", "bo"], ""),
    "empty": (b"", [], '1: there is no column "id"'),
    "no name": (b"id,nmae\nada,Ada\n", [], '1: there is no column "name"\n  Did you mean "nmae"?'),
    "nobody": (b"id,name\n", [], "there is nobody in it"),
    "twice": (b"id,name\nada,A\nbo,B\nAda,C\n", [], '4: the id "Ada" is also in line 2'),
    "no id": (b"id,name\n ,A\n", [], "2: the id is empty"),
    "no file's name": (b"id,name\n../x,A\nCON,B\n", [], '2: "../x" can\'t be an id'),
    "too many cells": (b"id,name\nada,Quince, Ada\n", [], "2: this line has 3 cells, and the heading 2"),
    "of Windows": ("id,name\nada,\u201cAd\xe4\u201d\n".encode("cp1252"), ["ada"], ""),
    "UTF-16, as some spreadsheets write it": (
        "id\tname\nada,Ad\xe4\tx\n".replace(",", "").encode("utf-16"),
        ["adaAd\xe4"],
        "",
    ),
    "of a platform": (
        b"\xef\xbb\xbfStudent,ID,SIS\n,,\n    Points Possible,,,\n".replace(b",,,\n", b",,\n")
        + b"Ada,#0012,x\n",
        ["0012"],
        "",
    ),
    "an open quote": (b'id,name\nada,"Ada\n', [], "2: this is no CSV"),
}


@pytest.mark.parametrize("name", ROSTERS)
def test_rosters(name: str, tmp_path: Path) -> None:
    data, ids, says = ROSTERS[name]
    (tmp_path / "roster.csv").write_bytes(data)
    if says:
        with pytest.raises(BadInput) as caught:
            read_roster(tmp_path / "roster.csv")
        assert f"roster.csv:{says}" in str(caught.value) or f"roster.csv: {says}" in str(caught.value)
    else:
        assert [learner.id for learner in read_roster(tmp_path / "roster.csv").learners] == ids


@pytest.fixture(scope="module")
def course(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A class of four, handed out in two exercises."""
    top = tmp_path_factory.mktemp("course")
    (top / "roster.csv").write_text(ROSTER, "utf-8")
    said = muddled(
        "handout", "press-limit", "left-in-a-merge", "--roster", "roster.csv", "--out", "out", folder=top
    )
    assert "2 exercises: 4 learners, 8 handed out" in said.stdout
    return top


@pytest.fixture
def back(course: Path, tmp_path: Path) -> Path:
    """What four learners did with the first exercise, unpacked, in a copy of the course."""
    shutil.copytree(course, tmp_path / "course")
    for name, script in (
        ("ada", RIGHT),
        ("bo", WRONG),
        ("cyd", RIGHT),
        ("dot", "git merge -q night-shift || true"),
    ):
        (tmp_path / "course/done" / name).mkdir(parents=True)
        shell(tmp_path / "course/done" / name, f"tar xzf ../../out/press-limit/{name}.tar.gz 2>/dev/null")
        shell(tmp_path / "course/done" / name / "press-limit/work", script)
    return tmp_path / "course"


def test_the_same_ledger_gives_the_same_archives(course: Path, tmp_path: Path) -> None:
    shutil.copytree(course, tmp_path / "course")
    top = tmp_path / "course"
    (top / "roster.csv").write_text(ROSTER + "eli,Eli Fig,red\n", "utf-8")
    said = muddled(
        "handout", "press-limit", "left-in-a-merge", "--roster", "roster.csv", "--out", "out", folder=top
    ).stdout
    assert "5 learners, 2 handed out, 8 there already" in said
    shutil.copytree(top / "out", tmp_path / "before")
    shutil.rmtree(top / "out")
    more = {"TZ": "Asia/Kathmandu", "LC_ALL": "C", "PYTHONHASHSEED": "3", "GIT_AUTHOR_NAME": "No"}
    muddled(
        "handout", "press-limit", "left-in-a-merge", "--roster", "roster.csv", "--out", "out", "--jobs", "1", "--quiet",
        folder=top, more=more,
    )  # fmt: skip
    assert shell(tmp_path, "diff -r before course/out") == ""
    assert shell(course, f"cmp out/press-limit/ada.tar.gz {top}/out/press-limit/ada.tar.gz") == ""


@pytest.mark.parametrize("form", ["tar.gz", "zip", "folder"])
def test_a_hand_out_works_and_gives_nothing_away(form: str, course: Path, tmp_path: Path) -> None:
    shutil.copy(course / "roster.csv", tmp_path)
    muddled(
        "handout",
        "press-limit",
        "stale-main",
        "--roster",
        "roster.csv",
        "--out",
        "out",
        "--pack",
        form,
        folder=tmp_path,
    )
    for exercise in ("press-limit", "stale-main"):
        packed = tmp_path / "out" / exercise / ("ada" if form == "folder" else f"ada.{form}")
        opened = packed if form == "folder" else tmp_path / exercise
        if form == "zip":
            shutil.unpack_archive(packed, tmp_path)
        elif form != "folder":
            shell(
                tmp_path, f"tar xf {packed}"
            )  # Debian 12's Python has no `filter` yet, and a newer one warns without
        assert (
            shell(
                opened / "work",
                "git status --porcelain; git fsck --strict 2>&1; git config user.name || true",
            )
            == ""
        )
        assert (opened / "origin.git").exists() == (exercise == "stale-main")
        everything = shell(
            opened,
            "cat BRIEF.*; find . -type f | sort; cd work; git log --all --format=%B; git grep -h '' main",
        )
        for secret in (
            "bo,",
            "cyd",
            "Dot Damson",
            "orchard.db",
            "the safe one",
            "accepted",
            "night shift's limit, so theirs",
        ):
            assert secret not in everything
        assert "tar czf" in everything
        assert "<svg" in (opened / "BRIEF.html").read_text("utf-8")


def test_what_can_not_be_handed_out_is_told_before_anything_is_made(course: Path, tmp_path: Path) -> None:
    shutil.copytree(course, tmp_path / "course")
    changed = (Path("src/muddled_orchard/catalogue/press-limit.toml").read_text("utf-8")).replace(
        "brush", "broom"
    )
    (tmp_path / "course/press-limit.toml").write_text(changed, "utf-8")
    arguments = ("--roster", "roster.csv", "--out", "new")
    done = muddled("handout", "press-limit.toml", *arguments, folder=tmp_path / "course", code=2)
    assert "press-limit was changed after it had been handed out" in done.stderr
    (tmp_path / "course/notes.db").write_text(
        "This is no database, but it is long enough to be taken for one."
    )
    done = muddled(
        "handout", "rebase-one", *arguments, "--ledger", "notes.db", folder=tmp_path / "course", code=2
    )
    assert "notes.db: this is no ledger" in done.stderr
    assert not (tmp_path / "course/new").exists()
    assert (
        "there is no such ledger" in muddled("ledger", "--ledger", "none.db", folder=tmp_path, code=2).stderr
    )


def test_a_ledger_that_breaks_is_told(course: Path, tmp_path: Path) -> None:
    shutil.copy(course / "orchard.db", tmp_path)
    data = (tmp_path / "orchard.db").read_bytes()
    (tmp_path / "orchard.db").write_bytes(data[:4096] + b"\xff" * (len(data) - 4096))
    done = muddled("ledger", folder=tmp_path, code=2)
    assert "ledger" in done.stderr
    assert len(done.stderr.splitlines()) <= 3


@pytest.mark.parametrize("data", ["", "[]", "{}", '{"story": [], "task": 1}', '{"story": [1], "task": []}'])
def test_a_ledger_whose_rows_are_damaged(data: str, course: Path, tmp_path: Path) -> None:
    shutil.copytree(course / "out/press-limit", tmp_path / "back")
    shutil.copy(course / "orchard.db", tmp_path)
    muddled("grade", "back", "--quiet", folder=tmp_path)
    with database(tmp_path / "orchard.db") as db:
        db.execute("UPDATE grading SET result = ?", (data,))
    assert "haven't changed" not in muddled("grade", "back", folder=tmp_path).stdout, "graded anew"
    with database(tmp_path / "orchard.db") as db:
        db.execute("UPDATE scenario SET data = ?", (data,))
    told = muddled("grade", "back", folder=tmp_path, code=2).stderr
    assert "orchard.db: a scenario in this ledger is damaged" in told
    assert len(told.splitlines()) <= 3


def test_a_ledger_of_a_later_version_is_left_alone(tmp_path: Path) -> None:
    Ledger(tmp_path / "a.db", create=True).close()
    with database(tmp_path / "a.db") as db:
        assert db.execute("PRAGMA user_version").fetchone() == (len(MIGRATIONS),)
        db.execute("PRAGMA user_version = 99")
    with pytest.raises(BadInput, match=r"of a later version \(99\)"):
        Ledger(tmp_path / "a.db")


def test_a_ledger_of_before_results_were_packed_is_read(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    handed = tmp_path / "in"
    muddled("plant", "press-limit", handed / "ada")
    (tmp_path / "roster.csv").write_text(ROSTER, "utf-8")
    muddled("handout", "press-limit", "--roster", "roster.csv", "--out", "out", folder=tmp_path)
    muddled("grade", "in", "--quiet", folder=tmp_path)
    ledger = Ledger(tmp_path / "orchard.db")
    (now,) = ledger.gradings()
    ledger.close()
    with database(tmp_path / "old.db") as old:
        for number, script in enumerate(MIGRATIONS[:2], start=1):
            old.executescript(f"{script}; PRAGMA user_version = {number};")
        values = [getattr(now, name) for name in now.__struct_fields__]
        places = ", ".join("?" * len(values))
        old.execute(f"INSERT INTO grading VALUES ({places})", values)  # noqa: S608 - question marks alone
    ledger = Ledger(tmp_path / "old.db")
    assert f"is brought from version 2 to {len(MIGRATIONS)}" in capsys.readouterr().err
    with database(tmp_path / "old.db.version-2") as kept:
        assert kept.execute("PRAGMA user_version").fetchone() == (2,), (
            "a copy from before it was brought up to date"
        )
    assert ledger.gradings() == [now]
    assert ledger.graded(now.fingerprint, now.version) == now
    assert list(ledger.results([now.id])) == [(now.id, now.result)]
    ledger.add_gradings([now])
    assert len(ledger.gradings()) == 2, "it is kept packed now"
    ledger.close()
    with database(tmp_path / "old.db") as old:
        assert [kind for (kind,) in old.execute("SELECT typeof(result) FROM grading")] == ["text", "blob"]
        old.execute("UPDATE grading SET result = x'00ff' WHERE id = 2")
    ledger = Ledger(tmp_path / "old.db")
    assert [one.result for one in ledger.gradings()] == [now.result, ""], "a damaged one is none"
    ledger.close()


def test_what_lies_on_the_disk_is_written_like_what_is_in_memory(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    muddled("plant", "press-limit", tmp_path / "in/ada")
    for name, script in (("bo", RIGHT), ("cyd", WRONG), ("dot", "echo x >notes")):
        shutil.copytree(tmp_path / "in/ada", tmp_path / "in" / name)
        shell(tmp_path / "in" / name / "work", script)
    written = []
    for most in (500, 0):
        monkeypatch.setattr(grade, "_MOST_IN_MEMORY", most)
        for more in (
            ["--csv", "-"],
            ["--csv", "-", "--wide"],
            ["--junit", "-"],
            ["--annotations", "-"],
            ["--json"],
        ):
            assert main(["grade", "in", *more]) == 0
            written.append(capsys.readouterr().out)
    assert written[:5] == written[5:]


@pytest.mark.parametrize("at_once", [1, 2, 3, 4])
def test_the_known_and_the_new_come_in_order_whatever_the_portions_are(
    at_once: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(marking, "share", lambda *_: at_once)
    (tmp_path / "roster.csv").write_text(ROSTER, "utf-8")
    muddled(
        "handout",
        "press-limit",
        "--roster",
        "roster.csv",
        "--out",
        "out",
        "--pack",
        "folder",
        folder=tmp_path,
    )
    names = ("ada", "bo", "cyd", "dot")
    ledger = Ledger(tmp_path / "orchard.db")
    pile = find_submissions([tmp_path / "out/press-limit"]).handed
    assert len(all_marked(pile, GradingRun(ScenarioLibrary(), ledger), Bounds(), 2)) == 4
    for name in ("bo", "dot"):
        shell(tmp_path / f"out/press-limit/{name}/work", RIGHT)
    found = all_marked(pile, GradingRun(ScenarioLibrary(), ledger), Bounds(), 2)
    ledger.close()
    assert [one.learner for one in found] == [*names]
    assert [one.remembered for one in found] == [True, False, True, False]
    assert [one.assessment.percent for one in found] == [0.0, 100.0, 0.0, 100.0]


@pytest.mark.parametrize("form", ["folder", "bare"])
def test_what_lies_there_is_taken_as_it_is(form: str, tmp_path: Path) -> None:
    """A run was killed between making repositories and writing that down, or the ledger is lost."""
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada\nbo,Bo\n", "utf-8")
    command = ("handout", "press-limit", "--roster", "roster.csv", "--out", "out", "--pack", form)
    muddled(*command, folder=tmp_path)
    place = tmp_path / "out/press-limit" / ("ada" if form == "folder" else "ada.git")
    repository = place / "work" if form == "folder" else place
    if form == "folder":
        shell(repository, RIGHT)
    before = shell(repository, "git rev-parse main; git log --format=%b $(git rev-list --max-parents=0 main)")
    query = (
        "SELECT exercise, learner, variant, scenario, first_commit, tips, file FROM hand_out ORDER BY learner"
    )
    with database(tmp_path / "orchard.db") as db:
        known = db.execute(query).fetchall()
        db.execute("DELETE FROM hand_out")
    said = muddled(*command, folder=tmp_path)
    assert "2 hand-outs were there already that the ledger did not know" in said.stderr
    with database(tmp_path / "orchard.db") as db:
        assert db.execute(query).fetchall() == known
    with database(tmp_path / "orchard.db") as db:
        db.execute("DELETE FROM hand_out WHERE learner = 'ada'")
    kept = tmp_path / "kept"
    shutil.move(place, kept)
    shutil.copytree(place.with_name("bo" + place.suffix), place)
    assert "of another learner" in muddled(*command, folder=tmp_path, code=2).stderr
    shutil.rmtree(place)
    (place / "work").mkdir(parents=True)
    (place / "work/notes.txt").write_text("mine")
    said = muddled(*command, folder=tmp_path, code=2)
    assert "this is no hand-out of press-limit, and one is to be made here" in said.stderr
    assert (place / "work/notes.txt").read_text() == "mine"
    shutil.rmtree(place)
    shutil.copytree(kept, place)
    (tmp_path / "orchard.db").unlink()
    muddled(*command, folder=tmp_path)
    with database(tmp_path / "orchard.db") as db:
        assert db.execute(query).fetchall() == known, "by first commits"
    assert (
        shell(repository, "git rev-parse main; git log --format=%b $(git rev-list --max-parents=0 main)")
        == before
    )
    if form == "folder":
        assert graded(place, "--ledger", tmp_path / "orchard.db")["ada"]["percent"] == 100.0


# What somebody may have done to a ledger that is handed on (DEEP: lists in lists), and what is said of it.
LISTED, AGAIN = ("ledger", "--json"), ("handout", "press-limit", "--roster", "roster.csv", "--out", "o2")
STRANGE = {
    "words in words": ("UPDATE learner SET more = 'DEEP'", LISTED, "the ledger is damaged"),
    "branches in branches": ("UPDATE hand_out SET tips = 'DEEP'", LISTED, "the ledger is damaged"),
    "a version below none": ("PRAGMA user_version = -3", LISTED, "the ledger is damaged"),
    "a view without an end": (
        "ALTER TABLE learner RENAME TO x; CREATE VIEW learner AS WITH RECURSIVE c(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c) SELECT n, n, '{}', n FROM c",
        LISTED, "it has a view",
    ),
    "a trigger": ("CREATE TRIGGER t AFTER INSERT ON grading BEGIN DELETE FROM hand_out; END", LISTED, "it has a trigger"),
    "a column that makes 900 MB": ("ALTER TABLE hand_out ADD COLUMN z BLOB AS (zeroblob(900000000))", AGAIN, "too big"),
}  # fmt: skip


@pytest.mark.parametrize("name", STRANGE)
def test_a_ledger_from_a_stranger_is_told_in_two_lines(name: str, tmp_path: Path) -> None:
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada\n", "utf-8")
    muddled("handout", "press-limit", "--roster", "roster.csv", "--out", "out", folder=tmp_path)
    statements, words, says = STRANGE[name]
    with database(tmp_path / "orchard.db") as db:
        db.executescript(statements.replace("DEEP", "[" * 300_000))
    said = muddled(*words, folder=tmp_path, code=2).stderr
    assert says in said
    assert len(said.splitlines()) == 2


def test_a_file_of_the_ledger_that_may_not_be_written_is_named(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Who is root may write everything, so SQLite's words are put in its mouth."""
    ledger = Ledger(tmp_path / "orchard.db", create=True)
    monkeypatch.setattr(os, "access", lambda file, _: not str(file).endswith("-shm"))
    (tmp_path / "orchard.db-shm").touch()
    with pytest.raises(BadInput, match=r"orchard\.db-shm: it may not be written"), ledger._told():
        raise sqlite3.OperationalError("attempt to write a readonly database")
    ledger.close()


def test_a_result_that_grows_without_bound_is_none() -> None:
    assert unpacked(packed("{}")) == "{}"
    assert unpacked(zlib.compress(bytes(100 << 20), 9)) == ""


def test_two_runs_at_once_and_one_that_is_killed_lose_nothing(tmp_path: Path) -> None:
    names = "".join(f"l{number:03},L {number}\n" for number in range(400))
    (tmp_path / "roster.csv").write_text(f"id,name\n{names}", "utf-8")
    command = [*PROGRAM, "handout", "press-limit", "--roster", "roster.csv", "--out", "out", "--quiet"]
    runs = [subprocess.Popen(command, cwd=tmp_path, start_new_session=True) for _ in range(2)]
    deadline = time.monotonic() + 60
    while not list(tmp_path.glob("out/press-limit/*.gz")) and time.monotonic() < deadline:
        time.sleep(0.02)
    subprocess.run(["pkill", "-9", "-s", str(runs[0].pid)], check=False)
    assert [run.wait(60) for run in runs] == [-signal.SIGKILL, 0]
    ledger = Ledger(tmp_path / "orchard.db")
    assert len(ledger.hand_outs()) == 400
    for one in ledger.hand_outs():
        assert (tmp_path / "out" / one.file).stat().st_size > 1000
    ledger.close()
    assert "400 there already" in muddled(*command[len(PROGRAM) : -1], folder=tmp_path).stdout


# What learners make of a finished `press-limit/` to hand it in.
FORMS = {
    "x.tar": "tar cf ../x.tar press-limit",
    "x.tar.gz": "tar czf ../x.tar.gz press-limit",
    "x.tgz": "tar czf ../x.tgz -C press-limit .",
    "x.tar.xz": "tar cJf ../x.tar.xz press-limit",
    "pax.tar": "tar --format=pax -cf ../pax.tar press-limit",
    "long names.tar": "mkdir -p a/$(printf 'long%.0s' {1..30}); mv press-limit a/long*; tar cf '../long names.tar' a",
    "x.zip": "python3 -m zipfile -c ../x.zip press-limit",
    "only-work.zip": "cd press-limit; python3 -m zipfile -c ../../only-work.zip work",
    "mac.zip": "mkdir __MACOSX; cp -r press-limit __MACOSX/; touch .DS_Store press-limit/._work press-limit/work/._press.toml; python3 -m zipfile -c ../mac.zip press-limit __MACOSX .DS_Store",
    "bare.tar": "git clone -q --bare press-limit/work bare.git; tar cf ../bare.tar bare.git",
    "work.bundle": "cd press-limit/work; git bundle create -q ../../../work.bundle --all",
    "packed.tar.gz": "git -C press-limit/work gc -q; tar czf ../packed.tar.gz press-limit",
    "no ending": "tar czf '../no ending' press-limit",
    "folder": "cp -r press-limit ../folder",
    "nested": "mkdir -p ../nested/a/b; cp -r press-limit ../nested/a/b/",
    "an archive in a folder": "mkdir '../an archive in a folder'; tar czf '../an archive in a folder/hand in.tar.gz' press-limit",
}  # fmt: skip


def test_work_comes_back_in_any_form(back: Path) -> None:
    forms = back / "forms"
    for script in FORMS.values():
        shutil.copytree(back / "done/ada", forms / "making", symlinks=True)
        shell(forms / "making", script)
        shutil.rmtree(forms / "making")
    (forms / "roster.csv").write_text("not a submission")
    (forms / "essay.txt").write_text("What I think of merging.")
    data = json.loads(muddled("grade", forms, "--json", "--ledger", back / "orchard.db").stdout)
    found = {Path(one["submission"]).relative_to(forms).parts[0]: one for one in data["submissions"]}
    assert found.keys() == FORMS.keys() | {"essay.txt"}
    assert "neither an archive" in found.pop("essay.txt")["reason"]
    for name, one in found.items():
        skipped = {c["id"] for c in one["criteria"] if c["outcome"] == "skipped"}
        assert (one["learner"], one["name"], one["percent"]) == ("ada", "Ada Quince", 100), name
        assert skipped == {"delivered", "message", "work", "made"} | (
            {"finished", "tidy"} if name == "work.bundle" else set()
        ), name
    assert [one["kind"] for one in data["class"]] == ["missing", "attempts"]


def test_the_class_as_a_whole_is_told(back: Path) -> None:
    done = back / "done"
    shell(
        done / "cyd/press-limit/work",
        "git commit -q --amend --author 'Dot Damson <dot@orchard.example>' -m merged",
    )
    shutil.copytree(done / "ada", done / "ada-2", symlinks=True)  # a second attempt, without a change
    shutil.move(done / "bo", done / "cyd_late")  # handed in under another's name
    shutil.rmtree(done / "dot")
    muddled("plant", "press-limit", done / "foreign", "--variant", "mine")
    shell(done / "foreign/work", f"git fetch -q {done}/ada/press-limit/work main:copied")
    result = muddled("grade", "done", "--json", folder=back)
    said = {one["kind"]: one["said"] for one in json.loads(result.stdout)["class"]}
    assert said.keys() == {"unknown", "another's", "missing", "attempts", "shared"}
    assert said["unknown"] == (
        "done/foreign was not handed out by this ledger (press-limit, variant mine); it counts for nobody"
    )
    assert said["missing"] == "press-limit: nothing came from dot"
    assert said["attempts"] == "ada handed press-limit in twice; the best counts (done/ada-2)"
    assert "share 1 commit" in said["shared"]
    several = [one["said"] for one in json.loads(result.stdout)["class"] if one["kind"] == "another's"]
    assert several == [
        "done/cyd is cyd's hand-out, and Dot Damson (dot) made commits in it",
        "done/cyd_late bears the name of cyd, but it is bo's hand-out",
    ]
    shown = " ".join(muddled("grade", "done", folder=back).stdout.split())
    assert "nothing came from dot" in shown
    assert "5 not graded again, since they haven't changed" in shown


def test_only_what_changed_is_graded_again(back: Path) -> None:
    def remembered(*more: str) -> list[int]:
        said = muddled("grade", "done", *more, folder=back).stdout
        found = [word for word in said.replace("\n", " ").split(", ") if "not graded again" in word]
        return [int(found[0].split()[0]) if found else 0]

    assert remembered() == [0]
    assert remembered() == [4]
    shell(
        back / "done/bo/press-limit/work", "sed -i 's/^limit = .*/limit = 1/' press.toml; git commit -qam x"
    )
    assert remembered() == [3]
    assert remembered("--again") == [0]
    changed = (
        Path("src/muddled_orchard/catalogue/press-limit.toml")
        .read_text("utf-8")
        .replace("safe one", "safer one")
    )
    (back / "press-limit.toml").write_text(changed, "utf-8")
    assert remembered("--scenarios", "press-limit.toml") == [0]
    ledger = json.loads(muddled("ledger", "--json", folder=back).stdout)
    assert [len(ledger[name]) for name in ("learners", "hand_outs", "gradings")] == [4, 8, 9]
    assert {one["learner"] for one in ledger["gradings"]} == {"ada", "bo", "cyd", "dot"}
    assert "press-limit" in muddled("ledger", folder=back).stdout


def test_the_gradebook_and_the_page_of_tests(back: Path) -> None:
    shutil.rmtree(back / "done/dot")
    shutil.copytree(back / "done/bo", back / "done/=cmd", symlinks=True)
    shell(
        back / "done/=cmd/press-limit/work",
        "git checkout -q --orphan x; git commit -qm x; git branch -D main night-shift; git reflog expire --expire=now --all",
    )
    muddled("grade", "done", "--csv", "grades.csv", "--junit", "grades.xml", "--quiet", folder=back)
    with (back / "grades.csv").open(encoding="utf-8", newline="") as file:
        rows: list[dict[str, Any]] = list(csv.DictReader(file))
    found = {
        row["id"]: (row["name"], row["points"], row["percent"], row["state"], row["resolution"])
        for row in rows
    }
    assert found == {
        "'=cmd": ("'=cmd", "0", "0.0", "unreadable", ""),
        "ada": ("Ada Quince", "26.0", "100.0", "finished", "14.0"),
        "bo": ("Bo Medlar", "12.0", "46.2", "finished", "0.0"),
        "cyd": ("Cyd Sloe", "26.0", "100.0", "finished", "14.0"),
        "dot": ("Dot Damson", "0", "0", "missing", ""),
    }
    suites = ET.parse(back / "grades.xml").getroot()  # noqa: S314 - it is our own
    assert (suites.get("failures"), suites.get("errors"), suites.get("skipped")) == ("1", "1", "12")
    assert any("0 of 14 points" in failure.get("message", "") for failure in suites.iter("failure"))
    muddled("ledger", "--csv", "hand-outs.csv", folder=back)
    assert (
        (back / "hand-outs.csv")
        .read_text("utf-8")
        .startswith("exercise,learner,variant,first commit,file,made\n")
    )
    assert (
        "there is no folder" in muddled("grade", "done", "--csv", "/proc/x/y.csv", folder=back, code=2).stderr
    )


def test_stopping_keeps_what_is_done_and_says_how_to_go_on(back: Path) -> None:
    for number in range(200):
        shutil.copytree(back / "done/ada", back / f"many/{number:03}", symlinks=True)
    # Git must be asked once more for the last one, and takes longer then than anybody waits.
    work = back / "many/199/press-limit/work"
    shell(work, "git reset -q --hard HEAD^; echo more >>README.md; git commit -qam Mine;" + RIGHT)
    (back / "git").write_text(
        f"#!/bin/sh\ncd {back}; n=$(cat calls 2>/dev/null || echo 0); echo $((n + 1)) >calls\n"
        f'test $n -lt $(cat most 2>/dev/null || echo 99) || sleep 40\ncd $OLDPWD; exec {shutil.which("git")} "$@"\n',
        "utf-8",
    )
    (back / "git").chmod(0o755)
    path = {"PATH": f"{back}:{os.environ['PATH']}"}
    muddled("grade", back / "many/000", "--quiet", folder=back.parent, more=path)
    (back / "calls").rename(back / "most")
    run = subprocess.Popen(
        [*PROGRAM, "grade", "many", "--jobs", "1"], cwd=back, stderr=subprocess.PIPE, stdout=subprocess.PIPE,
        text=True, env=LEARNER | path, start_new_session=True,
        # A shell's background jobs ignore it, and so would this one.
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),  # noqa: PLW1509
    )  # fmt: skip
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        with database(back / "orchard.db") as db:
            if db.execute("SELECT count(*) FROM grading").fetchone()[0]:
                break
        time.sleep(0.01)
    run.send_signal(signal.SIGINT)
    _, said = run.communicate(timeout=60)
    assert run.returncode == 130
    assert "were graded; they are in the ledger" in said
    assert "Traceback" not in said
    with database(back / "orchard.db") as db:
        (kept,) = db.execute("SELECT count(*) FROM grading").fetchone()
    assert f"\n{kept} of 200 were graded" in f"\n{said}"
    assert len(graded(back / "many", "--ledger", back / "orchard.db")) == 1


@pytest.mark.parametrize("when", [0, 1])
def test_a_ledger_goes_on_after_a_request_to_end_anywhere_in_a_transaction(
    when: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    ledger = Ledger(tmp_path / "orchard.db", create=True)
    run, calls = ledger._run, iter(range(100))

    def stopped(query: str, values: tuple[object, ...] = ()) -> sqlite3.Cursor:
        done = run(query, values)
        if next(calls) == when:  # it was carried out, and nobody hears of that any more
            raise KeyboardInterrupt
        return done

    monkeypatch.setattr(ledger, "_run", stopped)
    with pytest.raises(KeyboardInterrupt):
        ledger.set("unseen", None)
    monkeypatch.undo()
    ledger.set("unseen", "missed")
    assert ledger.setting("unseen") == "missed"
    ledger.close()


@pytest.mark.parametrize("state", ["untouched", "unreadable"])
def test_what_could_not_be_read_is_graded_anew(
    state: Literal["untouched", "unreadable"], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A bound or a missing scenario may have been the reason."""
    course = GradingRun(ScenarioLibrary(), None)
    found = replace(unreadable("too large", "press-limit"), state=state)
    digest = course.scenarios.digest(ExerciseVariant("press-limit", "1"))
    known = SimpleNamespace(
        state=state, exercise="press-limit", variant="1", scenario=digest, result=assessment_text(found)
    )
    monkeypatch.setattr(course, "graded", lambda *_: known)
    assert (marking._remembered(course, "digest", "how") is None) is (state == "unreadable")


def test_columns_of_a_roster_are_named_or_guessed_and_come_out_again(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text(
        "First name,Surname,Login,Group\nAda,Quince,aq,red\nBo,Medlar,bm,blue\n", "utf-8"
    )
    rest = ("press-limit", "quiet-merge", "--roster", "r.csv", "--out", "out", "--quiet")
    said = muddled("handout", *rest, folder=tmp_path).stderr
    assert 'took the column "Login" for the id and "First name Surname" for the name' in said
    shell(tmp_path, "rm out/*/bm.tar.gz")
    rows = list(csv.DictReader(muddled("grade", "out", "--csv", "-", folder=tmp_path).stdout.splitlines()))
    assert [(row["id"], row["name"], row["state"], row["Group"]) for row in rows] == [
        ("aq", "Ada Quince", "untouched", "red"), ("aq", "Ada Quince", "untouched", "red"),
        ("bm", "Bo Medlar", "missing", "blue"), ("bm", "Bo Medlar", "missing", "blue"),
    ]  # fmt: skip
    wide = muddled("grade", "out", "--csv", "-", "--wide", folder=tmp_path).stdout
    assert wide == "id,name,press-limit,quiet-merge,Group\naq,Ada Quince,0.0,0.0,red\nbm,Bo Medlar,0,0,blue\n"
    for which, says in (
        ("id=Logn", 'r.csv:1: there is no column "Logn"\n  Did you mean "Login"?'),
        ("Login", "--roster-columns Login can't be read"),
    ):
        assert says in muddled("handout", *rest, "--roster-columns", which, folder=tmp_path, code=2).stderr
    (tmp_path / "orchard.db").unlink()
    shell(tmp_path, "rm -r out")
    assert muddled("handout", *rest, "--roster-columns", "id=Login,name=Group", folder=tmp_path).stderr == ""


def test_an_export_of_a_platform_is_read_as_a_pile(back: Path) -> None:
    """A folder for each, with a number behind the name; pages and empty folders are passed over and told."""
    pile = back / "export"
    for who, what in (("Ada Quince_104_file_", "ada"), ("Bo Medlar_105_file_", "bo")):
        (pile / who).mkdir(parents=True)
        shell(back / "done" / what, f"tar czf '{pile / who}/work.tar.gz' .")
    (pile / "Cyd Sloe_106_online").mkdir()
    (pile / "Cyd Sloe_106_online/text.html").write_text("<p>I have nothing.</p>", "utf-8")
    (pile / "index.html").touch()
    (pile / "Dot Damson_107_file_").mkdir()
    shell(back, f"cd export && {shlex.quote(sys.executable)} -m zipfile -c ../export.zip *")
    for named in ("export", "export.zip"):
        data = json.loads(muddled("grade", named, "--json", folder=back).stdout)
        assert {one["learner"]: one["percent"] for one in data["submissions"]} == {"ada": 100.0, "bo": 46.2}
        assert {one["submission"] for one in data["submissions"]} == {
            f"{named}/Ada Quince_104_file_/work.tar.gz", f"{named}/Bo Medlar_105_file_/work.tar.gz",
        }  # fmt: skip
        told = {one["kind"]: one["said"] for one in data["class"]}
        assert told["passed over"] == "2 pages and 1 empty entry were passed over"


def test_people_can_be_forgotten_and_made_numbers(back: Path) -> None:
    shell(back, "cp -r done/ada done/more")
    muddled("grade", "done", "--quiet", folder=back)
    muddled("plant", "quiet-merge", "foreign", "--quiet", folder=back)
    muddled("grade", "foreign", "--quiet", folder=back)
    told = muddled("ledger", folder=back).stdout
    assert "quiet-merge" not in told
    assert "1 submission is not of this course" in told
    assert 'Did you mean "ada"?' in muddled("ledger", "--forget", "adaa", folder=back, code=2).stderr
    assert (
        "Deleted ada: the hand-outs, and 2 gradings"
        in muddled("ledger", "--forget", "ada", folder=back).stdout
    )
    left = json.loads(muddled("ledger", "--json", folder=back).stdout)
    assert {one["learner"] for one in left["hand_outs"]} == {"bo", "cyd", "dot"}
    assert b"Ada Quince" not in (back / "orchard.db").read_bytes()
    assert "3 learners became numbers" in muddled("ledger", "--anonymous", folder=back).stdout
    with database(back / "orchard.db") as db:
        tables = {name for (name,) in db.execute("SELECT name FROM sqlite_schema WHERE type = 'table'")}
    assert tables == {*LEARNERS, *OF_NOBODY}, "each table says whether it is about learners"
    kept = (back / "orchard.db").read_bytes()
    assert not any(name in kept for name in (b"Bo Medlar", b"Sloe", b"done/", b".tar.gz", b"secret"))
    left = json.loads(muddled("ledger", "--json", folder=back).stdout)
    assert {one["learner"] for one in left["hand_outs"]} == {f"learner-000{n}" for n in (1, 2, 3)}
    assert [one["points"] for one in left["gradings"] if one["learner"]] == [12.0, 26.0, 4.0]


def test_an_export_stays_within_bounds_and_its_folder(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    places = iter(tmp_path / f"spread{number}" for number in range(9))

    def folder() -> Path:
        place = next(places)
        place.mkdir()
        return place

    def packed(members: dict[str, bytes], link: str = "") -> Path:
        with zipfile.ZipFile(tmp_path / "pile.zip", "w", zipfile.ZIP_DEFLATED) as archive:
            for name, data in members.items():
                archive.writestr(name, data)
            if link:
                about = zipfile.ZipInfo(link)
                about.external_attr = 0o120777 << 16
                archive.writestr(about, "/etc")
        return tmp_path / "pile.zip"

    two = {"a/work.tar.gz": b"x", "b/work.tar.gz": b"y"}
    assert spread(packed({"../a/x.zip": b"x"}), folder, Bounds()) is None
    place = spread(packed({**two, "c/y": b"z" * 2_000_000}, link="c/z"), folder, Bounds(size=1_000_000))
    assert place is not None
    assert ((place / "c/y").stat().st_size, (place / "c/z").is_symlink()) == (0, True)
    inside = spread(packed({**two, "c/z/passwd": b"x"}, link="c/z"), folder, Bounds())
    assert inside is not None
    assert not (inside / "c/z").is_symlink()
    monkeypatch.setattr("muddled_orchard.files.archives.export._LARGEST", 1000)
    with pytest.raises(BadInput, match="Unpack it yourself"):
        spread(packed({**two, "c/y": b"z" * 2_000}), folder, Bounds())
