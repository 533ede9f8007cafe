"""The hunks that the key is written for are the hunks that a learner sees."""

from __future__ import annotations

import tempfile
from pathlib import Path

import pygit2
from hypothesis import example, given, settings
from hypothesis import strategies as st

from muddled_orchard.core.meeting import Hunk, merged_text
from muddled_orchard.core.texts import Lines, lines_of
from muddled_orchard.vcs.build import new_repository
from muddled_orchard.vcs.predict import predict
from tests.conftest import shell

WORDS = ("apple", "pear", "plum", "quince", "", "}")
TEXT = st.lists(st.sampled_from(WORDS), min_size=1, max_size=14)


@st.composite
def three_ways(draw: st.DrawFn) -> tuple[str, str, str]:
    """A base and two sides grown from it by a few edits each, with many repeated lines."""
    base = draw(TEXT)

    def side(name: str) -> list[str]:
        lines = list(base)
        for _ in range(draw(st.integers(1, 4))):
            at = draw(st.integers(0, len(lines)))
            new = draw(st.lists(st.sampled_from((*WORDS, f"{name} ripe", "both")), max_size=3))
            lines[at : at + draw(st.integers(0, 3))] = new
        return lines

    ours, theirs = side("ours"), side("theirs")
    last = draw(st.sampled_from(("\n", "")))
    return tuple("\n".join(lines) + last for lines in (base, ours, theirs))  # type: ignore[return-value]


def shown(text: str) -> list[Lines | tuple[Lines, Lines, Lines]]:
    """What a person reads in a file with seven-sign markers; the other way of reading it than the program's."""
    parts: list[Lines | tuple[Lines, Lines, Lines]] = []
    sides: list[list[str]] = [[]]
    at = 0
    for line in lines_of(text):
        if line.startswith("<<<<<<< "):
            parts += [tuple(sides[0])] if sides[0] else []
            sides, at = [[], [], []], 0
        elif len(sides) == 3 and line.startswith("||||||| "):
            at = 1
        elif len(sides) == 3 and line == "=======\n":
            at = 2
        elif line.startswith(">>>>>>> "):
            parts.append((tuple(sides[0]), tuple(sides[2]), tuple(sides[1])))
            sides, at = [[]], 0
        else:
            sides[at].append(line)
    return parts + ([tuple(sides[0])] if sides[0] else [])


@settings(max_examples=100, deadline=None)
@example(("pear\nplum\n", "apple\nplum\npear\n", "apple\n" * 5 + "pear\nplum\napple\n"))
@given(three_ways())
def test_hunks_are_those_of_a_real_merge(texts: tuple[str, str, str]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        work = Path(folder)
        repo = new_repository(work / ".git", bare=False)
        base = commit(repo, texts[0], [])
        ours, theirs = commit(repo, texts[1], [base]), commit(repo, texts[2], [base])
        repo.references.create("refs/heads/main", ours)
        repo.references.create("refs/heads/side", theirs)
        (meeting,) = predict(new_workshop(work, repo), [(ours, theirs)])
        shell(work, "git checkout -qf main; git merge -q --no-edit side >/dev/null || true")
        left = (work / "row.txt").read_text("utf-8")
        conflict = meeting.conflict("row.txt")
        assert bool(conflict) == ("<<<<<<< " in left)
        if conflict is None or conflict.merged is None:
            return
        found = [(p.ours, p.theirs) if isinstance(p, Hunk) else p for p in conflict.merged.parts]
        assert found == [p[:2] if is_hunk(p) else p for p in shown(left)]
        # In diff3 style the hunks may fall differently, but no line of the base gets lost.
        shell(work, "git reset -q --hard; git -c merge.conflictStyle=diff3 merge -q side >/dev/null || true")
        wide = [part for part in shown((work / "row.txt").read_text("utf-8")) if is_hunk(part)]
        bases = ["".join(hunk.base) for hunk in conflict.merged.hunks]
        for part in wide:
            assert any("".join(part[2]) in base for base in bases)
        if len(wide) == len(bases) and not any(hunk.base_is_shared for hunk in conflict.merged.hunks):
            assert bases == ["".join(part[2]) for part in wide]


def is_hunk(part: Lines | tuple[Lines, Lines, Lines]) -> bool:
    return len(part) == 3 and isinstance(part[0], tuple)


def new_workshop(work: Path, repo: pygit2.Repository) -> pygit2.Repository:
    """A bare repository beside the learner's that sees its objects: attributes go there, not to them."""
    workshop = new_repository(work / "workshop.git", bare=True)
    (work / "workshop.git/objects/info/alternates").write_text(f"{repo.path}objects\n")
    return pygit2.Repository(workshop.path)


def commit(repo: pygit2.Repository, text: str, parents: list[str]) -> str:
    builder = repo.TreeBuilder()
    builder.insert("row.txt", repo.create_blob(text.encode()), 0o100644)
    maren = pygit2.Signature("Maren Quill", "maren@orchard.example", 1_900_000_000, 0)
    return str(repo.create_commit(None, maren, maren, "Row\n", builder.write(), parents))


def test_joined_and_split_hunks_find_their_base() -> None:
    less, bar, same, more = ("<" * 40, "|" * 40, "=" * 40, ">" * 40)
    joined = merged_text(
        f"{less} a\nO1\nx\nO2\n{same}\nT1\nx\nT2\n{more} b\n".encode(),
        f"{less} a\nO1\n{bar} c\nB1\n{same}\nT1\n{more} b\nx\n{less} a\nO2\n{bar} c\nB2\n{same}\nT2\n{more} b\n".encode(),
    )
    assert [hunk.base for hunk in joined.hunks] == [("B1\n", "x\n", "B2\n")]
    split = merged_text(
        f"{less} a\nO1\n{same}\nT1\n{more} b\nboth\n{less} a\nO2\n{same}\nT2\n{more} b\n".encode(),
        f"{less} a\nO1\nboth\nO2\n{bar} c\nB\n{same}\nT1\nboth\nT2\n{more} b\n".encode(),
    )
    assert [(hunk.base, hunk.base_is_shared) for hunk in split.hunks] == [(("B\n",), True)] * 2
