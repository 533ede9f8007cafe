"""What reports make of plain data: nothing is graded here."""

from __future__ import annotations

import ast
import csv
import io
import json
import pkgutil
import re
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest
from msgspec.structs import replace

from muddled_orchard.commands.grade.class_findings import show_findings
from muddled_orchard.commands.grade.gradebook import gradebook
from muddled_orchard.commands.grade.junit import junit_file
from muddled_orchard.commands.grade.terminal import MOST_ROWS, show_many
from muddled_orchard.commands.handout.handed_out import HandedOut
from muddled_orchard.commands.handout.terminal import show_handed_out, show_what_next
from muddled_orchard.commands.ledger.as_json import ledger_json
from muddled_orchard.commands.ledger.csv import TABLES, ledger_rows
from muddled_orchard.commands.ledger.terminal import show_ledger
from muddled_orchard.core.course.class_entry import class_entry
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.findings import ClassFinding
from muddled_orchard.core.course.one_result import result_blocks
from muddled_orchard.core.course.records import Grading, HandOut, Work
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.grading.assessment import (
    Assessment,
    CriterionResult,
    HunkResult,
    met,
    missed,
    skipped,
    unreadable,
)
from muddled_orchard.core.grading.criteria.resolution import wrong_conflict
from muddled_orchard.core.grading.finding import kept
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.files.spool import Spool
from muddled_orchard.show.document.terminal import show_blocks
from muddled_orchard.show.json.writing import json_text
from muddled_orchard.show.spreadsheet import cell, table_file
from muddled_orchard.show.terminal.plain import Plain

HUNK = HunkResult(
    task=1, commit=None, file="press.toml", hunk=1, kept="ours", accepted=("theirs",), outcome="missed", why="It is safe.", line=3,
    base="limit = 1\n", ours="limit = 2\n", theirs="limit = 3\n", left="limit = 2\n", wanted="limit = 3\n",
    ours_name="ours (main)", theirs_name="theirs (night)",
)  # fmt: skip
CRITERIA = (
    CriterionResult(id="markers", outcome=met(Said("None.")), points=2, possible=2),
    CriterionResult(id="resolution", outcome=missed(Said("No \x1b[31m.")), points=0, possible=6),
    CriterionResult(id="rules", outcome=skipped(Said("None of its own.")), points=0, possible=0),
)  # fmt: skip
GRADED = Assessment(
    exercise="press",
    title="The press",
    variant="v",
    state="finished",
    criteria=CRITERIA,
    hunks=(HUNK,),
    doubts=(kept(Said("odd")),),
)
ADA = Collected(submission="in/ada.zip", learner="ada", name="Ada Quince", known=True, assessment=GRADED)
LOST = Collected(submission="in/=x", learner="=x", name="=x", known=False, assessment=unreadable("it burnt"))
GIVEN = [
    HandOut(exercise="press", learner=id_, variant=f"v{id_}", scenario="d", first_commit="f" * 40, tips={"main": "t"}, file=f"press/{id_}", made="now")
    for id_ in ("ada", "bo")
]  # fmt: skip
MARKS = [
    Grading(
        submission=f"in/{learner}", fingerprint="p", version="1", scenario="d", exercise=exercise, variant="v", learner=learner,
        state=state, points=points, possible=8, result="{}", graded="2031-05-01T08:00:00+00:00",
    )
    for learner, exercise, state, points in (("ada", "press", "finished", 2), ("ada", "press", "finished", 6), (None, "", "unreadable", 0))
]  # fmt: skip
ROSTER = {"ada": Learner("ada", "Ada Quince", {"group": "red"}), "bo": Learner("bo", "Bo Medlar")}


def screen(width: int = 100) -> tuple[Plain, io.StringIO]:
    out = io.StringIO()
    return Plain(out, width=width), out


SAID = {
    ("ours", ("theirs",)): "ours (main) was kept; wanted: theirs (night).",
    ("theirs", ("ours", "ours+theirs")): "theirs (night) was kept; wanted: ours (main) or ours (main) and then theirs (night).",
    ("base", ("ours",)): "the old text was kept, from before either side changed it; wanted: ours (main).",
    ("neither", ("base",)): "neither side was kept; the lines were deleted; wanted: base.",
    ("blend", ("as written in the key",)): "what stands there now is neither side, nor both; wanted: as written in the key.",
    ("ours+theirs", ("theirs+ours",)): "both sides were kept in the wrong order, ours (main) before theirs (night); wanted: theirs (night) and then ours (main).",
    ("gone", ("ours",)): "the file was deleted; wanted: ours (main).",
    ("ours", ("gone",)): "ours (main) was kept; wanted: no such file.",
    ("unresolved", ("ours",)): "the conflict is still there, with its markers.",
}  # fmt: skip


@pytest.mark.parametrize("kept", SAID)
def test_a_reason_says_what_was_kept_what_was_wanted_and_why(kept: tuple[str, tuple[str, ...]]) -> None:
    hunk = replace(HUNK, kept=kept[0], accepted=kept[1])
    assert wrong_conflict(hunk).said == f"press.toml, line 3: {SAID[kept]}"
    told = wrong_conflict(replace(hunk, line=None, subject="size", renamed="limits.toml")).said
    assert told.startswith('press.toml (of "size"), now limits.toml: ')


@pytest.mark.parametrize(
    ("given", "written"),
    [("plain", "plain"), ("=1+1", "'=1+1"), ("+1", "'+1"), ("-1", "'-1"), ("@x", "'@x"), (-1.5, -1.5), ("a\nb", "a\\nb"), ("\t=x", "\\t=x"), ("＝1", "'＝1"), (" ﹢1", "' ﹢1"), ("a=1", "a=1")],
)  # fmt: skip
def test_no_cell_is_a_formula(given: object, written: object) -> None:
    assert cell(given) == written


def test_a_gradebook_has_everybody_once() -> None:
    worse = replace(ADA, submission="in/ada-2.zip", assessment=replace(GRADED, criteria=CRITERIA[1:]))
    rows = list(
        csv.DictReader(io.StringIO(table_file(gradebook([ADA, worse, LOST], GIVEN, ROSTER)).decode()))
    )
    assert [(row["id"], row["points"], row["state"], row["rules"]) for row in rows] == [
        ("ada", "2", "finished", ""), ("'=x", "0", "unreadable", ""), ("bo", "0", "missing", ""),
    ]  # fmt: skip
    assert (rows[0]["needs a look"], rows[1]["needs a look"]) == ("odd", "it burnt")


def test_junit_tells_failures_errors_and_what_was_skipped() -> None:
    root = ET.fromstring(junit_file([ADA, LOST]))  # noqa: S314 - it is our own
    assert {name: root.get(name) for name in ("tests", "failures", "errors", "skipped")} == {
        "tests": "4", "failures": "1", "errors": "1", "skipped": "1",
    }  # fmt: skip
    assert [failure.get("message") for failure in root.iter("failure")] == ["0 of 6 points: No \\x1b[31m."]
    twice = ET.fromstring(junit_file([ADA, ADA]))  # noqa: S314 - it is our own
    assert [suite.get("tests") for suite in twice] == ["3", "3"]


@pytest.mark.parametrize("width", [80, 100, 140])
def test_a_missed_hunk_stands_side_by_side_where_there_is_room(width: int) -> None:
    on, out = screen(width)
    show_blocks(on, result_blocks(ADA))
    said = out.getvalue()
    assert max(map(len, said.splitlines())) <= width
    together = any(
        {"limit = 1", "limit = 2", "limit = 3"} <= set(re.findall(r"limit = \d", line))
        for line in said.splitlines()
    )
    assert together == (width >= 100)
    assert "\x1b" not in said


def test_a_class_and_what_does_not_fit_together() -> None:
    on, out = screen()
    show_many(
        on,
        [class_entry(one) for one in (ADA, replace(ADA, remembered=True), LOST)],
        [ClassFinding("missing", Said("press: nothing came from bo"))],
    )
    said = " ".join(out.getvalue().split())
    for words in (
        "? press: nothing came from bo.",
        "3 submissions",
        "1 unreadable",
        "1 not graded again",
        "? needs a look",
    ):
        assert words in said


def test_of_a_very_large_class_those_are_shown_who_need_somebody() -> None:
    fine = class_entry(replace(ADA, assessment=replace(GRADED, criteria=(), hunks=())))
    lost = class_entry(LOST)
    on, out = screen()
    show_many(on, [*[fine] * 600, *[lost] * 1_500])
    said = out.getvalue()
    assert said.count("it burnt") == MOST_ROWS
    assert "✓ ada" not in said
    assert "... and 1,100 more; --csv FILE has all of them." in said
    assert "2100 submissions, 600 got it, 1500 unreadable" in " ".join(said.split())


def test_a_spool_gives_back_what_it_took() -> None:
    odd = replace(ADA, submission="in/\udcff.zip")  # a name that is no UTF-8
    spool = Spool()
    for one in (ADA, odd, LOST):
        spool.append(one)
    assert list(spool) == [ADA, odd, LOST]
    assert (spool[-1], spool[1:], len(spool)) == (LOST, [odd, LOST], 3)


def test_a_finding_can_not_speak_to_the_terminal() -> None:
    on, out = screen()
    show_findings(
        on, [ClassFinding("unknown", Said("in/\x1b]0;evil\x07\n[bold] was not handed out"), ("in",))]
    )
    assert out.getvalue() == "? in/\\x1b]0;evil\\x07\\n[bold] was not handed out.\n"


def test_what_was_handed_out_is_shown_in_part() -> None:
    on, out = screen()
    many = [replace(GIVEN[0], learner="ada", file=f"press/{number}") for number in range(11)]
    learners = list(ROSTER.values())
    show_handed_out(
        on, HandedOut(["The press"], learners, many[:8], len(many), 2, Path("out"), Path("orchard.db"), [])
    )
    show_what_next(on, "out", "orchard.db", bare=False, template=None)
    said = out.getvalue()
    assert "The press: 2 learners, 11 handed out, 2 there already." in said
    assert "and 3 more" in said
    assert said.count("press/") == 8


def test_a_ledger_is_shown_and_exported() -> None:
    on, out = screen()
    given = [(one.learner, one.exercise) for one in GIVEN]
    show_ledger(on, "orchard.db", ROSTER, given, [Work(one, None) for one in MARKS])
    said = " ".join(out.getvalue().split())
    assert "2 learners, 2 hand-outs, 3 gradings." in said
    assert "press 2 1 75 % 1 2031-05-01 08:00" in said
    assert "In 1 submission nothing could be read" in said
    heads = {table: next(iter(ledger_rows(table, ROSTER, GIVEN, MARKS)))[0] for table in TABLES}
    assert heads == {"hand-outs": "exercise", "gradings": "graded", "learners": "id"}
    assert ("bo", "Bo Medlar", "") in ledger_rows("learners", ROSTER, GIVEN, MARKS)
    data = json.loads(json_text(ledger_json(ROSTER, GIVEN, MARKS)))
    assert [len(data[name]) for name in ("learners", "hand_outs", "gradings")] == [2, 2, 3]
    assert "result" not in data["gradings"][0]


def test_each_folder_says_what_its_modules_are() -> None:
    named_alike = {"__init__", "command", "terminal", "page", "as_json", "csv"}
    for folder in Path("src/muddled_orchard").rglob("__init__.py"):
        if folder.parent.name in ("muddled_orchard", "operations", "criteria", "behaviours"):
            continue  # one module a kind
        told = ast.get_docstring(ast.parse(folder.read_text("utf-8"))) or ""
        for module in {path.stem for path in folder.parent.glob("*.py")} - named_alike:
            assert f"`{module}`" in told, (folder, module)


def test_what_docstrings_and_documents_name_is_there() -> None:
    """Folders, modules, and what is in them."""
    top = Path("src/muddled_orchard")
    rooms = "core|vcs|files|show|commands|classroom|system|rehearsal"
    named = re.compile(rf"`((?:{rooms})[./][A-Za-z_./]+?)(?:\.py|/)?`")
    for file in (*top.rglob("*.py"), *Path("docs").glob("*.md"), Path("README.md"), Path("CONTRIBUTING.md")):
        for name in named.findall(file.read_text("utf-8")):
            path = top / name.replace(".", "/")
            if path.is_dir() or path.with_suffix(".py").is_file() or name == "core.worktree":  # Git's own
                continue
            whole = f"muddled_orchard.{name.replace('/', '.')}"
            try:
                pkgutil.resolve_name(whole)
            except (ImportError, AttributeError):
                pytest.fail(f"{file}: {name}")


def test_the_tree_of_exceptions_has_all_of_them() -> None:
    told = Path("CONTRIBUTING.md").read_text("utf-8")
    for file in Path("src/muddled_orchard").rglob("*.py"):
        for node in ast.parse(file.read_text("utf-8")).body:
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                raised = {ast.unparse(base) for base in node.bases} & {"Exception", "BadInput"}
                assert not raised or node.name in told, f"{file}: {node.name}"
