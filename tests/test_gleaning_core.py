"""What is thought about gleaned conflicts, on plain data: their order, their names, and the file they become."""

from __future__ import annotations

import random
import tomllib
from collections.abc import Mapping, Sequence

import pytest
import tomlkit

from muddled_orchard.core.exercise.story import unroll
from muddled_orchard.core.exercise.values import variant_of
from muddled_orchard.core.git.copies import copied_from, side_that_stays
from muddled_orchard.core.git.trees import EXECUTABLE, LINK, PLAIN_FILE, Blob, File, Files
from muddled_orchard.core.gleaning.conflicts_met import ConflictMet, Gleaned, conflict_met
from muddled_orchard.core.gleaning.exercise import (
    MOST_KEPT,
    Side,
    StoryCommit,
    TakenExercise,
    cast_for,
    side_name,
    story_of,
)
from muddled_orchard.core.gleaning.instructive import in_order, instructive
from muddled_orchard.core.gleaning.redone import PastCommit, Redone, copy_again, merge_again, rebased_pairs
from muddled_orchard.core.key.exercise_summary import Difficulty
from muddled_orchard.core.merging.conflict import Conflict
from muddled_orchard.files.scenarios.drafts import lines_of_toml
from muddled_orchard.files.scenarios.from_history import history_scenario
from muddled_orchard.files.scenarios.scenario_file import read_scenario

ONE, OTHER, THIRD = "1" * 40, "2" * 40, "3" * 40


def commit(
    id_: str,
    parents: Sequence[str] = (),
    message: str = "Work",
    author: str = "Ann <a@b.invalid>",
    at: int = 5,
) -> PastCommit:
    """A commit of some history."""
    return PastCommit(id_ * (40 // len(id_)), tuple(parents), "t" * 40, at, at, author, message)


# -- What is asked again -------------------------------------------------------------------------------------

MESSAGES = [
    ("Fix\n\n(cherry picked from commit " + ONE + ")", ("cherry-pick", ONE)),
    ("Fix\n\n(cherry picked from commit " + ONE + ")\n(cherry picked from commit " + OTHER + ")", ("cherry-pick", OTHER)),
    ('Revert "Fix"\n\nThis reverts commit ' + ONE + ".", ("revert", ONE)),
    ('Revert "Fix"\n\nThis reverts commit ' + ONE + ", reversing\nchanges made to " + OTHER + ".", ("revert", ONE)),
    ("Someone said: cherry picked from commit " + ONE, None),
    ("This reverts commit 1234567.", None),
    ("", None),
]  # fmt: skip


@pytest.mark.parametrize(("message", "copied"), MESSAGES)
def test_what_a_message_says_of_another_commit(message: str, copied: object) -> None:
    assert copied_from(message) == copied


def test_the_side_that_stays() -> None:
    """A merge that is copied or taken back says which one; else nobody knows."""
    said = f"This reverts commit {ONE}, reversing\nchanges made to {THIRD}."
    assert side_that_stays("", [OTHER]) == OTHER
    assert side_that_stays("", []) is None
    assert side_that_stays("", [OTHER, THIRD]) is None
    assert side_that_stays(said, [OTHER, THIRD]) == THIRD
    assert side_that_stays(said, [OTHER, ONE]) is None


def test_operations_that_can_be_asked_again() -> None:
    """A merge of two, a copy, a revert (whose sides are turned), and none of the others."""
    assert merge_again(commit("a", [ONE])) is None
    assert merge_again(commit("a", [ONE, OTHER, THIRD])) is None
    assert merge_again(merged := commit("a", [ONE, OTHER])) == Redone(merged, "merge", ONE, OTHER)
    source, copy = commit("b", [THIRD]), commit("c", [ONE])
    assert copy_again(copy, "cherry-pick", source) == Redone(copy, "cherry-pick", ONE, source.id, THIRD)
    assert copy_again(copy, "revert", source) == Redone(copy, "revert", ONE, THIRD, source.id)
    assert copy_again(copy, "cherry-pick", commit("b")) is None
    assert copy_again(commit("c"), "cherry-pick", source) is None


def test_rebased_commits_stand_beside_their_older_selves() -> None:
    """The same author, moment and subject, on another parent; what is said to be a copy is none."""
    old, new = commit("a", [ONE], "Fix\n\nlong", at=5), commit("b", [OTHER], "Fix\n\nlonger", at=5)
    later = PastCommit(new.id, new.parents, new.tree, 9, 5, new.author, new.message)
    said = commit("c", [OTHER], f"Fix\n\n(cherry picked from commit {ONE})")
    others = [commit("d", [OTHER], "Other"), commit("e", [THIRD], "Fix", author="Bea <b@b.invalid>"), said]
    assert list(rebased_pairs([later, *others, old])) == [(later, old)]
    assert list(rebased_pairs([old, commit("f", [ONE], "Fix")])) == []


# -- Which one comes first -----------------------------------------------------------------------------------


def gleaned(
    *met: tuple[str, Sequence[str], int], elsewhere: Sequence[str] = (), problem: str = "", at: int = 5
) -> Gleaned:
    """Conflicts of (kind, what was kept, lines)."""
    conflicts = tuple(
        ConflictMet(f"{number}.txt", kind, tuple(kept), len(kept), lines)
        for number, (kind, kept, lines) in enumerate(met)
    )
    redone = Redone(commit("a", [ONE, OTHER], at=at), "merge", ONE, OTHER)
    return Gleaned(redone, conflicts, tuple(elsewhere), Difficulty(1, "easy", ()), problem)


ORDERED: Sequence[tuple[str, Gleaned]] = (
    ("two kinds, thought about", gleaned(("contents", ["blend"], 4), ("modify/delete", ["ours"], 4))),
    ("thought about", gleaned(("contents", ["ours", "blend"], 4))),
    ("both sides", gleaned(("contents", ["ours+theirs"], 4), elsewhere=())),
    ("each decided otherwise", gleaned(("contents", ["ours", "theirs"], 4))),
    ("the same, long to read", gleaned(("contents", ["ours", "theirs"], 200))),
    ("one side", gleaned(("contents", ["ours"], 4))),
    ("in eight files", gleaned(*(("contents", ["theirs"], 4) for _ in range(8)))),
    ("markers left", gleaned(("contents", ["unresolved", "ours"], 400))),
    ("nothing to be made of it", gleaned(("contents", ["blend"], 4), problem="a submodule conflicts")),
)


def test_the_most_instructive_comes_first() -> None:
    """Different kinds and decisions before one side taken whole; what can't be used last."""
    names = [name for name, _ in sorted(ORDERED, key=lambda item: in_order(item[1]))]
    assert names == [name for name, _ in ORDERED]
    assert instructive(ORDERED[-1][1]) < 0 < instructive(ORDERED[0][1])
    newer, older = gleaned(("contents", ["ours"], 4), at=9), gleaned(("contents", ["ours"], 4), at=3)
    assert sorted([older, newer], key=in_order) == [newer, older]


@pytest.mark.parametrize(
    ("stages", "result", "kept"),
    [
        ({1: "1", 2: "2"}, None, "gone"),
        ({1: "1", 2: "2"}, "2", "ours"),
        ({1: "1", 3: "3"}, "3", "theirs"),
        ({1: "1", 2: "2", 3: "3"}, "1", "base"),
        ({1: "1", 2: "2", 3: "3"}, "9", "blend"),
    ],
)
def test_what_was_kept_of_a_whole_path(stages: Mapping[int, str], result: str | None, kept: str) -> None:
    """Where there are no hunks, by what lies there now."""
    conflict = Conflict("a", "modify/delete", {n: Blob(PLAIN_FILE, id_) for n, id_ in stages.items()}, None)
    now = None if result is None else Blob(PLAIN_FILE, result)
    met = conflict_met(conflict, now, {"2": b"one\ntwo\n", "3": b"three\n"})
    assert (met.kept, met.hunks) == ((kept,), 0)
    assert met.lines == (2 if 2 in stages else 0) + (1 if 3 in stages else 0)


# -- What a story is made of ---------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("message", "name"),
    [
        ("Merge branch 'feature/x'", "feature/x"),
        ("Merge remote-tracking branch 'origin/work' into main", "work"),
        ("Merge branch 'main' of somewhere", "side"),
        ("Merge branch 'a b'", "side"),
        ("Merge branch '../x'", "side"),
        ("Merge branch 'x.lock'", "side"),
        ("Bring it in", "side"),
    ],
)
def test_a_branch_is_called_as_it_was_where_it_can_be(message: str, name: str) -> None:
    assert side_name(message, "main") == name


def test_people_become_a_cast() -> None:
    """Always the same one, each once; or they keep their names."""
    people = [
        "Ann Grower <a@b.invalid>",
        "Bea <b@b.invalid>",
        "Ann Grower <a@b.invalid>",
        "Ann Picker <c@b.invalid>",
    ]
    made = cast_for(people, keep_names=False)
    assert [person for _, person in made.values()] == [
        "Maren Quill <maren@orchard.example>", "Tobias Fenn <tobias@orchard.example>", "Ilse Korn <ilse@orchard.example>",
    ]  # fmt: skip
    kept = cast_for(people, keep_names=True)
    assert [short for short, _ in kept.values()] == ["ann", "bea", "ann2"]
    assert kept[people[1]][1] == people[1]
    many = cast_for([f"Person {number} <p@b.invalid>" for number in range(30)], keep_names=False)
    assert len({short for short, _ in many.values()}) == 30


def test_a_story_has_as_many_commits_as_can_be_read() -> None:
    """Those that change something; of many one; without trailers."""

    def files(text: str) -> Files:
        return {"a": File(PLAIN_FILE, text.encode())}

    base = commit("a", [], "Begin it\n\nSigned-off-by: Ann <a@b.invalid>\nChange-Id: I1")
    work = [(commit(str(n), [ONE], f"Step {n}"), files(f"{n // 2}")) for n in range(1, 8)]
    ours, theirs = Side("main", work[:2]), Side("side", work)
    told = story_of("merge", (base, files("0")), ours, theirs, None)
    assert [one.message for one in told] == ["Begin it", "Step 2", "Step 4", "Step 6", "Step 2"]
    assert [one.grows_from for one in told] == ["", "main", "", "", ""]
    assert [one.message for one in story_of("merge", (base, files("0")), ours, theirs, "squash")] == [
        "Begin it", "Step 6", "Step 2",
    ]  # fmt: skip
    many = [(commit("b", [ONE], f"Step {n}"), files(str(n))) for n in range(1, MOST_KEPT + 3)]
    for how, count in ((None, 1), ("keep", MOST_KEPT + 2)):
        kept = story_of("merge", (base, files("0")), Side("main", work[:2]), Side("side", many), how)  # type: ignore[arg-type]
        assert sum(one.branch == "side" for one in kept) == count
    undone = story_of(
        "revert", (base, files("0")), Side("main", work[1:2]), Side("side", [(commit("c"), files("9"))]), None
    )
    assert [(one.label, one.branch) for one in undone] == [("", "main"), ("work", "main"), ("", "main")]


ODD_TEXTS = (
    "",
    "\n",
    "\n\nx\n",
    "a\\b\n",
    'q"""q\n',
    "tab\there\n",
    "@{x} and @@{y}\n",
    "é\u00a0\n",
    "no end",
    "'''\n",
    "x\n" * 3,
    "\\\n",
    "a\n\\",
)


def test_texts_are_written_as_they_are() -> None:
    """Whatever stands in them, a TOML file gives it back."""
    for text in ODD_TEXTS:
        document = tomlkit.document()
        document.add("text", lines_of_toml(text))
        read = tomllib.loads(tomlkit.dumps(document))["text"]
        assert read.replace("@@{", "@{") == text


def some_files(chance: random.Random, before: Files) -> dict[str, File]:
    """Files that come of others: changed, new, gone, renamed, with another mode."""
    found = dict(before)
    for path in list(found):
        what = chance.random()
        if what < 0.15:
            del found[path]
        elif what < 0.3:
            found[f"moved-{chance.randint(0, 9)}-{path}"] = found.pop(path)
        elif what < 0.4 and found[path].mode != LINK:
            found[path] = File(EXECUTABLE if found[path].mode == PLAIN_FILE else PLAIN_FILE, found[path].data)
        elif what < 0.8:
            lines = found[path].data.splitlines(keepends=True)
            at = chance.randint(0, len(lines))
            found[path] = File(found[path].mode, b"".join([*lines[:at], b"line %d\n" % at, *lines[at + 1 :]]))
    for number in range(chance.randint(0, 2)):
        kind = chance.choice(("text", "binary", "link", "odd", "crlf"))
        data = {
            "text": b"".join(b"%d\n" % n for n in range(chance.randint(1, 9))),
            "binary": bytes([0, 255, 254, chance.randint(0, 255)]),
            "link": b"some/where",
            "odd": chance.choice(ODD_TEXTS).encode(),
            "crlf": b"a\r\nb\r\n",
        }[kind]
        path = f"{kind}-{chance.randint(0, 99)}/f{number}.x"
        found[path] = File(LINK if kind == "link" else PLAIN_FILE, data)
    return found or {"left.txt": File(PLAIN_FILE, b"left\n")}


@pytest.mark.parametrize("seed", range(25))
def test_random_stories_come_out_as_they_were(seed: int) -> None:
    """Written as a scenario file and read again, each commit holds the same files."""
    chance = random.Random(seed)
    base = some_files(
        chance, {f"d/{n}.txt": File(PLAIN_FILE, b"one\ntwo\nthree\n" * (n + 1)) for n in range(3)}
    )
    side, main = (some_files(chance, base) | {name: File(PLAIN_FILE, b"new\n")} for name in ("side", "main"))
    author = "Ann Grower <a@b.invalid>"
    story = (
        StoryCommit("main", "", author, 1_900_000_000, "Begin", base),
        StoryCommit("side", "main", author, 1_900_000_600, "Work\n\non side", side, "work"),
        StoryCommit("main", "", author, 1_900_001_200, "More", main),
    )
    text = history_scenario(
        TakenExercise("merge", "main", "side", story, None, "two branches"),
        "Taken",
        cast_for([author], keep_names=False),
        dates=True,
    )
    scenario, problems = read_scenario(text, name="taken")
    assert scenario is not None, problems
    assert not [problem for problem in problems if "Windows" not in problem.what]
    made = unroll(variant_of(scenario, "0"), "0").commits
    assert [commit_.time for commit_ in made] == [one.time for one in story]
    for commit_, wanted in zip(made, story, strict=True):
        assert dict(commit_.tree) == dict(wanted.files)
