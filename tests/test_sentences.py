"""Sentences are true of one, of two and of many, and of what has no hunks."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

import pytest
from msgspec.structs import replace

from muddled_orchard.core.base.phrases import all_of, brief, counted, cut, listed
from muddled_orchard.core.grading import finding
from muddled_orchard.core.grading.assessment import (
    Assessment,
    CriterionResult,
    HunkResult,
    met,
    missed,
    skipped,
)
from muddled_orchard.core.grading.criteria.resolution import wrong_conflict
from muddled_orchard.core.grading.kinds import restored
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.core.grading.summary import summary
from tests.conftest import graded, muddled, shell
from tests.found import FOUND
from tests.test_verdicts import MERGE, scenario, write

HUNK = HunkResult(task=1, commit="abc1234", file="a.txt", hunk=1, kept="ours", accepted=("theirs",), outcome="missed", line=3, ours_name="ours (main)", theirs_name="theirs (topic)")  # fmt: skip


def got(state: str = "finished", wrong: int = 0, unmet: int = 0, **verdicts: str) -> Assessment:
    outcomes = {"met": met(Said("So.")), "missed": missed(Said("So.")), "skipped": skipped(Said("So."))}
    criteria = tuple(
        CriterionResult(id=id_, outcome=outcomes[word], points=0, possible=1)
        for id_, word in verdicts.items()
    )
    return Assessment(exercise="x", title="X", variant="0", state=state, criteria=criteria, hunks=(HUNK,) * wrong, unmet=unmet)  # type: ignore[arg-type]  # words of the table  # fmt: skip


SUMMARIES = {
    "It is finished, and every conflict is resolved as accepted.": got(resolution="met"),
    "It is finished.": got(resolution="skipped"),
    "It is finished, but 1 conflict is not resolved as accepted.": got(wrong=1, resolution="missed"),
    "It is finished, but 2 conflicts are not resolved as accepted.": got(wrong=2, resolution="missed"),
    "It is finished, but 1 conflict was never met.": got(unmet=1, resolution="missed"),
    "It is not finished, and 3 conflicts were never met.": got("open", unmet=3, resolution="missed"),
    "It is not finished, and 2 conflicts are not resolved as accepted, and 1 was never met.": got(
        "open", wrong=2, unmet=1, resolution="missed"
    ),
    "It was handed in with conflict markers in it, and 1 conflict is not resolved as accepted.": got(
        wrong=1, markers="missed", resolution="missed"
    ),
    "It was handed in with conflict markers in it, but every conflict is resolved as accepted.": got(
        markers="missed", resolution="met"
    ),
}


@pytest.mark.parametrize("sentence", SUMMARIES)
def test_how_it_went(sentence: str) -> None:
    assert summary(SUMMARIES[sentence]) == sentence


KEPT = {
    "a.txt, line 3: ours (main) was kept; wanted: theirs (topic).": HUNK,
    'a.txt, line 3 (of "Lower the limit"): ours (main) was kept; wanted: theirs (topic).': replace(
        HUNK, subject="Lower the limit"
    ),
    "a.txt, line 3: the conflict is still there, with its markers.": replace(HUNK, kept="unresolved"),
    "a.txt: the conflict is still there, neither side was chosen.": replace(
        HUNK, kept="unresolved", hunk=None, line=None
    ),
    "a.txt: it lies at old/a.txt, where one of the sides had it; wanted: a.txt.": replace(
        HUNK, line=None, left_at="old/a.txt", kept="gone"
    ),
    "a.txt, line 3: ours (main) was kept; wanted, hunk by hunk: ours (main) and theirs (topic); or theirs (topic) and ours (main).": replace(
        HUNK, accepted=("ours", "theirs"), together=(("ours", "theirs"), ("theirs", "ours"))
    ),
}


@pytest.mark.parametrize("sentence", KEPT)
def test_what_was_kept(sentence: str) -> None:
    assert wrong_conflict(KEPT[sentence]).said == sentence


def test_small_pieces() -> None:
    assert [listed(list("abcde")[:n]) for n in range(6)] == [
        "",
        "a",
        "a and b",
        "a, b and c",
        "a, b, c and d",
        "a, b, c and 2 more",
    ]
    assert [counted(n, "hunk") for n in (0, 1, 2)] == ["0 hunks", "1 hunk", "2 hunks"]
    assert [all_of(n) for n in (2, 3)] == ["Both", "All 3"]
    assert (brief("a\n b"), brief("x" * 61), cut("x" * 5, 4)) == ("a b", "x" * 57 + "...", "xxxx\n...")


TWO = scenario(
    "two",
    "main: Begin\n" + write(a_txt="1\n", b_txt="1\n", c_bin="\0a"),
    "topic: Theirs\n" + write(a_txt="2\n", b_txt="2\n", d_txt="4\n"),
    "main: Ours\n" + write(a_txt="3\n", b_txt="3\n"),
    MERGE,
    *(f'[[answer]]\nfile = "{name}"\nkeep = ["theirs"]\nwhy = "The same for both."' for name in ("a.txt", "b.txt")),
).replace('"c.bin" = "\\u0000a", ', "").replace(', "c.bin" = "\\u0000a"', "")  # fmt: skip

SAID = {
    "git merge -q topic >/dev/null || true": "a.txt and b.txt are still unmerged.",
    "git merge -q topic >/dev/null || true; git add a.txt": "b.txt is still unmerged.",
    "git merge -q topic >/dev/null || true; sed -i -e '/^[<=>]/d' ?.txt": "a.txt and b.txt are resolved, but were never staged with git add.",
    "git merge -q -X theirs -m m topic": "Both conflicts are resolved as the key accepts.",
    "git merge -q -X theirs -m m topic; touch a.orig": "a.orig was left behind, a backup file.",
    "git merge -q -X theirs -m m topic; touch a.orig b.orig": "a.orig and b.orig were left behind, backup files.",
    "git merge -q -X theirs -m m topic; echo >>a.txt; echo >>b.txt": "a.txt and b.txt have uncommitted changes.",
    "echo 2 >a.txt; echo 2 >b.txt": "a.txt and b.txt were changed, but nothing was committed.",
    "git merge -q -X ours -m m topic": "The same for both.",
}


def test_one_and_two(tmp_path: Path) -> None:
    (tmp_path / "two.toml").write_text(TWO, "utf-8")
    muddled("plant", "two.toml", "first", folder=tmp_path)
    for number, script in enumerate(SAID):
        shell(tmp_path, f"mkdir -p in; cp -r first in/{number}")
        shell(tmp_path / f"in/{number}/work", script)
    results = graded(tmp_path / "in", "--scenarios", tmp_path / "two.toml")
    for number, says in enumerate(SAID.values()):
        because = " ".join(c["because"] for c in results[str(number)]["criteria"].values())
        assert because.count(says) == 1, because


@pytest.mark.parametrize("sentence", FOUND)
def test_what_was_found_is_said(sentence: str) -> None:
    found = FOUND[sentence]
    assert found.said == sentence
    assert restored(finding.kept(found)).said == sentence


def test_every_kind_has_words_for_one_two_and_many() -> None:
    assert {type(found) for found in FOUND.values()} == set(finding.KINDS.values())
    counts = Counter(type(found) for found in FOUND.values() if hasattr(found, "count"))
    assert min(counts.values()) >= 2, counts
