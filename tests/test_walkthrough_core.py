"""What a walkthrough and a scenario's page are made of, on plain data: no repository, no process."""

from __future__ import annotations

import random

import pytest
from msgspec.structs import replace

from muddled_orchard.core.grading.assessment import Assessment, CriterionResult, met, missed, partly, skipped
from muddled_orchard.core.grading.given import given_by, without_given
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.core.key.comparison import compare
from muddled_orchard.core.key.conflict_view import view_of
from muddled_orchard.core.key.survey import survey
from muddled_orchard.core.merging.conflict import Hunk, MergedText, merged_text
from muddled_orchard.core.merging.differences import Piece, changed_lines, marked_within, removed_within
from muddled_orchard.core.walkthrough.marked import marked
from muddled_orchard.core.walkthrough.moved import moved_lines
from muddled_orchard.core.walkthrough.shown import (
    answered,
    edit_lines,
    edit_told,
    marked_lines,
    shown_parts,
    typed,
    viewed_lines,
)
from muddled_orchard.core.walkthrough.step_names import is_step, step_name
from muddled_orchard.core.walkthrough.walkthrough import Edited, Ran, Viewed, WalkthroughStep
from muddled_orchard.core.walkthrough.walkthrough import Said as Sentence
from tests.test_replays import key


def shown(pieces: list[Piece]) -> str:
    """The line with what is changed in brackets."""
    return "".join(f"[{piece.text}]" if piece.changed else piece.text for piece in pieces)


def test_changes_are_marked_within_lines() -> None:
    base, ours, theirs = (
        ["limit = 48", "same", "gone"],
        ["limit = 55", "same", "new one"],
        ["limit = 48", "same"],
    )
    assert [*map(shown, marked_within(base, ours))] == ["limit = [55]", "same", "[new one]"]
    assert [*map(shown, marked_within(base, theirs))] == ["limit = 48", "same"]
    assert [*map(shown, removed_within(base, [ours, theirs]))] == ["limit = [48]", "same", "[gone]"]
    assert [*map(shown, removed_within(base, []))] == base, "with nothing to compare with nothing is changed"


@pytest.mark.parametrize("seed", range(40))
def test_marked_pieces_give_the_lines_back(seed: int) -> None:
    chance = random.Random(seed)
    one, other = ([" ".join(chance.choices(["a", "bc", "=", "7", ""], k=4)) for _ in range(chance.randint(0, 9))] for _ in "xy")  # fmt: skip
    pieces = marked_within(one, other)
    assert ["".join(piece.text for piece in line) for line in pieces] == other
    for line, own in zip(pieces, other, strict=True):
        assert own in one or any(piece.changed for piece in line), "what is not in the base is marked"
    assert ["".join(piece.text for piece in line) for line in removed_within(one, [other])] == one


def test_an_edit_is_told_by_its_lines() -> None:
    before = "".join(f"{number}\n" for number in range(1, 30)).encode()
    after = before.replace(b"\n9\n", b"\nnine\n").replace(b"\n25\n", b"\n")
    signs = "".join(line.sign for line in changed_lines(before, after))
    assert signs == "@  -+  @  -  "
    assert changed_lines(b"\0", b"x\n") == ()
    table = {
        Edited("a", None, b"x\n", 0o100644): ("Make a", "+"),
        Edited("a", b"x\n", None, 0o100644): ("Remove a", ""),
        Edited("a", b"x\n", b"y\n", 0o100755, "colleague"): ("Edit a, executable", "-+"),
        Edited("a", None, b"there", 0o120000): ("Make a a link to there", ""),
        Edited("a", b"x", b"\0\0", 0o100644): ("Edit a: 2 bytes that are no text", ""),
        Edited("a", b"x\n", b"x\n", 0o100755): ("a stays as it is, executable", ""),
    }
    for edit, (told, lines) in table.items():
        assert (edit_told(edit), "".join(line.sign for line in edit_lines(edit))) == (told, lines)
    whole = edit_lines(Edited("a", None, b"x\n" * 90, 0o100644))
    assert (len(whole), whole[-1].text) == (61, "... 30 more lines")


def test_commands_are_typed_as_a_shell_takes_them() -> None:
    assert typed(Ran(("git", "commit", "-m", "it's"), "")) == "git commit -m 'it'\"'\"'s'"
    assert typed(Ran(("git", "commit-tree", "$tree"), "1", keeps="made")) == 'made=$(git commit-tree "$tree")'
    assert (
        typed(Ran(("git", "rebase"), "", variables={"GIT_EDITOR": "cp x"})) == "GIT_EDITOR='cp x' git rebase"
    )
    long = answered(Ran(("git", "log"), "\n".join(map(str, range(100)))))
    assert (long[0], long[30], long[-1], len(long)) == ("0", "... 40 more lines", "99", 61)
    edits = tuple(Edited(f"f{number}", None, b"", 0o100644) for number in range(9))
    step = WalkthroughStep(
        number=1, name="x", title="x", half="build", parts=(*edits, Sentence("then"), *edits[:2])
    )
    parts = [part.text if isinstance(part, Sentence) else part.path for part in shown_parts(step) if isinstance(part, Sentence | Edited)]  # fmt: skip
    assert parts == ["f0", "f1", "f2", "f3", "f4", "f5", "And so on: 3 more files.", "then", "f0", "f1"]


MERGED = MergedText((("a\n",), Hunk(("o\n",), ("t\n", "u\n"), ("b\n",)), ("z\n",) * 40))
LIES = b"a\n<<<<<<< HEAD\no\n=======\nt\nu\n>>>>>>> side\n" + b"z\n" * 40


def test_the_parts_of_a_conflicted_file_are_named() -> None:
    found = marked("f", LIES, MERGED, "ours (main)", "theirs (side)")
    assert found is not None
    kinds = [line.kind for line in found.lines]
    assert kinds == ["clean", "marker", "ours", "marker", "theirs", "theirs", "marker", *["clean"] * 40]
    assert [line.remark for line in found.lines if line.remark] == ["from here on: ours (main)", "from here on: theirs (side)", "here the conflict ends"]  # fmt: skip
    near = [*marked_lines(found)]
    assert near[-1].text == "... 37 lines", "what is far from a conflict is left out"
    viewed = [line.text for line in viewed_lines(Viewed("f", LIES, frozenset({40})))]
    assert viewed == ["... 36 lines", *["z"] * 7, "... 4 lines"]


def test_where_lines_of_a_conflict_have_gone() -> None:
    plain = key()
    step = plain.steps[0]
    (conflict,) = step.merge.conflicts
    assert moved_lines(plain, step, conflict) == ()
    ids = {
        name: step.merge.conflicts[0].stages[1].id.replace("1", name)
        for name in ("base", "ours", "elsewhere")
    }
    texts = {ids["base"]: b"total = price * count\n", ids["ours"]: b"gone\n", ids["elsewhere"]: b"def f():\n    total = price * count\n"}  # fmt: skip
    blobs = {name: replace(conflict.stages[1], id=id_) for name, id_ in ids.items()}
    hunk = Hunk(("gone\n",), ("total = price * count * 2\n",), ("total = price * count\n",))
    changed = replace(conflict, stages={**conflict.stages, 1: blobs["base"]}, merged=MergedText((hunk,)))
    ours = replace(plain.commits[step.ours], tree={"f": blobs["ours"], "g.py": blobs["elsewhere"]})
    other = replace(plain, texts={**plain.texts, **texts}, commits={**plain.commits, step.ours: ours})
    (moved,) = moved_lines(other, step, changed)
    assert (moved.side, moved.text, moved.path, moved.line) == ("ours", "total = price * count", "g.py", 2)


def test_a_conflict_is_laid_out_with_its_choices() -> None:
    plain = replace(
        key(), texts={f"blob of {text!r}": text.encode() for text in ("1\n", "2\n", "3\n", "x\n")}
    )
    step = plain.steps[0]
    view = view_of(plain, step, step.merge.conflicts[0])
    assert [side.lines and shown(list(side.lines[0].pieces)) for side in view.sides] == ["[3]", "[1]", "[2]"]
    assert [(line.side, line.text) for line in view.merged] == [("ours", "3"), ("base", "1"), ("theirs", "2")]
    ((*choices,),) = view.choices
    assert {choice.words: "".join(choice.lines) for choice in choices} == {
        ("ours",): "3\n", ("theirs",): "2\n", ("ours+theirs",): "3\n2\n", ("theirs+ours",): "2\n3\n", ("base",): "1\n", ("neither",): "",
    }  # fmt: skip
    assert [choice.words for choice in choices if choice.worth == 1] == [("theirs",)]


def test_two_ways_are_compared_only_where_they_end_alike() -> None:
    one = survey(key())
    same = compare(one, one)
    assert same is not None
    assert (same.first.steps, same.first.hunks, same.first.lines, same.told) == (1, 1, 2, "")
    tip = key().solved_tips["work"]
    elsewhere = {**key().commits, tip: replace(key().commits[tip], tree={})}
    assert compare(one, survey(replace(key(), commits=elsewhere))) is None


def test_steps_are_known_by_name_and_number() -> None:
    assert [step_name("conflict", 1), step_name("conflict", 2), step_name("done", 3, bare=3)] == ["conflict", "conflict:2", "done"]  # fmt: skip
    for asked, number, name, tasks, found in (
        ("conflict", 8, "conflict", 1, True), ("conflict:1", 8, "conflict", 1, True), ("8", 8, "conflict", 1, True),
        ("conflict:2", 8, "conflict", 1, False), ("done:3", 9, "done", 3, True), ("done:1", 9, "done", 3, False),
        ("commit:3", 3, "commit:3", 1, True), ("3", 3, "commit:limit", 1, True), ("", 1, "built", 1, False),
    ):  # fmt: skip
        assert is_step(asked, number, name, tasks) == found, asked


def assessed(work: str, **shares: float | None) -> Assessment:
    """An assessment whose criteria, each of weight 4, earn these shares (None: skipped)."""
    outcomes = {name: skipped(Said("-")) if share is None else met(Said("+")) if share == 1 else partly(Said("~"), share) if share else missed(Said("x")) for name, share in shares.items()}  # fmt: skip
    criteria = tuple(
        CriterionResult(id=name, outcome=outcome, points=4 * outcome.share, possible=0.0 if shares[name] is None else 4.0, weight=4.0)
        for name, outcome in outcomes.items()
    )  # fmt: skip
    return Assessment(
        exercise="x", title="X", variant="0", state="finished", criteria=criteria, hunks=(), work=work
    )


# What is earned with what was given, by the points and the possible points that are left.
GIVEN = {
    "nothing was given": (1, 0, (4, 4)),
    "all was given, and is still there": (1, 1, (0, 0)),
    "all was given, and spoilt": (0, 1, (0, 4)),
    "half was given, the rest done": (1, 0.5, (2, 2)),
    "half was given, and nothing done": (0.5, 0.5, (0, 2)),
    "half was given, and half of the rest done": (0.75, 0.5, (1, 2)),
    "it is no part of the exercise": (None, None, (0, 0)),
}


@pytest.mark.parametrize("name", GIVEN)
def test_points_less_what_was_given(name: str) -> None:
    share, given, (points, possible) = GIVEN[name]
    found = without_given(
        assessed("mine", one=share, two=1), given_by(assessed("given", one=given, two=0)), "resolved"
    )
    one, two = found.criteria
    assert (one.points, one.possible) == (points, possible)
    assert (two.points, two.possible) == (4, 4), "what was not given is earned as ever"
    assert found.needs_a_look[0].startswith("it was handed out at the step resolved")


def test_who_adds_nothing_has_not_started() -> None:
    for mine, given in ((assessed("same", one=1), assessed("same", one=1)), (assessed("mine", one=1), assessed("given", one=1))):  # fmt: skip
        found = without_given(mine, given_by(given), "done")
        assert (found.state, found.points, found.possible, found.hunks) == ("untouched", 0, 4, ())


@pytest.mark.parametrize("seed", range(30))
def test_thousands_of_hunks_are_tied_to_their_bases_by_place(seed: int) -> None:
    """Both styles of one merge made here: each hunk of the default style has the base that it was made with, or
    that of the wider hunk which it is a part of."""
    chance = random.Random(seed)
    small, wide = [], []
    expected: list[tuple[tuple[str, ...], bool]] = []
    for number in range(chance.choice([3, 30, 400])):
        clean = [f"clean {number} {line}\n" for line in range(chance.randint(4, 6))]
        small += clean
        wide += clean
        parts = chance.choice([1, 1, 2])  # Git's diff3 style joins what the default style tells apart
        base = [f"base {number} {line}\n" for line in range(chance.randint(0, 2))]
        ours: list[str] = []
        theirs: list[str] = []
        for part in range(parts):
            mine, yours = [f"ours {number} {part}\n"], [f"theirs {number} {part}\n"][: chance.randint(0, 1)]
            small += [SIGNS["<"], *mine, SIGNS["="], *yours, SIGNS[">"]]
            between = [f"both {number}\n"] if part + 1 < parts else []
            small += between
            ours += mine + between
            theirs += yours + between
            expected.append((tuple(base), parts > 1))
        wide += [SIGNS["<"], *ours, SIGNS["|"], *base, SIGNS["="], *theirs, SIGNS[">"]]
    merged = merged_text("".join(small).encode(), "".join(wide).encode())
    assert [(hunk.base, hunk.base_is_shared) for hunk in merged.hunks] == expected


SIGNS = {sign: f"{sign * 40}{' x' if sign in '<>' else ''}\n" for sign in "<|=>"}
