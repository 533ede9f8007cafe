"""A first exercise of one's own: short files, commands that work as they are printed, keys of every kind."""

from __future__ import annotations

import os
import re
import shlex
import shutil
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest

from muddled_orchard.commands.parser import COMMANDS
from muddled_orchard.core.exercise.defaults import completed, message_for
from muddled_orchard.core.exercise.scenario import Entry
from muddled_orchard.files.scenarios.scenario_file import load_scenario, read_scenario
from tests.conftest import LEARNER, muddled, shell

SHORTEST = """\
task = [{ do = "merge", bring = "night" }]
[[story]]
on = "main"
write = { "press.txt" = "limit = 80\\nmode = fine\\nend\\n", "old.txt" = "a\\nb\\n" }
[[story]]
on = "night"
from = "main"
change = [{ file = "press.txt", find = "80", put = "70" }]
[[story]]
on = "main"
change = [{ file = "press.txt", find = "80", put = "90" }]
[[answer]]
file = "press.txt"
keep = ["theirs"]
"""
RIGHT = "git merge -q night 2>&1 || git checkout -q --theirs . ; git commit -qam 'Merge night' || true"


def typed(said: str, folder: Path) -> str:
    """Type every command that the program printed, as it stands there, and give what they said."""
    commands = re.findall(r"(?:^ *|: )(muddled .*)$", said, re.MULTILINE)
    assert commands, said
    commands = [command.replace("FOLDER", "back") for command in commands]
    return "".join(muddled(*shlex.split(command)[1:], folder=folder).stdout for command in commands)


def test_the_shortest_exercise_has_fifteen_lines_and_goes_the_whole_way(tmp_path: Path) -> None:
    assert len(SHORTEST.splitlines()) <= 15
    file = tmp_path / "night-limit.toml"
    file.write_text(SHORTEST, "utf-8")
    scenario = load_scenario(file)
    assert (scenario.id, scenario.title, scenario.brief) == (
        "night-limit",
        "Night limit",
        "Merge `night` into `main`.\n\nWhere there are conflicts, decide what is right, and finish what you began.",
    )
    assert [(entry.by, entry.message) for entry in scenario.story] == [
        ("maren", "Write press.txt, and edit 1 more file"),
        ("tobias", "Change 80 to 70 in press.txt"),
        ("maren", "Change 80 to 90 in press.txt"),
    ]
    said = muddled("plant", "night-limit.toml", "p q", folder=tmp_path).stdout
    shell(tmp_path / "p q/work", RIGHT)
    assert "Got it" in typed(said, tmp_path)
    (tmp_path / "elsewhere").mkdir()
    moved = tmp_path / "elsewhere/renamed.toml"
    # Where it was when it was planted; in the working folder; nowhere.
    assert "Got it" in muddled("grade", "../p q", folder=tmp_path / "elsewhere").stdout
    moved.write_text(f'id = "night-limit"\n{SHORTEST}', "utf-8")
    file.unlink()
    assert "Got it" in muddled("grade", "../p q", folder=tmp_path / "elsewhere").stdout
    assert "name its file with --scenarios" in " ".join(
        muddled("grade", "p q", folder=tmp_path, code=2).stdout.split()
    )
    # A learner's own file never counts, not even where it lies in the working folder.
    shutil.move(moved, tmp_path / "p q/night-limit.toml")
    assert "name its file with" in " ".join(
        muddled("grade", ".", folder=tmp_path / "p q", code=2).stdout.split()
    )
    (tmp_path / "press-limit.toml").write_text(SHORTEST, "utf-8")
    said = muddled("plant", "press-limit.toml", "-other", folder=tmp_path, code=2).stderr
    said = muddled("plant", "press-limit.toml", "other", folder=tmp_path).stdout
    assert "Not started" in typed(said, tmp_path)


def test_what_a_file_leaves_out() -> None:
    found, problems = read_scenario(
        SHORTEST.replace("[[answer]]", '[cast]\nodo = "Odo Marsh <o@x.example>"\n[[answer]]')
    )
    assert (problems, {entry.by for entry in found.story if found}) == ([], {"odo"})  # type: ignore[union-attr]  # it was found
    two = '[cast]\nodo = "O <o@x.example>"\nsuvi = "S <s@x.example>"\n[[answer]]'
    _, problems = read_scenario(SHORTEST.replace("[[answer]]", two))
    assert [problem.key_text for problem in problems] == ["story[1]", "story[2]", "story[3]"]
    rebase = SHORTEST.replace('do = "merge", bring = "night"', 'do = "rebase", onto = "main"')
    found, problems = read_scenario(rebase, name="My First One!")
    assert found is not None, problems
    assert (found.task[0].on, found.id, completed(found, "x")) == ("night", "my-first-one", found)
    for entry, subject in (
        (Entry(on="a", rename={"x": "y"}), "Rename x to y"),
        (Entry(on="a", remove=("x", "y", "z")), "Remove x, and edit 2 more files"),
        (Entry(on="a", merge="b"), "Merge branch 'b' into a"),
        (Entry(on="origin/a", take="trees"), "Work on a"),
        (Entry(on="a", executable=("x",)), "Make x executable"),
    ):
        assert message_for(entry) == subject


OUTSIDE = """\
[[answer]]
file = "old.txt"
text = "a\\nsomething else\\n"
[[answer]]
file = "new.txt"
text = "was not there\\n"
[[answer]]"""
GONE = """\
change = [{ file = "press.txt", find = "80", put = "90" }, { file = "old.txt", find = "a", put = "A" }]
[[answer]]
file = "old.txt"
gone = true
"""
KEYS = {
    "text": [('keep = ["theirs"]', 'text = "limit = 65\\nmode = coarse\\nend\\n"')],
    "gone-with-hunks": [('keep = ["theirs"]', "gone = true")],
    "gone": [('change = [{ file = "press.txt", find = "80", put = "90" }]\n', GONE), ('put = "70" }]', 'put = "70" }]\nremove = ["old.txt"]')],
    "outside": [("[[answer]]", OUTSIDE)],
    "squashed": [('bring = "night"', 'bring = "night", squash = true, delete = "night"')],
    **{
        name: [
            ('bring = "night" }', 'bring = "night" }, { do = "merge", bring = "day" }'),
            ('[[story]]\non = "main"\nchange', f'[[story]]\non = "day"\nfrom = "{start}"\nchange = [{{ file = "press.txt", find = "{find}", put = "60" }}]\n[[story]]\non = "main"\nchange'),
        ]
        for name, start, find in (("several", "main", "80"), ("stacked", "night", "70"))
    },
}  # fmt: skip


def test_keys_of_every_kind_rehearse_without_a_surprise(tmp_path: Path) -> None:
    for name, edits in KEYS.items():
        text = SHORTEST
        for find, put in edits:
            assert find in text, (name, find)
            text = text.replace(find, put, 1)
        (tmp_path / f"{name}.toml").write_text(text, "utf-8")
    said = muddled("rehearse", ".", "--quiet", "--json", folder=tmp_path).stdout
    assert '"ours in press.txt 1, task 2"' in said
    assert sorted(path.suffix for path in tmp_path.iterdir()) == [".toml"] * len(KEYS)


def test_mended_surprises_go_and_a_cause_is_told_once(tmp_path: Path) -> None:
    (tmp_path / "mine.toml").write_text(SHORTEST + '[[rule]]\nfile = "press.txt"\nlacks = "7"\n', "utf-8")
    done = muddled("rehearse", "mine.toml", "--variants", "2", folder=tmp_path, code=1)
    assert done.stdout.count('"7" is in it') == 1
    assert "to look at: muddled-surprises/mine/right" in done.stdout
    (tmp_path / "muddled-surprises/mine/of-my-own").mkdir()
    (tmp_path / "mine.toml").write_text(SHORTEST, "utf-8")
    muddled("rehearse", "mine.toml", "--quiet", folder=tmp_path)
    assert [path.name for path in (tmp_path / "muddled-surprises/mine").iterdir()] == ["of-my-own"]


def test_trees_need_no_kind_and_say_what_is_still_to_be_written(tmp_path: Path) -> None:
    for side in ("base", "ours", "theirs"):
        (tmp_path / "trees" / side).mkdir(parents=True)
        (tmp_path / "trees" / side / "a.txt").write_text(f"one\n{side}\n")
        (tmp_path / "trees" / side / "b.png").write_bytes(b"\0\xff" + side.encode())
        (tmp_path / "trees" / side / "same.txt").write_text("same\n")
    (tmp_path / "course").mkdir()
    said = muddled("sketch", "--from", "../trees", "mine.toml", folder=tmp_path / "course").stdout
    assert "The trees were copied to mine/" in said
    assert "2 conflicts have no answer yet" in said
    text = (tmp_path / "course/mine.toml").read_text("utf-8")
    begun = re.sub(r"^# ?(?=\[|file|keep|side)", "", text, flags=re.MULTILINE)
    begun = begun.replace('keep = ["..."]', 'keep = ["theirs"]').replace('side = "..."', 'side = "ours"')
    (tmp_path / "course/mine.toml").write_text(begun, "utf-8")
    muddled("survey", "mine.toml", folder=tmp_path / "course")
    (tmp_path / "trees/wanted").mkdir()
    (tmp_path / "trees/wanted/link").symlink_to("a.txt")
    (tmp_path / "trees/wanted/a.txt").write_text("one\nboth\n")
    (tmp_path / "trees/wanted/b.png").write_bytes(b"\0\xfftheirs")
    said = muddled("sketch", "rebase", "--from", "trees", "two.toml", folder=tmp_path).stdout
    assert "this stays as Git merges it: same.txt" in said
    assert 'side = "theirs"' in (tmp_path / "two.toml").read_text("utf-8")
    assert "The key covers both conflicts" in muddled("survey", "two.toml", folder=tmp_path).stdout


@pytest.mark.parametrize("command", ["", *COMMANDS])
def test_help_fits_and_its_examples_are_known_options(command: str) -> None:
    said = muddled("help", *[command][: bool(command)]).stdout
    assert max(map(len, said.splitlines())) <= 80
    assert not command or said == muddled(command, "-h", more={"COLUMNS": "200"}).stdout
    for example in re.findall(r"^  muddled (.*)$", said.partition("examples:")[2], re.MULTILINE):
        for option in re.findall(r"--[a-z-]+", example):
            assert f"{option} " in said.partition("examples:")[0]


def test_completion_and_manual_pages(tmp_path: Path) -> None:
    (tmp_path / "complete").write_text(muddled("help", "--completion", "bash").stdout, "utf-8")
    shell(tmp_path, "bash -n complete; grep -q -- --for-learner complete")
    muddled("help", "--manual", "man", folder=tmp_path)
    assert {path.name for path in (tmp_path / "man/man1").iterdir()} == {
        "muddled.1",
        *(f"muddled-{name}.1" for name in COMMANDS),
    }
    assert "for\\-learner" in (tmp_path / "man/man1/muddled-grade.1").read_text("utf-8")
    muddled("-C", "man", "survey", "press-limit", "-q", folder=tmp_path)
    for words, hint in (
        (["grade", "--for-leaner"], 'Did you mean "--for-learner"? See: muddled grade --help'),
        (["-C"], "See: muddled --help"),
        (["-C", "nowhere", "peek"], "nowhere: No such file"),
        (["help", "grad"], 'Did you mean "grade"?'),
        (["sketch", "a", "--from", "b", "c", "d"], '"d" is one word too many'),
    ):
        assert hint in muddled(*words, folder=tmp_path, code=2).stderr


def test_the_readme_leads_from_pip_to_a_graded_result(tmp_path: Path) -> None:
    """Typed as it stands there: installed (from this folder, with what is installed already), written, graded."""
    readme = Path("README.md").read_text("utf-8")
    assert "`python3 -m pip install .`" in readme
    for name in ("src", "pyproject.toml", "README.md"):
        shell(tmp_path, f"mkdir -p here && cp -r {shlex.quote(str(Path(name).resolve()))} here")
    subprocess.run(
        [sys.executable, "-m", "pip", "install", "-q", "--no-deps", "--no-build-isolation", "--target", "lib", "./here"],
        check=True, capture_output=True, cwd=tmp_path,
    )  # fmt: skip
    own = readme.partition("## Make your own")[2]
    fenced = dict(reversed(re.findall(r"```(\w*)\n(.*?)```", own, re.DOTALL)))
    (tmp_path / "my-exercise.toml").write_text(fenced["toml"], "utf-8")
    commands = fenced[""].splitlines()
    assert len(commands) < 10
    (tmp_path / "muddled").write_text(
        f'#!/bin/sh\nexec {shlex.quote(sys.executable)} -m muddled_orchard "$@"\n', "utf-8"
    )
    (tmp_path / "muddled").chmod(0o755)
    env = {
        **LEARNER,
        "PATH": f"{tmp_path}:{os.environ['PATH']}",
        "PYTHONPATH": str(tmp_path / "lib"),
        "XDG_STATE_HOME": str(tmp_path),
    }
    said = ""
    for command in commands:
        done = subprocess.run(
            ["sh", "-c", command], cwd=tmp_path, capture_output=True, text=True, check=False, env=env
        )
        assert done.returncode == ("merge night" in command), done.stderr
        said = done.stdout
    assert "Got it: 24 of 24 points" in said


def test_every_command_that_is_printed_works_when_typed(tmp_path: Path) -> None:
    said = muddled("sketch", "same-line", "my file.toml", folder=tmp_path).stdout
    assert "The key covers the conflict" in typed(said, tmp_path)
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada\n", "utf-8")
    (tmp_path / "back").mkdir()
    said = muddled(
        "handout",
        "press-limit",
        "--roster",
        "roster.csv",
        "--out",
        "o u t",
        "--ledger",
        "the course.db",
        folder=tmp_path,
    ).stdout
    shutil.copy(tmp_path / "o u t/press-limit/ada.tar.gz", tmp_path / "back")
    assert "Not started" in typed(said, tmp_path)
    said = muddled("demo", "a demo", folder=tmp_path).stdout
    told = typed(said.partition("Try next")[2], tmp_path)
    assert "30 submissions" in told
    assert (tmp_path / "my-turn/work").is_dir()
    piped = subprocess.run(
        [sys.executable, "-m", "muddled_orchard", "handout", "press-limit", "--roster", "-", "--out", "piped", "--ledger", "p.db"],
        cwd=tmp_path, input="id,name\nbo,Bo\n", capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert (piped.returncode, (tmp_path / "piped/press-limit/bo.tar.gz").is_file()) == (0, True)


def test_trees_are_taken_as_git_would_commit_them(tmp_path: Path) -> None:
    files = {".gitattributes": b"*.txt text eol=crlf\n*.raw -text\nsub/*.txt -text\n", "a.txt": b"one\r\ntwo\r\n", "b.raw": b"one\r\n", "sub/c.txt": b"c\r\n", "run.sh": b"x\n", "p.png": b"\0\xff"}  # fmt: skip
    for tree, more in (("base", b""), ("ours", b"ours\r\n"), ("theirs", b"theirs\r\n")):
        for name, data in files.items():
            path = tmp_path / "trees" / tree / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data + more if name == "a.txt" else data)
        (tmp_path / "trees" / tree / "run.sh").chmod(0o755)
        (tmp_path / "trees" / tree / "link").symlink_to("a.txt")
    (tmp_path / "trees/ours/empty").mkdir()
    (tmp_path / "trees/wanted").mkdir()
    (tmp_path / "trees/wanted/link").symlink_to("a.txt")
    (tmp_path / "trees/wanted/a.txt").write_bytes(b"one\r\ntwo\r\nboth\r\n")
    said = muddled("sketch", "--from", "trees", "mine.toml", folder=tmp_path).stdout
    assert "Git keeps no empty folders, so this is left out: ours/empty." in said
    assert "stays as Git merges it" not in said
    answers = tomllib.loads((tmp_path / "mine.toml").read_bytes().decode())["answer"]
    assert [(one["file"], one["keep"]) for one in answers] == [("a.txt", [{"text": "both\n"}])]
    muddled("plant", "mine.toml", "new", folder=tmp_path)
    hand = "cp -r ../trees/base by-hand; cd by-hand; git init -q; git add -A; git write-tree"
    (tmp_path / "hand").mkdir()
    tree = shell(tmp_path / "hand", hand).strip()
    planted = shell(tmp_path / "new/work", "git rev-parse main~1^{tree}").strip()
    assert planted == tree
    assert shell(tmp_path / "new/work", "git status --porcelain") == ""
    assert sorted(path.name for path in (tmp_path / "trees/base").iterdir()) == sorted([".gitattributes", "a.txt", "b.raw", "link", "p.png", "run.sh", "sub"])  # fmt: skip
