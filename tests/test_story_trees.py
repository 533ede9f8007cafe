"""Trees of a story on plain data: what stays is the same object, what is new is looked at, names that clash."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from muddled_orchard.core.base.problems import Problem
from muddled_orchard.core.exercise.edits import tree_after
from muddled_orchard.core.exercise.scenario import Entry, Scenario, Value
from muddled_orchard.core.exercise.values import variant_of, verbatim
from muddled_orchard.core.git.trees import EXECUTABLE, PLAIN_FILE, File
from tests.conftest import graded, muddled, shell
from tests.scenarios import HEADER

BEFORE = {
    "a.txt": File(PLAIN_FILE, b"a\n"),
    "d/b.txt": File(PLAIN_FILE, b"b\n"),
    "run.sh": File(EXECUTABLE, b"#!\n"),
}

# What a taken folder holds after BEFORE, and what is wrong with it.
TAKEN = {
    "the same": ({"a.txt": "a\n", "d/b.txt": "b\n", "run.sh": "#!\n"}, ""),
    "one file less": ({"a.txt": "a\n"}, ""),
    "one file changed": ({"a.txt": "other\n", "d/b.txt": "b\n"}, ""),
    "a new file": ({"a.txt": "a\n", "new.txt": "n\n"}, ""),
    "a new name in another case": ({"a.txt": "a\n", "A.txt": "a\n"}, 'it can\'t stand beside "a.txt"'),
    "a folder where a file stays": ({"a.txt": "a\n", "a.txt/x": "x\n"}, '"a.txt" is a file'),
    "a file where a folder stays": ({"d/b.txt": "b\n", "d": "x\n"}, "it is a folder"),
    "a folder where a file was": ({"a.txt/x": "x\n", "d/b.txt": "b\n"}, ""),
    "a new name that Windows has not": ({"a.txt": "a\n", "con.txt": "x\n"}, 'Windows has no file "con.txt"'),
    "a new name with a control character": ({"a\tb": "x\n"}, "use names with single slashes"),
}


@pytest.mark.parametrize("name", TAKEN)
def test_a_taken_tree_is_checked_where_it_is_new(name: str) -> None:
    texts, wrong = TAKEN[name]
    problems: list[Problem] = []
    entry = Entry(on="main", take="tree", write=texts, executable=("run.sh",) if "run.sh" in texts else ())
    tree = tree_after(entry, ("story", 1), BEFORE, problems)
    assert [wrong in problem.what for problem in problems] == ([True] if wrong else [])
    for path, file in tree.items():
        assert file.data == texts[path].encode()
        if BEFORE.get(path) == file:
            assert file is BEFORE[path], "what stays is held once"
    assert tree.keys() == texts.keys() - ({[*texts][-1]} if wrong else set())


@pytest.mark.parametrize(
    ("first", "second", "stands"),
    [("a", "a/b", "a"), ("a/b", "a", "a/b"), ("a/b/c", "a/b", "a/b/c"), ("a/b", "a/b/c/d", "a/b"), ("a/b", "a/c", "")],
)  # fmt: skip
def test_branches_that_git_can_not_keep_beside_each_other(
    first: str, second: str, stands: str, tmp_path: Path
) -> None:
    story = HEADER + '[[story]]\non = "main"\nby = "maren"\nmessage = "x"\nwrite = { "x" = "1\\n" }\n'
    for branch in (first, second):
        story += f'[[story]]\non = "{branch}"\nfrom = "main"\nby = "maren"\nmessage = "y"\nwrite = {{ "x" = "{branch}\\n" }}\n'
    story += f'[[task]]\ndo = "merge"\non = "main"\nbring = "{first}"\n'
    (tmp_path / "hive-notes.toml").write_text(story, "utf-8")
    done = muddled("survey", tmp_path / "hive-notes.toml", "--quiet", code=1 if stands else 0)
    told = f'there can be no branch "{second}" beside "{stands}"'
    assert (told in done.stderr) == bool(stands), done.stderr


def test_what_looks_like_a_value_in_a_tree_stands_for_itself(tmp_path: Path) -> None:
    for side, words in (("base", "b"), ("ours", "o"), ("theirs", "t"), ("wanted", "w")):
        place = tmp_path / "trees" / side
        place.mkdir(parents=True)
        text = f"user@{{host}} @@{{twice}} @{{hives}}\n{words}\n"
        (place / "a@{b}.txt").write_text(text, "utf-8")
    said = muddled("sketch", "--from", "trees", "mine.toml", folder=tmp_path).stdout
    assert "survey" in said
    muddled("survey", "mine.toml", "--quiet", folder=tmp_path)
    muddled("plant", "mine.toml", "plain", folder=tmp_path)
    planted = (tmp_path / "plain/work/a@{b}.txt").read_text("utf-8")
    assert planted == (tmp_path / "trees/ours/a@{b}.txt").read_text("utf-8")
    shell(
        tmp_path / "plain/work",
        "git merge side >/dev/null || cp ../../trees/wanted/* .; git add .; git commit -qm x",
    )
    assert graded(tmp_path / "plain")["plain"]["percent"] == 100.0
    # Where a value has the name, it is used.
    own = tmp_path / "mine.toml"
    own.write_text(
        "values.hives.choose = ['seven']\n" + own.read_text("utf-8").replace("@@{hives}", "@{hives}"), "utf-8"
    )
    muddled("plant", "mine.toml", "filled", folder=tmp_path)
    filled = (tmp_path / "filled/work/a@{b}.txt").read_text("utf-8")
    assert filled == "user@{host} @{twice} seven\no\n"


@given(st.text("@{}ab\n ", max_size=30), st.sets(st.sampled_from(["a", "b", "ab"])))
def test_any_text_is_said_so_that_it_comes_out_again(text: str, names: set[str]) -> None:
    """But for the values that there are, and `@@{`, which is theirs where there are any."""
    values = {name: Value(choose=(f"<{name}>",)) for name in names}
    scenario = Scenario(title=verbatim(text, names), brief="", values=values, story=(), task=())
    expected = text
    if names:
        use = re.compile(r"@(@\{|\{([^{}\n]*)\})")
        expected = use.sub(lambda m: "@{" if m[1] == "@{" else f"<{m[2]}>" if m[2] in names else m[0], text)
    assert variant_of(scenario, "0").title == expected
