"""The program as a person meets it."""

from __future__ import annotations

import json
import re
import shlex
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import muddled, shell


def test_alone_it_shows_the_round() -> None:
    said = muddled().stdout
    assert len(said.splitlines()) <= 6
    assert "muddled demo" in said


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["plnt"], 'Did you mean "plant"?'),
        (["plant"], "required: SCENARIO"),
        (["plant", "press-limt", "x"], 'Did you mean "press-limit"?'),
        (["plant", "press-limit", "x", "--variant", "../x"], "no variant code"),
        (["grade", "nowhere"], "nowhere: there is no such file or folder"),
        (["grade", ".", "--pass-mark", "200"], "no percentage"),
        (["grade", ".", "--scenarios", "nowhere"], 'there is no scenario "nowhere"'),
        (["grade", ".", "--most-seconds", "0"], "0 is no whole number above 0"),
        (["grade", "x", "--ledger", "none.db"], "x: there is no such file or folder"),
        (["handout", "press-limit", "--out", "x"], "--roster"),
        (["handout", "press-limit", "--roster", "none.csv", "--out", "x"], "none.csv: can't be read"),
        (["handout", "press-limit", "--roster", "r", "--out", "x", "--pack", "rar"], "rar"),
        (["rehearse"], "SCENARIO"),
        (["rehearse", "press-limt"], 'Did you mean "press-limit"?'),
        (["rehearse", "press-limit", "--jobs", "many"], "many is no whole number above 0"),
        (["rehearse", "press-limit", "--variant", "not a code"], "is no variant code"),
        (["ledger"], "orchard.db: there is no such ledger"),
        (["ledger", "--table", "secrets"], "secrets"),
        (["grade", "--jsn", "."], "--jsn"),
    ],
)
def test_wrong_use_takes_three_lines_at_most(arguments: list[str], says: str, tmp_path: Path) -> None:
    done = muddled(*arguments, folder=tmp_path, code=2)
    assert says in done.stderr
    assert len(done.stderr.splitlines()) <= 3
    assert done.stdout == ""
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("command", ["help --manual -", "plant press-limit -", "demo -", "reply --out -", "gather --out -", "handout press-limit --out -", "host --passwords -", "rehearse press-limit --keep -", "ledger --ledger -", "sketch merge - --from x"])  # fmt: skip
def test_a_place_on_the_disk_is_not_standard_output(command: str, tmp_path: Path) -> None:
    told = muddled(*command.split(), folder=tmp_path, code=2).stderr
    assert "needs a place on the disk" in told or "there must be a file" in told
    assert not list(tmp_path.iterdir())


def test_a_sketch_goes_to_standard_output(tmp_path: Path) -> None:
    for kind in ("same-line", "course"):
        muddled("sketch", kind, "written.toml", folder=tmp_path)
        made = muddled("sketch", kind, "-", folder=tmp_path).stdout
        assert made.replace("written", "exercise") == (tmp_path / "written.toml").read_text("utf-8").replace("written", "exercise")  # fmt: skip
        (tmp_path / "written.toml").unlink()
    assert not list(tmp_path.iterdir())


def test_a_grade_answers_whether_where_and_why(planted: Path) -> None:
    shell(
        planted / "work",
        "git merge -q night-shift >/dev/null || true\n"
        "sed -i -e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d' press.toml; git commit -qam merged",
    )
    said = muddled("grade", planted).stdout
    order = ["Not yet: 12 of 26 points (46.2 %)", "resolution", "press.toml, line 12: ours (main) was kept",
             "press.toml, hunk 1", "base", "limit = 48", "ours (main)", "limit = 55", "theirs (night-shift)",
             "limit = 45", "left there now", "Met: finished, markers"]  # fmt: skip
    places = [said.index(words, 0) for words in order]
    assert places[0] < places[1] < places[3] < places[11]
    assert "wanted: theirs (night-shift). The cracked frame must not go" in " ".join(said.split())
    assert muddled("grade", planted, "--pass-mark", "46", "--quiet").stdout == ""
    assert muddled("grade", planted, "--pass-mark", "47", "--quiet", code=1).stderr == ""
    narrow = muddled("grade", planted, more={"COLUMNS": "80"}).stdout
    assert max(map(len, narrow.splitlines())) <= 80
    ascii_only = muddled("grade", planted, more={"PYTHONIOENCODING": "ascii"}).stdout
    assert "x Not yet" in ascii_only
    assert "\x1b" not in said


def test_the_demo_tells_thirty_learners_apart(tmp_path: Path) -> None:
    said = " ".join(muddled("demo", folder=tmp_path).stdout.split())
    assert "30 submissions, 10 got it, 11 almost, 7 not yet, 2 not started" in said
    assert "What petra gets to hear Petra Hazel (petra)" in said
    for finding in ("nothing came from vera", "suvi handed press-limit in twice", "share 1 commit"):
        assert finding in said
    rest = ("--ledger", "muddled-demo/orchard.db", "--json")
    result = json.loads(muddled("grade", "muddled-demo/handed-in", *rest, folder=tmp_path).stdout)
    scores = {one["learner"]: one["points"] for one in result["submissions"]}
    assert scores == {
        "alda": 26, "benno": 26, "bram": 8, "cleo": 26, "dirk": 8, "edda": 23, "falk": 24, "gesa": 26, "henk": 0, "ilse": 26,
        "ines": 24.5, "jaro": 10, "jory": 22, "kaja": 26, "lene": 25.5, "mats": 12, "neve": 24, "nils": 22, "odo": 10, "oren": 26,
        "petra": 24, "pia": 25, "quin": 23, "rosa": 26, "sten": 25, "suvi": 12, "tilda": 25, "ulla": 26, "wim": 0,
    }  # fmt: skip
    assert len({one["variant"] for one in result["submissions"]}) == 29
    assert "muddled-demo/class.html muddled-demo/feedback/petra/feedback.html" in said
    assert (tmp_path / "muddled-demo/class.html").read_text().count("<tr><th scope=row") == 27
    assert len(list((tmp_path / "muddled-demo/feedback").glob("*/feedback.html"))) == 30
    assert "Name another" in muddled("demo", folder=tmp_path, code=2).stderr


@pytest.mark.parametrize("command", ["survey press-limit", "walkthrough early-merges --form html"])
def test_who_stops_reading_has_seen_enough(command: str, tmp_path: Path) -> None:
    done = subprocess.run(
        ["bash", "-c", f"set -o pipefail; {shlex.quote(sys.executable)} -m muddled_orchard {command} | true"],
        cwd=tmp_path, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert (done.returncode, done.stderr) == (141, "")


LEFT_OUT = {
    "--help": {"rich", "msgspec", "muddled_orchard.core"},
    "catalogue": {"rich.console", "muddled_orchard.vcs"},
    "peek practice": {"rich.console", "inspect", "subprocess", "tempfile", "muddled_orchard.core.key"},
    "survey press-limit --quick": {"rich.console", "logging", "muddled_orchard.rehearsal"},
    "plant press-limit new": {"rich.console", "inspect", "logging", "muddled_orchard.core.grading"},
    "grade practice": {"rich.console", "logging", "sqlite3", "tarfile", "zipfile", "multiprocessing"},
    "grade class": {"rich.console", "logging", "sqlite3", "multiprocessing"},
}  # fmt: skip
"""What commands that people wait for do without, as long as nothing of it is needed."""


@pytest.mark.parametrize("command", LEFT_OUT)
def test_a_command_loads_what_it_needs(command: str, tmp_path: Path) -> None:
    for name in ("practice", "class/a", "class/b"):
        if name.split("/")[0] in command:
            (tmp_path / name).parent.mkdir(exist_ok=True)
            muddled("plant", "press-limit", tmp_path / name, "--quiet")
    code = 1 if command.startswith("peek") else 0
    done = muddled(*command.split(), folder=tmp_path, code=code, more={"PYTHONPROFILEIMPORTTIME": "1"})
    loaded = {line.rsplit("|", 1)[-1].strip() for line in done.stderr.splitlines()}
    assert "argparse" in loaded
    heavy = {
        "pygit2",
        "pydantic",
        "yaml",
        "tree_sitter",
        "jinja2",
        "pandas",
        "matplotlib",
        "asyncio",
        "pebble",
    }
    assert not loaded & (LEFT_OUT[command] | heavy)


def test_feedback_leads_and_never_says_what_is_wanted(tmp_path: Path) -> None:
    muddled("plant", "rebase-one", tmp_path / "ilse", "--quiet")
    shell(
        tmp_path / "ilse/work",
        "git rebase main >/dev/null 2>&1 || true\n"
        "sed -i -e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d' yard.txt; git add .; git rebase --continue >/dev/null",
    )
    for more, says, hides in (
        ([], ["Right already: ✓ Everything is completed", "Look again: ✗ Is each conflict resolved as the brief asks? yard.txt, line 1"], ["was kept", "git show"]),
        (["--hint", "2"], ["yard.txt, line 1: ours (main, the new base) was kept; ours (main, the new base) changed 1 line"], ["git show"]),
        (["--hint", "3"], ["git show ", " -- yard.txt", "git log -p -3 "], []),
    ):  # fmt: skip
        folder = tmp_path / "ilse"
        shown = muddled("grade", folder, "--for-learner", *more).stdout
        written = [
            muddled("grade", folder, "--for-learner", *more, *form).stdout
            for form in (["--json"], ["--csv", "-"], ["--junit", "-"])
        ]
        for text in (shown, *written):
            for wanted in (
                "gate locked",
                "accepted:",
                "wanted:",
                "What you wrote on gates",
                "the other way round",
            ):
                assert wanted not in text
        said = " ".join(shown.split())
        assert [words for words in says if words not in said] == []
        assert [words for words in hides if words in said] == []
        assert muddled("grade", folder, "--for-learner", "--quiet", *more).stdout == ""
    for command in re.findall(r"^ +(git .*)$", shown, re.MULTILINE):
        assert "yard.txt" in shell(tmp_path / "ilse/work", command)
    shell(tmp_path / "ilse/work", "git reset -q --hard ORIG_HEAD; git rebase main >/dev/null 2>&1 || true\n"
          "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' yard.txt; git add .; git rebase --continue >/dev/null")  # fmt: skip
    for more in (["--for-learner"], []):
        assert "Why: What you wrote on gates counts" in muddled("grade", tmp_path / "ilse", *more).stdout
    assert (
        "--hint goes with --for-learner" in muddled("grade", tmp_path / "ilse", "--hint", "2", code=2).stderr
    )


def test_the_log_is_written_where_it_is_asked_for(tmp_path: Path) -> None:
    """By the option before the command, or by the variable; after what it has, and never to the terminal."""
    plain = muddled("catalogue", folder=tmp_path)
    asked = muddled("--log", "notes.log", "catalogue", folder=tmp_path)
    named = muddled("catalogue", folder=tmp_path, more={"MUDDLED_LOG": str(tmp_path / "notes.log")})
    assert plain.stdout == asked.stdout == named.stdout
    assert (asked.stderr, named.stderr) == ("", "")
    lines = (tmp_path / "notes.log").read_text("utf-8").splitlines()
    assert [line.split(" INFO ")[1] for line in lines] == ["muddled catalogue"] * 2
    (tmp_path / "deep").mkdir()
    muddled("-C", "deep", "--log=here.log", "peek", ".", folder=tmp_path, code=2)
    assert "muddled peek ." in (tmp_path / "deep/here.log").read_text("utf-8"), "it goes there first"
    assert [path.name for path in tmp_path.iterdir() if path.is_file()] == ["notes.log"]


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["--log"], "--log needs a file"),
        (["-C"], "-C needs a folder"),
        (["--log", "nowhere/x.log", "catalogue"], "nowhere/x.log: No such file or directory"),
        (["--lag", "x.log", "catalogue"], 'There is no option "--lag"'),
        (["catalogue", "--log", "x.log"], "As in: muddled --log FILE catalogue."),
    ],
)
def test_a_log_that_can_not_be_written_is_told_before_anything_is_done(
    words: list[str], told: str, tmp_path: Path
) -> None:
    done = muddled(*words, folder=tmp_path, code=2)
    assert told in done.stderr
    assert (done.stdout, list(tmp_path.iterdir())) == ("", [])
