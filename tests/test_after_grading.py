"""What comes after grading, on real work: graphs, which work is which, whole rounds with a course."""

from __future__ import annotations

import csv
import io
import json
import shutil
import zipfile
from pathlib import Path

import pytest

from muddled_orchard.classroom.standing import read_class
from muddled_orchard.commands.reply.replying import packed_names
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.likeness import alike
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.key.graph import Graph
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.stored_results import assessment_of
from muddled_orchard.show.spreadsheet import columns_asked, mapped
from tests.classes import ledger_of, random_class, result
from tests.conftest import graded, muddled, shell

TAKE = "git checkout -q --theirs . && git add -A && git commit -qm merged"
OURS = "git checkout -q --ours . && git add -A && git rebase --continue >/dev/null 2>&1"

# An exercise, what a learner does, and the graph: for each branch (or HEAD) what stands along its first parents,
# the newest first, and how many commits are new.
DONE: dict[str, tuple[str, str, dict[str, list[str]], int]] = {
    "a merge": ("cellar-by-merge", f"git merge -q cellar || true; {TAKE}", {}, 1),
    "nothing": ("cellar-by-merge", "true", {}, 0),
    "a branch of their own": ("cellar-by-merge", "git checkout -q -b mine; git commit -q --allow-empty -m own", {"mine": ["own"]}, 1),
    "on no branch": ("cellar-by-merge", "git checkout -q --detach; git commit -q --allow-empty -m away", {"HEAD (on no branch)": ["away"]}, 1),
    "in the middle": ("cellar-by-merge", "git merge -q cellar || true", {}, 0),
}  # fmt: skip


def taken_down(ledger: Path) -> list[Assessment]:
    """Every result that a ledger holds, the oldest first."""
    opened = Ledger(ledger)
    try:
        return [assessment_of(one.result) for one in opened.gradings()]
    finally:
        opened.close()


def line_of(graph: Graph, branch: str) -> list[str]:
    """The subjects along a branch's first parents, the newest first."""
    nodes = {node.id: node for node in graph.nodes}
    at = next(node for node in graph.nodes if branch in node.branches)
    subjects = [at.subject]
    while at.parents:
        at = nodes[at.parents[0]]
        subjects.append(at.subject)
    return subjects


@pytest.fixture
def course(tmp_path: Path) -> Path:
    (tmp_path / "roster.csv").write_text("id,name,group\nada,Ada Quince,red\nbo,Bo Medlar,blue\n")
    return tmp_path


def opened(course: Path, exercise: str, learner: str = "ada") -> Path:
    """A learner's repository, handed out and unpacked below `in`."""
    muddled("handout", exercise, "--roster", "roster.csv", "--out", "out", "--quiet", folder=course)
    place = course / "in" / learner
    place.mkdir(parents=True, exist_ok=True)
    shell(course, f"tar xzf out/{exercise}/{learner}.tar.gz -C in/{learner}")
    return place / exercise / "work"


@pytest.mark.parametrize("name", DONE)
def test_the_graph_of_what_was_made_is_that_of_git(name: str, course: Path) -> None:
    exercise, script, tops, new = DONE[name]
    work = opened(course, exercise)
    shell(work, script)
    muddled("grade", "in", "--quiet", folder=course)
    (found,) = taken_down(course / "orchard.db")
    assert found.made is not None
    assert found.asked is not None
    branches = shell(work, "git for-each-ref --format='%(refname:short)' refs/heads").split()
    for branch in branches:
        subjects = shell(work, f"git log --first-parent --format=%s {branch}").splitlines()
        assert line_of(found.made, branch) == [subject[:60] for subject in subjects]
    for branch, begins in tops.items():
        assert line_of(found.made, branch)[: len(begins)] == begins
    assert sum(node.new for node in found.made.nodes) == new
    reached = shell(work, "git rev-list --all HEAD").split()
    assert len(found.made.nodes) == len(set(reached))
    for node in found.made.nodes:  # parents come before their children, and are there
        assert all(int(parent) < int(node.id) for parent in node.parents)
    assert sum(node.new for node in found.asked.nodes) == 1


def test_a_history_too_large_to_look_at_has_no_graph(course: Path) -> None:
    work = opened(course, "cellar-by-merge")
    shell(work, "for n in $(seq 70); do git commit -q --allow-empty -m $n; done")
    muddled("grade", "in", "--quiet", folder=course)
    (found,) = taken_down(course / "orchard.db")
    assert found.made is None
    muddled("reply", "--out", "fb", "--quiet", folder=course)
    assert "What you made" not in (course / "fb/ada/feedback.txt").read_text()


def test_the_same_work_is_known_in_any_packing_and_other_work_is_not(course: Path) -> None:
    work = opened(course, "cellar-by-merge")
    shell(work, f"git merge -q cellar || true; {TAKE}")
    shell(
        course, "mkdir piles; cp -r in/ada piles/copy; tar czf piles/packed.tar.gz -C in/ada cellar-by-merge"
    )
    shell(course, "cd in/ada; python3 -m zipfile -c ../../piles/zipped.zip cellar-by-merge")
    muddled("grade", "in", "piles", "--quiet", folder=course)
    assert len({one.work for one in taken_down(course / "orchard.db")}) == 1
    marks = json.loads(muddled("tally", "--json", folder=course).stdout)["exercises"][0]
    assert marks["attempts_until_solved"] in ({}, {"ada": 1})
    (attempts,) = csv.DictReader(io.StringIO(muddled("ledger", "--csv", "-", "--table", "attempts", folder=course).stdout))  # fmt: skip
    assert attempts["counts"] == "yes"
    for number, change in enumerate(
        ("echo x > note.txt", "git stash -q -u", "git branch more", "git tag here")
    ):
        before = {one.work for one in taken_down(course / "orchard.db")}
        shell(work, change)
        muddled("grade", "in", "--quiet", folder=course)
        assert len({one.work for one in taken_down(course / "orchard.db")} - before) == 1, (number, change)


def test_a_conflict_of_a_rebase_is_settled_by_its_commit(course: Path) -> None:
    work = opened(course, "rebase-four")
    shell(work, f"git rebase -q main || {OURS} || {OURS}")
    before = graded(course / "in", "--ledger", course / "orchard.db")["ada"]
    wrong = [hunk for hunk in before["hunks"] if hunk["outcome"] == "missed"]
    assert wrong
    refused = muddled(
        "settle", "ada", "rebase-four", "--on", wrong[0]["file"], "--met", folder=course, code=2
    )
    names = [f"{hunk['file']}@{hunk['commit']}" for hunk in before["hunks"]]
    assert f"Say {' or '.join(names)}." in refused.stderr
    muddled("settle", "ada", "rebase-four", "--on", f"{wrong[0]['file']}@{wrong[0]['commit']}", "--met", folder=course)  # fmt: skip
    after = graded(course / "in", "--ledger", course / "orchard.db")["ada"]
    changed = [(hunk["commit"], hunk["outcome"]) for hunk, was in zip(after["hunks"], before["hunks"], strict=True) if hunk["outcome"] != was["outcome"]]  # fmt: skip
    assert changed == [(wrong[0]["commit"], "met")]
    assert after["points"] == before["points"] + 7
    swapped = json.loads(muddled("tally", "--json", folder=course).stdout)["exercises"][0]["conflicts"]
    assert [one["swapped"] for one in swapped if one["swapped"]] in ([], [["ada"]])


def test_late_work_and_its_attempts_are_told(course: Path) -> None:
    work = opened(course, "cellar-by-merge")
    (course / "course.toml").write_text('title = "Cellars"\nlate = { a_day = 10 }\nattempts = "last"\n[[exercise]]\nscenario = "cellar-by-merge"\ndue = 2026-01-02T03:00:00Z\n')  # fmt: skip
    early = "GIT_COMMITTER_DATE=2026-01-01T03:00:00Z git commit -q --allow-empty -m early"
    shell(work, early)
    muddled("grade", "in", "--quiet", folder=course)
    shell(work, f"git merge -q cellar || true; GIT_COMMITTER_DATE=2026-01-03T04:00:00Z; export GIT_COMMITTER_DATE; {TAKE}")  # fmt: skip
    muddled("grade", "in", "--quiet", folder=course)
    muddled("reply", "ada", "--out", "fb", "--quiet", folder=course)
    said = " ".join((course / "fb/ada/feedback.txt").read_text().split())
    assert "Feedback for Ada Quince (Cellars)" in said
    assert "You handed it in twice; this is the attempt that counts." in said
    assert "It came 2 days late, after 2026-01-02 03:00 UTC, and loses 20 % of its points" in said
    (row,) = [one for one in csv.DictReader(io.StringIO(muddled("ledger", "--csv", "-", "--table", "marks", folder=course).stdout)) if one["id"] == "ada"]  # fmt: skip
    assert (row["attempts"], row["days late"], row["lost percent"], row["group"]) == ("2", "2", "20.0", "red")
    assert float(row["percent"]) == pytest.approx(0.8 * float(row["graded percent"]), abs=0.1)


# The piles and places in which the work of two learners lay, and what their feedback is called. None: a ledger of
# before, which has no piles.
PLACES: dict[str, tuple[list[tuple[str | None, str]], list[str]]] = {
    "folders": ([("in", "in/ada"), ("in/", "in/bo")], ["ada", "bo"]),
    "archives": ([("in", "in/ada.tar.gz"), ("in", "in/bo.ZIP")], ["ada", "bo"]),
    "a platform's export": ([("e.zip", "e.zip/Ada Q_12_file/x.zip"), ("e.zip", "e.zip/Bo M_13_file/y.zip")], ["Ada Q_12_file", "Bo M_13_file"]),
    "two exports": ([("e.zip", "e.zip/Ada_12_file/x.zip"), ("later.zip", "later.zip/Bo_13_file/x.zip")], ["Ada_12_file", "Bo_13_file"]),
    "named by themselves": ([("", "in/a/ada.zip"), ("", "bo.bundle")], ["ada", "bo"]),
    "one name twice": ([("in", "in/work"), ("in", "in/work.zip")], ["work-ada", "work-bo"]),
    "hostile": ([("in", "in/.."), ("in", "in/a\x1b[31m:b")], ["submission", "a_[31m_b"]),
    "another system": ([("in", r"in\ada.zip"), (r"C:\in", r"C:\in\bo\x.zip")], ["ada", "bo"]),
    "before: folders": ([(None, "in/ada"), (None, "in/bo")], ["ada", "bo"]),
    "before: an export": ([(None, "e.zip/Ada_12_file/x.zip"), (None, "e.zip/Bo_13_file/y.zip")], ["Ada_12_file", "Bo_13_file"]),
    "before: absolute and not": ([(None, "/x/ada.zip"), (None, "in/bo.zip")], ["ada", "bo"]),
}  # fmt: skip


@pytest.mark.parametrize("name", PLACES)
def test_feedback_is_called_as_submissions_were(name: str, tmp_path: Path) -> None:
    places, expected = PLACES[name]
    works = {
        learner: {"press-limit": [result("press-limit", ["ours"], work=learner)]} for learner in ("ada", "bo")
    }
    ledger_of(tmp_path / "orchard.db", works)
    ledger = Ledger(tmp_path / "orchard.db")
    for learner, (pile, place) in zip(works, places, strict=True):
        ledger._run("UPDATE grading SET pile = ?, submission = ? WHERE learner = ?", (pile, place, learner))
    record = read_class(ledger)
    ledger.close()
    assert list(packed_names(record, record.standing.totals).values()) == expected
    muddled("reply", "--zip", "fb.zip", "--quiet", folder=tmp_path)
    with zipfile.ZipFile(tmp_path / "fb.zip") as archive:
        assert {entry.partition("/")[0] for entry in archive.namelist()} == set(expected)
        assert not any(part in ("", "..") for entry in archive.namelist() for part in entry.split("/"))


COLUMNS: dict[str, dict[str, str] | None] = {
    "Login=id": {"Login": "id"},
    'Login=id, "Final, grade" = total': {"Login": "id", "Final, grade": "total"},
    "a=b=total": {"a=b": "total"},
    "Login": None,
    "=id": None,
    "Login=": None,
    "": None,
    "A=id,A=total": None,
    'Login="id': None,
}


@pytest.mark.parametrize("text", COLUMNS)
def test_columns_are_read_as_they_are_written(text: str) -> None:
    expected = COLUMNS[text]
    if expected is None:
        with pytest.raises(BadInput, match="can't be read"):
            columns_asked(text)
    else:
        assert columns_asked(text) == expected


def test_a_mapped_table_has_those_columns_alone() -> None:
    table = [("id", "name", "total"), ("ada", "Ada", 3), ("bo", "Bo", 4)]
    assert list(mapped(table, {"Grade": "total", "Login": "id"})) == [
        ["Grade", "Login"],
        [3, "ada"],
        [4, "bo"],
    ]
    with pytest.raises(BadInput, match="no column"):
        list(mapped(table, {"x": "totall"}))


def test_in_a_small_class_shared_commits_alone_are_told(tmp_path: Path) -> None:
    works = random_class(5, ["press-limit"], 2, seed=1)
    for learner in ("l00001", "l00002"):
        works[learner]["press-limit"] = [result("press-limit", ["blend", "ours"], work=learner, commits=["a" * 40, "b" * 40], left="the very same words of our own")]  # fmt: skip
    ledger_of(tmp_path / "orchard.db", works)
    ledger = Ledger(tmp_path / "orchard.db")
    (pair,) = alike(read_class(ledger))
    ledger.close()
    assert pair.things == ["2 own commits in press-limit"]
    assert (pair.one, pair.other) == ("l00001", "l00002")


def test_views_speak_ascii_where_the_terminal_does(tmp_path: Path) -> None:
    ledger_of(tmp_path / "orchard.db", random_class(12, ["press-limit"], 2, seed=2))
    for words in (("tally",), ("settle",), ("settle", "l00001", "press-limit")):
        said = muddled(*words, folder=tmp_path, more={"PYTHONIOENCODING": "ascii"}).stdout
        assert said.isascii()
        assert "\x1b" not in said
    shutil.rmtree(tmp_path / "none", ignore_errors=True)
