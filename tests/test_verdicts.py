"""One mistake costs once, and what is not one costs nothing: cases that were once judged wrongly."""

from __future__ import annotations

import json
import shutil
from pathlib import Path
from typing import Any, cast

import pytest

from tests.conftest import graded, muddled, once, shell
from tests.scenarios import CHAIN, HEADER
from tests.test_operations import Case, check, side

ALL = "finished markers history resolution rest bystanders tidy"


def scenario(id_: str, *parts: str) -> str:
    """A scenario of these commits (`branch: message` and its keys), tasks and answers."""
    text = HEADER.replace("hive-notes", id_)
    seen: set[str] = set()
    for part in parts:
        head, _, rest = part.strip().partition("\n")
        if head.startswith("["):
            text += part.strip() + "\n"
            continue
        branch, _, message = head.partition(": ")
        by = "maren" if branch == "main" else "tobias"
        begun = '\nfrom = "main"' if branch != "main" and branch not in seen else ""
        text += f'[[story]]\non = "{branch}"\nby = "{by}"\nmessage = "{message}"{begun}\n{rest}\n'
        seen.add(branch)
    return text


def write(**files: str) -> str:
    return "write = { " + ", ".join(f'"{name.replace("_", ".")}" = {json.dumps(text)}' for name, text in files.items()) + " }"  # fmt: skip


MERGE = '[[task]]\ndo = "merge"\non = "main"\nbring = "topic"'
REBASE = '[[task]]\ndo = "rebase"\non = "topic"\nonto = "main"'

PARTS = scenario(
    "parts",
    "main: Begin\n" + write(a_txt="1\nlimit = 5\n2\n3\n"),
    "topic: Lower\n" + write(a_txt="1\nlimit = 4\n2\n3\n"),
    "topic: More\n" + write(more_txt="more\n"),
    "main: Raise\n" + write(a_txt="1\nlimit = 6\n2\n3\n"),
    MERGE,
    '[[answer]]\nfile = "a.txt"\nkeep = ["theirs"]',
)
OURS = PARTS.replace('"parts"', '"ours"').replace('["theirs"]', '["ours"]')
WHOLE = (
    PARTS.replace('"parts"', '"whole"')
    .replace('keep = ["theirs"]', 'side = "theirs"')
    .replace("6\\n2\\n3", "6\\n2\\n3\\nours")
)
MODES = scenario(
    "modes",
    "main: Begin\n"
    + write(a_txt="1\n", run_sh="echo 1\n", press_sh="go\n")
    + '\nexecutable = ["run.sh", "press.sh"]\nlink = { here = "a.txt" }',
    "topic: Theirs\n" + write(a_txt="2\n", press_sh="go now\n"),
    "main: Ours\n" + write(a_txt="3\n", press_sh="go later\n"),
    MERGE,
    '[[answer]]\nfile = "a.txt"\nkeep = ["theirs"]\n[[answer]]\nfile = "press.sh"\nkeep = ["theirs"]',
)
BRACES = scenario(
    "braces",
    "main: Begin\n" + write(a_txt="a {\n}\nb {\n}\nc\nd\ne\nlimit = 1\n"),
    "topic: Close\n" + write(a_txt="a {\n}\nb {\n}\n}\nc\nd\ne\nlimit = 2\n"),
    "main: Ours\n" + write(a_txt="a {\n}\nb {\n}\nc\nd\ne\nlimit = 3\n"),
    MERGE,
    '[[answer]]\nfile = "a.txt"\nkeep = ["theirs"]',
)
FOLLOWS = scenario(
    "follows",
    "main: Begin\n" + write(a_txt="A0\nB0\n\nx\ny\nz\nC0\n"),
    "topic: One\n" + write(a_txt="A2\nB0\n\nx\ny\nz\nC0\n"),
    "topic: Two\n" + write(a_txt="A2\nB2\n\nx\ny\nz\nC0\n"),
    "topic: Three\n" + write(a_txt="A2\nB2\n\nx\ny\nz\nC2\n"),
    "main: Ours\n" + write(a_txt="A1\nB0\n\nx\ny\nz\nC1\n"),
    REBASE,
    '[[answer]]\nfile = "a.txt"\nkeep = ["theirs"]',
)
TWINS = scenario(
    "twins",
    "main: Begin\n" + write(a_txt="1\n", b_txt="1\n"),
    "topic: Count\n" + write(a_txt="2\n"),
    "topic: Count\n" + write(b_txt="2\n"),
    "main: Ours\n" + write(a_txt="3\n"),
    "main: More\n" + write(c_txt="3\n"),
    REBASE,
    '[[answer]]\nfile = "a.txt"\nkeep = ["theirs"]',
)
CLEAN_TOO = scenario(
    "clean-too",
    "main: Begin\n" + write(a_txt="1\n2\n3\n4\n5\n6\n"),
    "topic: Both ends\n" + write(a_txt="one\n2\n3\n4\n5\nsix\n"),
    "topic: New\n" + write(b_txt="b\n"),
    "main: Ours\n" + write(a_txt="uno\n2\n3\n4\n5\n6\n"),
    REBASE,
    '[[answer]]\nfile = "a.txt"\nkeep = ["theirs"]',
)
STASH = scenario(
    "stash",
    "main: Begin\n" + write(a_txt="1\n2\n3\n4\n5\n6\n"),
    "main: Work\nstash = true\n" + write(a_txt="one\n2\n3\n4\n5\nsix\n"),
    "main: Ours\n" + write(a_txt="uno\n2\n3\n4\n5\n6\n"),
    '[[task]]\ndo = "stash-pop"\non = "main"',
    '[[answer]]\nfile = "a.txt"\nkeep = ["ours"]',
)
SLOW = PARTS.replace('"parts"', '"slow"') + '\n[[rule]]\nfile = "a.txt"\nmatches = "(?:(?:x|xx)+)+(?<!x)y$"\n'
TABLE = PARTS.replace('"parts"', '"table"').replace("a.txt", "a.csv").replace("limit = 5", "l,5").replace("limit = 4", "l,4").replace("limit = 6", "l,6").replace("1\\n", "a,b\\n").replace("2\\n3\\n", 'c,\\"d\\ne\\"\\n3,4\\n') + '\n[[rule]]\nfile = "a.csv"\nparses = "csv"\n'  # fmt: skip

SCENARIOS = {
    "parts": PARTS, "ours": OURS, "whole": WHOLE, "modes": MODES, "braces": BRACES, "hive-notes": CHAIN, "follows": FOLLOWS,
    "twins": TWINS, "clean-too": CLEAN_TOO, "stash": STASH, "slow": SLOW, "table": TABLE,
}  # fmt: skip


def keep(name: str, file: str = "a.txt") -> str:
    """Keep one side of every hunk of a file."""
    return side(name, file)


def merge(what: str) -> str:
    return f"git merge -q {what} >/dev/null 2>&1 || true\n"


COMMIT = "git commit -qm merged\n"
ONTO = "git rebase {} >/dev/null 2>&1 || true\n"
GO_ON = "git rebase --continue >/dev/null 2>&1 || true\n"
RIGHT = merge("topic") + keep("theirs") + COMMIT
MODES_RIGHT = merge("topic") + keep("theirs") + keep("theirs", "press.sh") + COMMIT
EAST = merge("east") + "printf 'Hives\\n=======\\nnorth: %s\\n\\none\\ntwo\\nthree\\nfour\\nsouth: %s\\n' {} >notes.txt; git rm -q old.txt; git add .; git commit -qm east\n"  # fmt: skip
WEST = merge("west") + "printf 'Hives\\n=======\\nnorth: %s\\n\\none\\ntwo\\nthree\\nfour\\nsouth: 13\\n' {} >notes.txt; git add .; git commit -qm west\n"  # fmt: skip
PARK = "git stash pop >/dev/null 2>&1 || true\n"

CASES = {
    # Merging in parts: what the first part decides, is decided.
    "an older commit first, wrong": Case("parts", merge("topic~1") + keep("ours") + COMMIT + merge("topic"), missed="resolution", says="ours (main) was kept"),
    "an older commit first, right": Case("parts", merge("topic~1") + keep("theirs") + COMMIT + merge("topic"), says="after an older commit of it"),
    "an older commit first, with markers, mended": Case("parts", merge("topic~1") + "git commit -qam m\n" + merge("topic") + keep("theirs") + COMMIT, partly="markers"),
    "picked before, so that nothing conflicts": Case("ours", "git cherry-pick topic~1 >/dev/null 2>&1 || true\n" + keep("theirs") + "git commit -qm p\n" + merge("topic -m m"), missed="resolution"),
    "written as wanted before": Case("parts", "printf '1\\nlimit = 4\\n2\\n3\\n' >a.txt; git commit -qam early\n" + merge("topic -m m")),
    "main rewritten so that nothing conflicts": Case(
        "parts", "git reset -q --hard HEAD~1; printf '1\\nlimit = 4\\n2\\n3\\n' >a.txt; git commit -qam anew\n" + merge("topic -m m"),
        partly="history", missed="resolution bystanders", says="1 conflict was never met",
    ),
    # Modes.
    "modes, right": Case("modes", MODES_RIGHT),
    "a script that can't be run any more": Case("modes", MODES_RIGHT + "chmod -x run.sh; git commit -qam x", partly="rest", says="run.sh is not executable any more"),
    "a text that can be run": Case("modes", MODES_RIGHT + "chmod +x a.txt; git commit -qam x", partly="rest", says="a.txt is executable now"),
    "a conflicted script that can't be run any more": Case("modes", MODES_RIGHT + "chmod -x press.sh; git commit -qam x", partly="rest", says="press.sh is not executable any more"),
    "a link that became a file": Case("modes", MODES_RIGHT + "rm here; printf a.txt >here; git commit -qam x", partly="rest", says="here is a file now, and was a link"),
    # A side as the answer for a file with hunks.
    "a side's whole file": Case("whole", merge("topic") + "git checkout -q --theirs a.txt; git add .\n" + COMMIT),
    "the hunk alone where the whole file is wanted": Case("whole", RIGHT, missed="rest", says="more than the hunk had to be changed"),
    "the other side's whole file": Case("whole", merge("topic") + "git checkout -q --ours a.txt; git add .\n" + COMMIT, missed="resolution rest"),
    "a further brace is lost": Case("braces", RIGHT + "sed -i 5d a.txt; git commit -qam x", missed="rest", says='theirs (topic) changed outside the conflict was lost: a.txt, line 5: "}" is missing'),
    # One mistake costs once.
    "follows, right": Case("follows", ONTO.format("main") + keep("theirs") + GO_ON + keep("theirs") + GO_ON),
    "follows, a mistake and what comes of it": Case(
        "follows", ONTO.format("main") + keep("ours") + GO_ON.replace("--continue", "--skip") + "printf 'A1\\nB2\\n\\nx\\ny\\nz\\nC1\\n' >a.txt; git add .\n" + GO_ON + keep("theirs") + GO_ON,
        partly="resolution",
    ),
    "follows, and thrown away in what comes of it": Case(
        "follows", ONTO.format("main") + keep("ours") + GO_ON.replace("--continue", "--skip") + keep("ours") + "git commit -q --allow-empty -C REBASE_HEAD\n" + GO_ON + keep("theirs") + GO_ON,
        partly="resolution", missed="rest", says='"B2" is missing',
    ),
    "follows, repaired in what comes of it": Case(
        "follows", ONTO.format("main") + keep("ours") + GO_ON.replace("--continue", "--skip") + keep("theirs") + GO_ON + keep("theirs") + GO_ON, partly="history",
    ),
    "clean too, skipped": Case("clean-too", ONTO.format("main") + GO_ON.replace("--continue", "--skip"), missed="resolution", partly="history", says='"Both ends" is not among', never="nothing was left of the others"),
    "rebased onto an older commit": Case("twins", ONTO.format("main~1") + keep("theirs") + GO_ON, missed="history", says="do not stand on main"),
    "the first of two namesakes skipped": Case("twins", ONTO.format("main") + GO_ON.replace("--continue", "--skip"), missed="resolution"),
    # Attempts.
    "an unrelated commit": Case("parts", "echo x >>README; git add .; git commit -qm x", state="open", missed=ALL, says="Nothing of what was asked is there."),
    "an amended message": Case("parts", "git commit -q --amend -m other", state="open", missed=ALL),
    "an unrelated commit, where a rebase was asked": Case("twins", "git checkout -q topic; echo x >x; git add .; git commit -qm x", state="open", missed=ALL),
    "another merge under way": Case("parts", "git checkout -q -b new HEAD~1; echo x >a.txt; git commit -qam x; git checkout -q main\n" + merge("new"), state="open", missed="finished markers history resolution rest".replace("rest", "")),
    # Several merges.
    "the other way about": Case("hive-notes", WEST.format("2") + EAST.format("4 13"), partly="history", says="west was merged before east"),
    "only the second": Case("hive-notes", WEST.format("2"), state="open", partly="finished history resolution", says="still to do: merge east into main"),
    # Stashes.
    "stash, right": Case("stash", PARK + keep("ours") + "git stash drop -q"),
    "stash, dropped without being popped": Case("stash", "git stash drop -q", state="open", missed="finished markers resolution rest bystanders tidy", says="was thrown away (git stash drop)"),
    # Rules.
    "a rule that would take for ever": Case("slow", RIGHT + "python3 -c \"open('a.txt','a').write('x' * 60000 + '!')\"; git commit -qam x", partly="rest"),
    "the line of a row": Case("table", merge("topic") + keep("theirs", "a.csv") + COMMIT + "sed -i 's/3,4/3,4,5/' a.csv; git commit -qam x", partly="rest", missed="rules", says="a.csv, line 5: it is no valid CSV: row 4 has 3 columns"),
}  # fmt: skip


def _classroom_made(top: Path) -> dict[str, dict[str, Any]]:
    for id_, text in SCENARIOS.items():
        (top / f"{id_}.toml").write_text(text, "utf-8")
        muddled("plant", top / f"{id_}.toml", top / "first" / id_)
    for number, case in enumerate(CASES.values()):
        shutil.copytree(top / "first" / case.exercise, top / "all" / f"{number:02}", symlinks=True)
        shell(top / "all" / f"{number:02}" / "work", case.script)
    results = graded(
        top / "all", *(part for id_ in SCENARIOS for part in ("--scenarios", top / f"{id_}.toml"))
    )
    return dict(zip(CASES, (results[f"{n:02}"] for n in range(len(CASES))), strict=True))


@pytest.fixture(scope="module")
def classroom(tmp_path_factory: pytest.TempPathFactory) -> dict[str, dict[str, Any]]:
    return cast(dict[str, dict[str, Any]], once(tmp_path_factory, "verdicts", _classroom_made))


@pytest.mark.parametrize("name", CASES)
def test_verdicts(name: str, classroom: dict[str, dict[str, Any]]) -> None:
    case, result = CASES[name], classroom[name]
    check(case, result)
    if case.missed == ALL:
        assert result["points"] == 0


def test_what_is_handed_out_at_a_conflict_is_touched_where_one_is_solved(tmp_path: Path) -> None:
    text = FOLLOWS.replace('"follows"', '"stopped"') + "\n[start]\nstopped = true\n"
    (tmp_path / "stopped.toml").write_text(text, "utf-8")
    muddled("plant", "stopped.toml", "one", folder=tmp_path)
    shell(tmp_path, "cp -r one two")
    shell(tmp_path / "one/work", keep("theirs") + GO_ON)
    found = [
        graded(tmp_path / name, "--scenarios", tmp_path / "stopped.toml")[name] for name in ("one", "two")
    ]
    assert [one["state"] for one in found] == ["open", "untouched"]
    assert (found[0]["points"] > 0, found[1]["points"]) == (True, 0)
    assert "step 3 of 3" in found[0]["criteria"]["history"]["because"]


UNFIT = {
    "[start]\nstopped = true\n": (
        "the first task does not conflict",
        PARTS.replace("limit = 6", "limit = 5").replace('3\\n" }\n[[task]]', '3\\n4\\n" }\n[[task]]'),
    ),
    '[[rule]]\nfile = "a.txt"\nhas = "nowhere"\n': ("the key's own solution breaks this rule", PARTS),
}


@pytest.mark.parametrize("more", UNFIT)
def test_what_does_not_fit_is_an_error_before_anybody_works_on_it(more: str, tmp_path: Path) -> None:
    says, text = UNFIT[more]
    if "stopped" in more:
        text = text[: text.index("[[answer]]")]
    (tmp_path / "parts.toml").write_text(text + more, "utf-8")
    done = muddled("survey", "parts.toml", folder=tmp_path, code=1)
    assert says in " ".join((done.stdout + done.stderr).split())
