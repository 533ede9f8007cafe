"""What learners do with a merge, done with real Git, and what the built program makes of it."""

from __future__ import annotations

import shutil
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, cast

import pytest

from tests.conftest import graded, muddled, once, shell
from tests.scenarios import CHAIN, KINDS

ALL = ("finished", "markers", "history", "resolution", "rest", "rules", "bystanders", "tidy")

BEGIN = "git merge -q night-shift >/dev/null || true\n"
THEIRS = "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' press.toml\n"
OURS = "sed -i -e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d' press.toml\n"
BOTH = "sed -i '/^<<<<<<<\\|^=======\\|^>>>>>>>/d' press.toml\n"
COMMIT = "git commit -qam 'Merge night-shift'\n"
RIGHT = BEGIN + THEIRS + COMMIT


@dataclass(frozen=True)
class Case:
    """A learner's script, and what must come out; criteria that aren't named must be met."""

    script: str
    state: str = "finished"
    kept: str | None = "theirs"
    partly: str = ""
    missed: str = ""
    says: tuple[str, ...] = field(default=())
    doubt: bool = False


CASES = {
    "right": Case(RIGHT),
    "right by hand, without a word of Git's": Case(
        "git merge -q --no-commit night-shift || true\n" + THEIRS + "git add . && git commit -qm x"
    ),
    "right, with CRLF": Case(BEGIN + THEIRS + "sed -i 's/$/\\r/' press.toml\n" + COMMIT),
    "right, with trailing blanks": Case(BEGIN + THEIRS + "sed -i 's/^limit.*/&  /' press.toml\n" + COMMIT),
    "right, checked out with CRLF by Git": Case(RIGHT + "sed -i 's/$/\\r/' README.md"),
    "right, mended after a wrong commit": Case(
        BEGIN + OURS + COMMIT + "sed -i 's/^limit = 55/limit = 45/' press.toml\n" + COMMIT
    ),
    "right, packed by gc": Case(RIGHT + "git gc -q --prune=now"),
    "right, amended": Case(RIGHT + "git commit -q --amend -m 'Merge the night shift'"),
    "right, and the branch kept a copy": Case(RIGHT + "git branch done"),
    "ours kept": Case(
        BEGIN + OURS + COMMIT,
        kept="ours",
        missed="resolution",
        says=("press.toml, line 12: ours (main) was kept",),
    ),
    "both kept": Case(BEGIN + BOTH + COMMIT, kept="ours+theirs", missed="resolution rules"),
    "both kept, the other way round": Case(
        BEGIN + BOTH + "sed -i '12{h;d};13{G}' press.toml\n" + COMMIT,
        kept="theirs+ours",
        missed="resolution rules",
    ),
    "neither kept": Case(
        BEGIN + "sed -i '/^<<<<<<</,/^>>>>>>>/d' press.toml\n" + COMMIT, kept="neither", missed="resolution"
    ),
    "base brought back": Case(
        BEGIN + THEIRS + "sed -i 's/^limit = .*/limit = 48/' press.toml\n" + COMMIT,
        kept="base",
        missed="resolution",
    ),
    "something else written": Case(
        BEGIN + THEIRS + "sed -i 's/^limit = .*/limit = 50/' press.toml\n" + COMMIT,
        kept="blend",
        missed="resolution",
    ),
    "markers left": Case(
        BEGIN + COMMIT,
        kept="unresolved",
        missed="markers resolution rules",
        says=("line 12", "<<<<<<< HEAD", "and 2 more"),
    ),
    "one marker left": Case(
        BEGIN + THEIRS + "sed -i '12a=======' press.toml\n" + COMMIT,
        kept="unresolved",
        missed="markers resolution rules",
    ),
    "a marker left far from the hunk": Case(
        BEGIN + THEIRS + "echo '>>>>>>> night-shift' >>press.toml\n" + COMMIT,
        missed="markers rules",
        says=("press.toml, line 41",),
    ),
    "markers commented out": Case(
        BEGIN + "sed -i 's/^[<=>]\\{7\\}/# &/' press.toml\n" + COMMIT,
        kept="unresolved",
        missed="markers resolution rules",
    ),
    "markers of another size": Case(
        "echo '* conflict-marker-size=12' >.git/info/attributes\n" + BEGIN + COMMIT,
        kept="unresolved",
        missed="markers resolution rules",
    ),
    "markers in diff3 style": Case(
        "git config merge.conflictStyle diff3\n" + BEGIN + COMMIT,
        kept="unresolved",
        missed="markers resolution rules",
    ),
    "a shortened marker left": Case(
        BEGIN + THEIRS + "sed -i '12i# <<<<' press.toml\nsed -i '12s/# //' press.toml\n" + COMMIT,
        kept="blend",
        missed="resolution rules",
        doubt=True,
    ),
    "markers committed and mended later": Case(
        BEGIN + COMMIT + THEIRS + "git commit -qam 'Clean up'", partly="markers", says=("mended later",)
    ),
    "markers put in another file": Case(
        BEGIN + THEIRS + "echo '=======' >>README.md\n" + COMMIT,
        missed="markers",
        says=("README.md, line 5",),
    ),
    "whole file from theirs": Case(
        BEGIN + "git checkout -q --theirs press.toml\n" + COMMIT,
        missed="rest",
        says=("ours (main) changed outside the conflict was lost", "wash_pears = 2", "whole of press.toml"),
    ),
    "whole file from ours": Case(
        BEGIN + "git checkout -q --ours press.toml\n" + COMMIT,
        kept="ours",
        missed="rest resolution",
        says=("keep_days = 730",),
    ),
    "whole file from theirs, taken before the merge": Case(
        "git checkout -q night-shift -- press.toml; git commit -qm early; git merge -q night-shift -m merged", missed="rest"
    ),
    "strategy ours": Case(
        "git merge -q -s ours night-shift -m merged", kept="ours", missed="resolution rest", says=("Nothing of theirs (night-shift) came in at all",)
    ),
    "strategy option theirs": Case("git merge -q -X theirs night-shift -m merged"),
    "something else changed": Case(
        BEGIN + THEIRS + "sed -i 's/crew = 3/crew = 4/' press.toml\n" + COMMIT,
        partly="rest",
        says=("crew = 4",),
    ),
    "a line beside the hunk changed": Case(
        BEGIN + THEIRS + "sed -i 's/step = 4/step = 5/' press.toml\n" + COMMIT, partly="rest"
    ),
    "the file deleted": Case(
        BEGIN + "git rm -qf press.toml\ngit commit -qm x", kept="gone", missed="resolution rules"
    ),
    "never started": Case("true", state="untouched", kept=None, missed=" ".join(ALL)),
    "aborted": Case(
        BEGIN + "git merge --abort",
        state="untouched",
        kept=None,
        missed=" ".join(ALL),
        says=("given up or put aside once, as git merge --abort and git stash do",),
    ),
    "only begun": Case(
        BEGIN,
        state="open",
        kept="unresolved",
        missed="finished markers history resolution rules",
        says=("press.toml is still unmerged",),
    ),
    "resolved, not staged": Case(
        BEGIN + THEIRS, state="open", missed="finished history", says=("never staged with git add",)
    ),
    "staged, not committed": Case(
        BEGIN + THEIRS + "git add .",
        state="open",
        missed="finished history",
        says=("but it was not completed",),
    ),
    "wrong, not committed": Case(
        BEGIN + OURS + "git add .", state="open", kept="ours", missed="finished history resolution"
    ),
    "edited by hand, no merge": Case(
        "sed -i 's/^limit = 55/limit = 45/; s/^keep_days.*/keep_days = 730/' press.toml",
        state="open",
        missed="finished history",
    ),
    "wrong way round": Case(
        "git checkout -q night-shift; git merge -q main || true\n" + OURS + COMMIT,
        missed="history",
        says=("wrong way round", "main into night-shift"),
    ),
    "wrong way round, then main moved on": Case(
        "git checkout -q night-shift; git merge -q main || true\n"
        + OURS + COMMIT + "git checkout -q main; git merge -q night-shift",
        missed="history",
    ),
    "squashed": Case(
        "git merge -q --squash night-shift || true\n" + THEIRS + "git add .; git commit -qm squashed",
        missed="history",
        says=("no second parent",),
    ),
    "squash under way": Case(
        "git merge -q --squash night-shift || true\n" + THEIRS + "git add .",
        state="open",
        missed="finished history",
    ),
    "rebased instead": Case(
        "git checkout -q night-shift; git rebase main >/dev/null 2>&1 || true\n"
        + THEIRS
        + "git add .; git -c core.editor=true rebase --continue >/dev/null\n"
        + "git checkout -q main; git merge -q --ff-only night-shift",
        missed="history bystanders",
        says=("copied, by a rebase or picks", "night-shift was rewritten"),
    ),
    "detached": Case(
        "git checkout -q --detach\n" + RIGHT,
        partly="history tidy",
        says=("detached HEAD", "main did not receive it"),
    ),
    "on another branch": Case(
        "git checkout -qb try\n" + RIGHT, partly="history tidy", says=("is on try; main did not",)
    ),
    "an older commit merged": Case(
        "git merge -q night-shift~1 || true\n" + THEIRS + COMMIT,
        missed="history",
        says=("older commit of night-shift",),
    ),
    "backup file left": Case(
        RIGHT + "cp press.toml press.toml.orig", partly="tidy", says=("press.toml.orig", "a backup file")
    ),
    "backup file committed": Case(
        BEGIN + THEIRS + "cp press.toml press_LOCAL_41.toml; git add .\n" + COMMIT, partly="tidy"
    ),
    "changes left after the merge": Case(RIGHT + "echo >>README.md", partly="tidy"),
    "markers left in the working tree": Case(
        RIGHT + "echo '<<<<<<< HEAD' >>press.toml", missed="markers", partly="tidy"
    ),
    "wrong branch checked out": Case(RIGHT + "git checkout -q night-shift", partly="tidy"),
    "something in the stash": Case(RIGHT + "echo >>README.md; git stash -q", partly="tidy"),
    "other branch deleted": Case(
        RIGHT + "git branch -qD night-shift", missed="bystanders", says=("night-shift was deleted",)
    ),
    "other branch moved on": Case(RIGHT + "git branch -qf night-shift main", partly="bystanders"),
    "main rewritten first": Case(
        "git commit -q --amend -m Other\n" + RIGHT, partly="history", missed="bystanders"
    ),
    "a blank line more": Case(
        BEGIN + THEIRS + "sed -i '12a\\\\' press.toml\n" + COMMIT, doubt=True
    ),
}  # fmt: skip


def _classroom_made(top: Path) -> dict[str, dict[str, Any]]:
    """Everybody's result, from one run of the program over the whole class."""
    muddled("plant", "press-limit", top / "first")
    (top / "all").mkdir()
    for number, case in enumerate(CASES.values()):
        shutil.copytree(top / "first", top / "all" / f"{number:02}", symlinks=True)
        shell(top / "all" / f"{number:02}" / "work", case.script)
    before = shell(top, "find all -type f | sort | xargs sha1sum | sha1sum")
    results = graded(top / "all")
    assert shell(top, "find all -type f | sort | xargs sha1sum | sha1sum") == before, (
        "grading changed something"
    )
    return dict(zip(CASES, (results[f"{number:02}"] for number in range(len(CASES))), strict=True))


@pytest.fixture(scope="module")
def classroom(tmp_path_factory: pytest.TempPathFactory) -> dict[str, dict[str, Any]]:
    return cast(dict[str, dict[str, Any]], once(tmp_path_factory, "learners", _classroom_made))


@pytest.mark.parametrize("name", CASES)
def test_press_limit(name: str, classroom: dict[str, dict[str, Any]]) -> None:
    check(CASES[name], classroom[name])


def check(case: Case, result: dict[str, Any]) -> None:
    verdicts = {id_: result["criteria"][id_]["outcome"] for id_ in ALL}
    expected = {
        id_: "missed" if id_ in case.missed.split() else "partly" if id_ in case.partly.split() else "met"
        for id_ in ALL
    }
    because = " ".join(criterion["because"] for criterion in result["criteria"].values())
    assert (result["state"], verdicts) == (case.state, expected), because
    if case.kept is not None:
        assert next(hunk["kept"] for hunk in result["hunks"]) == case.kept
    for words in case.says:
        assert words in because
    assert bool(result["needs_a_look"]) == case.doubt, result["needs_a_look"]
    assert result["points"] == round(sum(c["points"] for c in result["criteria"].values()), 1)


EAST = "git merge -q east >/dev/null 2>&1 || true\n"
WEST = "git merge -q west >/dev/null 2>&1 || true\n"
FIRST = (
    EAST
    + "printf 'Hives\\n=======\\nnorth: 4\\n\\none\\ntwo\\nthree\\nfour\\nsouth: 6\\n' >notes.txt; git rm -q old.txt; git add .; git commit -qm east\n"
)
FIRST_WRONG = FIRST.replace("north: 4", "north: 2")
SECOND = (
    WEST
    + "printf 'Hives\\n=======\\nnorth: %s\\n\\none\\ntwo\\nthree\\nfour\\nsouth: 13\\n' {} >notes.txt; git add .; git commit -qm west\n"
)

CHAIN_CASES = {
    "both right": (FIRST + SECOND.format(4), "finished", ["theirs", "gone", "blend"], {}),
    "the first wrong, the second right": (
        FIRST_WRONG + SECOND.format(2),
        "finished",
        ["ours", "gone", "blend"],
        {"resolution": "partly"},
    ),
    "the second wrong": (
        FIRST + WEST + "git checkout -q --ours notes.txt; git commit -qam west",
        "finished",
        ["theirs", "gone", "ours"],
        {"resolution": "partly"},
    ),
    "the deleted file brought back": (
        FIRST.replace("git rm -q old.txt;", "") + SECOND.format(4),
        "finished",
        ["theirs", "ours", "blend"],
        {"resolution": "partly"},
    ),
    "only the first": (
        FIRST,
        "open",
        ["theirs", "gone"],
        {"finished": "partly", "history": "partly", "resolution": "partly", "rules": "missed"},
    ),
    "stopped in the second": (
        FIRST + WEST,
        "open",
        ["theirs", "gone", "unresolved"],
        {"finished": "missed", "markers": "missed", "history": "partly", "resolution": "partly"},
    ),
    "the first mended before the second": (
        FIRST_WRONG + "sed -i 's/north: 2/north: 4/' notes.txt; git commit -qam mended\n" + SECOND.format(4),
        "finished",
        ["theirs", "gone", "blend"],
        {},
    ),
    "the first squashed": (
        FIRST.replace("merge -q", "merge -q --squash") + SECOND.format(4),
        "finished",
        ["theirs", "gone", "blend"],
        {"history": "partly"},
    ),
}


@pytest.mark.parametrize("name", CHAIN_CASES)
def test_two_merges_in_a_row(name: str, tmp_path: Path) -> None:
    script, state, kept, lacking = CHAIN_CASES[name]
    (tmp_path / "hives.toml").write_text(CHAIN, encoding="utf-8")
    muddled("plant", tmp_path / "hives.toml", tmp_path / "odo")
    shell(tmp_path / "odo" / "work", script)
    result = graded(tmp_path / "odo" / "work", "--scenarios", tmp_path)["odo"]
    verdicts = {id_: result["criteria"][id_]["outcome"] for id_ in ALL}
    because = " ".join(f"{id_}: {criterion['because']}" for id_, criterion in result["criteria"].items())
    assert (result["state"], verdicts) == (state, dict.fromkeys(ALL, "met") | lacking), because
    assert [hunk["kept"] for hunk in result["hunks"]] == kept


MERGE = "git merge -q east >/dev/null 2>&1 || true\n"
ANSWERS = {
    "empty.txt": "printf 'home\\neast\\n' >empty.txt",
    "new.txt": "printf 'home\\n' >new.txt",
    "here.txt": "printf 'one\\nTWO\\n' >here.txt",
    "there.txt": "rm -f there.txt",
    "list.json": 'printf \'[\\n  "north",\\n  "south",\\n  "home",\\n  "east"\\n]\\n\' >list.json',
    "two.txt": "printf 'first home\\n1\\n2\\n3\\n4\\n5\\nlast east\\n' >two.txt",
}

# What is done otherwise than by the key, how the file is read then (two.txt has two hunks), and whether
# that is right.
KINDS_CASES = {
    "all right": ({}, {}, ""),
    "the order of two insertions": ({"empty.txt": "printf 'east\\nhome\\n' >empty.txt"}, {"empty.txt": ["theirs+ours"]}, "empty.txt"),
    "an empty file left empty": ({"empty.txt": ": >empty.txt"}, {"empty.txt": ["neither"]}, "empty.txt"),
    "a blend of two new files": ({"new.txt": "printf 'home and east\\n' >new.txt"}, {"new.txt": ["blend"]}, "new.txt"),
    "a new file thrown away": ({"new.txt": "rm new.txt"}, {"new.txt": ["gone"]}, "new.txt"),
    "an edited file left deleted": ({"here.txt": "rm -f here.txt"}, {"here.txt": ["gone"]}, "here.txt"),
    "an edited file as it was": ({"here.txt": "printf 'one\\ntwo\\n' >here.txt"}, {"here.txt": ["base"]}, "here.txt"),
    "a deleted file brought back": ({"there.txt": "printf 'ONE\\ntwo\\n' >there.txt"}, {"there.txt": ["ours"]}, "there.txt"),
    "a deleted file written anew": ({"there.txt": "echo new >there.txt"}, {"there.txt": ["blend"]}, "there.txt"),
    "the other alternative": (
        {"list.json": 'printf \'[\\n  "north",\\n  "south",\\n  "east",\\n  "home"\\n]\\n\' >list.json'}, {"list.json": ["blend"]}, "",
    ),
    "the comma forgotten": (
        {"list.json": 'printf \'[\\n  "north",\\n  "south",\\n  "home"\\n  "east"\\n]\\n\' >list.json'}, {"list.json": ["ours+theirs"]}, "list.json",
    ),
    "two hunks the wrong way about": (
        {"two.txt": "printf 'first east\\n1\\n2\\n3\\n4\\n5\\nlast home\\n' >two.txt"}, {"two.txt": ["theirs", "ours"]}, "two.txt two.txt",
    ),
    "one of two hunks": (
        {"two.txt": "printf 'first home\\n1\\n2\\n3\\n4\\n5\\nlast home\\n' >two.txt"}, {"two.txt": ["ours", "ours"]}, "two.txt",
    ),
}  # fmt: skip

RIGHT_KEPT = {
    "empty.txt": ["ours+theirs"], "new.txt": ["ours"], "here.txt": ["theirs"], "there.txt": ["gone"],
    "list.json": ["blend"], "two.txt": ["ours", "theirs"],
}  # fmt: skip


def _kinds_made(top: Path) -> dict[str, dict[str, Any]]:
    (top / "kinds.toml").write_text(KINDS, encoding="utf-8")
    muddled("plant", top / "kinds.toml", top / "first")
    for number, (other, _, _) in enumerate(KINDS_CASES.values()):
        shutil.copytree(top / "first", top / "all" / f"{number:02}", symlinks=True)
        resolve = "\n".join({**ANSWERS, **other}.values())
        shell(top / "all" / f"{number:02}" / "work", f"{MERGE}{resolve}\ngit add -A; git commit -qm merged")
    results = graded(top / "all", "--scenarios", top / "kinds.toml")
    return dict(zip(KINDS_CASES, (results[f"{n:02}"] for n in range(len(KINDS_CASES))), strict=True))


@pytest.fixture(scope="module")
def kinds(tmp_path_factory: pytest.TempPathFactory) -> dict[str, dict[str, Any]]:
    return cast(dict[str, dict[str, Any]], once(tmp_path_factory, "kinds", _kinds_made))


@pytest.mark.parametrize("name", KINDS_CASES)
def test_every_kind_of_conflict(name: str, kinds: dict[str, dict[str, Any]]) -> None:
    _, kept, wrong = KINDS_CASES[name]
    found: dict[str, list[str]] = {}
    for hunk in kinds[name]["hunks"]:
        found.setdefault(hunk["file"], []).append(hunk["kept"])
    assert found == RIGHT_KEPT | kept
    missed = [hunk["file"] for hunk in kinds[name]["hunks"] if hunk["outcome"] == "missed"]
    assert missed == wrong.split()
    resolution = kinds[name]["criteria"]["resolution"]
    assert resolution["points"] == pytest.approx(14 * (7 - len(missed)) / 7, abs=0.01)
    assert [
        kinds[name]["criteria"][id_]["outcome"] for id_ in ("finished", "markers", "history", "rest")
    ] == ["met"] * 4
    assert all(words in resolution["because"] for words in set(missed))
