"""The hunks that the key is written for are the hunks that a learner sees, in whatever words."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Sequence
from pathlib import Path

import pygit2
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.lines import Lines, lines_of
from muddled_orchard.core.git.packs import BLOB
from muddled_orchard.core.git.trees import Blob
from muddled_orchard.core.merging.conflict import Hunk, MergeResult, merged_text
from muddled_orchard.core.merging.equivalence import history_shape
from muddled_orchard.vcs.ask import scratch as scratches
from muddled_orchard.vcs.ask.predict import predict
from muddled_orchard.vcs.ask.scratch import Question, ScratchRepository
from muddled_orchard.vcs.ask.written_objects import StoredObjects
from muddled_orchard.vcs.isolation import isolate
from muddled_orchard.vcs.write.build import new_repository
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
    return tuple("\n".join(lines) + last for lines in (base, ours, theirs))  # type: ignore[return-value]  # always three


def shown(text: str) -> list[Lines | tuple[Lines, Lines, Lines]]:
    """What a person reads in a file with seven-sign markers; the other way of reading it than the
    program's."""
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
        repo = opened(work / ".git", bare=False)
        base = commit(repo, texts[0], [])
        ours, theirs = commit(repo, texts[1], [base]), commit(repo, texts[2], [base])
        repo.references.create("refs/heads/main", ours)
        repo.references.create("refs/heads/side", theirs)
        (merge,) = predict(new_scratch(work, repo), [(ours, theirs)])
        shell(work, "git checkout -qf main; git merge -q --no-edit side >/dev/null || true")
        left = (work / "row.txt").read_text("utf-8")
        conflict = merge.conflict("row.txt")
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


def opened(gitdir: Path, *, bare: bool) -> pygit2.Repository:
    isolate()
    new_repository(gitdir, bare=bare)
    return pygit2.Repository(str(gitdir))


def new_scratch(work: Path, repo: pygit2.Repository) -> StoredObjects:
    """A bare repository beside the learner's with its objects: attributes go there, not to them."""
    new_repository(work / "scratch.git", bare=True)
    shutil.copytree(f"{repo.path}objects", work / "scratch.git/objects", dirs_exist_ok=True)
    return StoredObjects(work / "scratch.git")


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


# -- Histories in other words -----------------------------------------------------------------------------

OTHER = {"apple": "medlar", "pear": "cider", "plum": "a", "quince": "rows of nuts", "": "", "}": "{", "both": "B",
         "ours ripe": "o", "theirs ripe": "t"}  # fmt: skip


def asked(scratch: ScratchRepository, versions: tuple[dict[str, bytes], ...]) -> Question:
    """What do two sides meet that grew from one base?"""
    texts: dict[str, bytes] = {}
    commits: list[Commit] = []
    for files in versions:
        tree = {path: Blob(0o100644, scratch.objects.blob(data)) for path, data in files.items()}
        texts |= {blob.id: files[path] for path, blob in tree.items()}
        top = scratch.objects.tree({path: (blob.mode, blob.id) for path, blob in tree.items()})
        parents = [one.id for one in commits[:1]]
        who = f"Maren Quill <maren@orchard.example> {len(commits)} +0000"
        commits.append(
            Commit(scratch.objects.commit(who, "Row", top, parents), tuple(parents), who, "Row", tree)
        )
    return Question((commits[1].id, commits[2].id), {one.id: one for one in commits}, texts, {})


def said(scratch: ScratchRepository, question: Question, merge: MergeResult) -> object:
    """All that a merge says: contents, and conflicts."""
    texts: dict[str, bytes] = dict(question.texts)
    scratch.read_texts(texts, merge)
    broken = {conflict.path for conflict in merge.conflicts}
    return {path: texts[blob.id] for path, blob in merge.tree.items() if path not in broken}, merge.conflicts


@settings(max_examples=100, deadline=None)
@example(("pear\nplum\n", "apple\nplum\npear\n", "apple\n" * 5 + "pear\nplum\napple\n"))
@example(("pear\nplum", "pear\nplum\nquince", "apple\npear\nplum"))
@given(three_ways())
def test_what_is_told_in_other_words_is_what_git_says(texts: tuple[str, str, str]) -> None:
    others = tuple("\n".join(OTHER[word] for word in text.split("\n")) for text in texts)
    with tempfile.TemporaryDirectory() as folder:
        told, alone = (ScratchRepository(Path(folder) / name) for name in ("told.git", "alone.git"))
        first, second = (
            tuple({"row.txt": text.encode(), "kept.txt": b"as it is\n"} for text in words)
            for words in (texts, others)
        )
        told.merges([asked(told, first)])
        question = asked(told, second)
        (merge,), (right,) = told.merges([question]), alone.merges([asked(alone, second)])
        assert said(told, question, merge) == said(alone, question, right)


def test_git_is_asked_once_for_what_differs_in_words(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    counted: list[int] = []

    def counting(objects: StoredObjects, pairs: Sequence[tuple[str, str]]) -> list[MergeResult]:
        counted.append(len(pairs))
        return predict(objects, pairs)

    monkeypatch.setattr(scratches, "predict", counting)
    scratch = ScratchRepository(tmp_path / "scratch.git")
    rows = [tuple({"row.txt": f"a\n{word}{number}\n".encode()} for word in "xyz") for number in range(9)]
    scratch.merges([asked(scratch, one) for one in rows[:5]])
    for one in rows[5:]:
        scratch.merges([asked(scratch, one)])
    assert sum(counted) == 1


BASE = {"row.txt": b"a\nb\n"}
OURS = {"row.txt": b"a\nc\n"}
THEIRS = {"row.txt": b"a\nd\n"}


@pytest.mark.parametrize(
    ("base", "ours", "theirs", "alike"),
    [
        (BASE, OURS, {"row.txt": b"a\ne\n"}, True),
        (BASE, OURS, OURS, False),
        (BASE, OURS, {"row.txt": b"a\n  d\n"}, False),
        (BASE, OURS, {"row.txt": b"a\nd"}, False),
        (BASE, OURS, {"row.txt": b"a\nd\r\n"}, False),
        (BASE, OURS, {"row.txt": b"a\n\n"}, False),
        (BASE, OURS, {"row.txt": b"a\n\0d\n"}, False),
        (BASE, OURS, {"other.txt": b"a\nd\n"}, None),
        (BASE, OURS, {"row.txt": b"d\n" * 20_000}, None),
        (BASE, OURS, {"row.txt": b"d" * (1 << 18)}, None),
        (BASE, OURS, {**THEIRS, "new.txt": b"d\n"}, False),
        ({**BASE, ".gitattributes": b"* -text\n"}, {**OURS, ".gitattributes": b"* -text\n"}, THEIRS, False),
    ],
)  # fmt: skip
def test_only_words_may_differ(
    base: dict[str, bytes],
    ours: dict[str, bytes],
    theirs: dict[str, bytes],
    alike: bool | None,
    tmp_path: Path,
) -> None:
    scratch = ScratchRepository(tmp_path / "scratch.git")
    first, other = (
        asked(scratch, (BASE, OURS, THEIRS)).history_shape(),
        asked(scratch, (base, ours, theirs)).history_shape(),
    )
    assert first is not None
    assert (None if other is None else other.shape == first.shape) is alike
    question = asked(scratch, (BASE, OURS, THEIRS))
    younger = history_shape(question.commits, question.tips, question.texts, {question.tips[0]: 5})
    assert younger is not None
    assert younger.shape != first.shape, "dates decide between merge bases"


def test_objects_are_read_wherever_git_has_put_them(tmp_path: Path) -> None:
    """Loose, in a pack, as a difference to another one, and in a pack that came later."""
    stored = StoredObjects(tmp_path / ".git")
    rows = b"".join(b"row %d of the orchard\n" % number for number in range(20_000))
    files = {"empty": b"", "text": b"pears\n", "bytes": bytes(range(256)), "rows": rows}
    shell(tmp_path, "git init -q")

    def commit_all(more: dict[str, bytes], pack: str) -> None:
        for name, text in more.items():
            (tmp_path / name).write_bytes(text)
        shell(tmp_path, f"git add .; git commit -qm x; {pack}")

    def as_written() -> dict[str, tuple[int, bytes]]:
        return {name: stored.read(shell(tmp_path, f"git rev-parse HEAD:{name}").strip()) for name in files}

    for more, pack in (
        ({}, "true"),
        ({"changed": rows.replace(b"row 7 ", b"row seven ")}, "git repack -qad"),
        ({"later": b"plums\n"}, "git repack -qd"),
    ):
        files |= more
        commit_all(files, pack)
        assert as_written() == {name: (BLOB, text) for name, text in files.items()}
    assert not list((tmp_path / ".git/objects").glob("??/*")), "all of it is in packs by now"
    assert len(list((tmp_path / ".git/objects/pack").glob("*.pack"))) == 2
    assert "chain length = 1" in shell(tmp_path, "git verify-pack -sv .git/objects/pack/*.idx")
    with pytest.raises(KeyError):
        stored.read("0" * 40)
