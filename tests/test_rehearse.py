"""`muddled rehearse`: no surprise in the whole catalogue, and a surprise where there should be one."""

from __future__ import annotations

import os
import re
from pathlib import Path

import pytest
from msgspec.structs import replace

from muddled_orchard.core.grading import finding
from muddled_orchard.core.grading.assessment import (
    HINTS,
    Assessment,
    CriterionResult,
    HunkResult,
    met,
    missed,
    unreadable,
)
from muddled_orchard.core.grading.criteria import CRITERIA
from muddled_orchard.core.grading.hints import for_learner
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.core.grading.rehearsal import RIGHT, Expected, Kept, Rehearsal, surprises
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.files.scenarios.bundled import bundled_ids
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.rehearsal.behaviours import Behaviour, behaviours_for
from muddled_orchard.rehearsal.rehearsing import VARIANTS, rehearsed
from muddled_orchard.system.workers import Machines
from tests.conftest import muddled, shell
from tests.scenarios import SMALL

EVERY_WAY = """
[[answer]]
file = "hives.txt"
keep = ["{0}"]
"""


EXAMPLES = re.findall(
    r"^\| (\S+) \| (.+?) \| (\w+) \| (met|partly|missed) \|$", Path("docs/verdicts.md").read_text("utf-8"), re.MULTILINE
)  # fmt: skip


def given_away(assessment: Assessment) -> list[str]:
    """The key's lines and reasons that a learner is told who has not got it."""
    wrong = [hunk for hunk in assessment.hunks if hunk.outcome == "missed"]
    secret = {
        line.strip() for hunk in wrong for line in (hunk.wanted or "").splitlines() if len(line.strip()) > 3
    }
    secret |= {hunk.why.strip() for hunk in wrong if hunk.why.strip()}
    secret |= {f"wanted: {word}" for hunk in wrong for word in hunk.accepted}
    said = "\n".join(
        criterion.outcome.because
        for strength in HINTS
        for criterion in for_learner(assessment, strength).criteria
        if criterion.outcome.verdict != "met"
    )
    return [line for line in secret if line in said]


def spread(key: Key) -> list[Behaviour]:
    """Every behaviour for the exercises of EXAMPLES, a third of them for each of the others, in turns."""
    found, id_ = behaviours_for(key), key.scenario.id
    if os.environ.get("REHEARSE") == "all" or id_ in {exercise for exercise, *_ in EXAMPLES}:
        return found
    turn = bundled_ids().index(id_)
    return [one for number, one in enumerate(found) if one.name == RIGHT or (number + turn) % 3 == 0]


def test_the_whole_catalogue_is_rehearsed_without_a_surprise(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("muddled_orchard.rehearsal.rehearsing.behaviours_for", spread)
    library = ScenarioLibrary()
    scenarios = [scenario for id_ in bundled_ids() if (scenario := library.find(id_)) is not None]
    with rehearsed(scenarios, VARIANTS, tmp_path / "surprises", Machines(2)) as going:
        rehearsals = list(going)
    assert [one.exercise for one in rehearsals] == bundled_ids()
    acted = [one for rehearsal in rehearsals for one in rehearsal.acted]
    assert [one for one in acted if one.surprises] == []
    assert not (tmp_path / "surprises").exists()
    assert len(acted) > 850
    # Each behaviour is met by at least one scenario, and each criterion is lost by somebody.
    assert len({one.behaviour for one in acted}) > 70
    assert len(EXAMPLES) > 40
    lost = {c.id for one in acted for c in one.assessment.criteria if c.outcome.verdict == "missed"}
    assert lost == set(CRITERIA)
    for exercise, behaviour, criterion, outcome in EXAMPLES:
        (got,) = [
            c for r in rehearsals if r.exercise == exercise for one in r.acted if one.behaviour == behaviour
            for c in one.assessment.criteria if c.id == criterion
        ]  # fmt: skip
        assert got.outcome.verdict == outcome, (exercise, behaviour, criterion)
    for rehearsal in rehearsals:
        if rehearsal.exercise not in {exercise for exercise, *_ in EXAMPLES}:
            continue  # only a third of its learners were acted out
        assert rehearsal.undistinguished == (), rehearsal.exercise
        assert "resolution" not in rehearsal.blind, rehearsal.exercise
        for one in rehearsal.acted:
            assert given_away(one.assessment) == [], (rehearsal.exercise, one.behaviour)


def test_a_rule_that_the_solution_breaks_is_a_surprise(tmp_path: Path) -> None:
    (tmp_path / "small.toml").write_text(SMALL + '[[rule]]\nfile = "hives.txt"\nhas = "a queen"\n', "utf-8")
    done = muddled("rehearse", "small.toml", "--jobs", "1", folder=tmp_path, code=1)
    said = done.stdout.splitlines()
    assert "surprise" in said[2]
    assert "rules is missed, though it should be met" in said[3]
    assert " learners: right, " in said[4]
    kept = tmp_path / "muddled-surprises/small/right"
    assert f"to look at: {kept.relative_to(tmp_path)}" in done.stdout
    assert "Merge branch" in shell(kept / "work", "git log --oneline -1")
    assert muddled("rehearse", "small.toml", "--quiet", folder=tmp_path, code=1).stdout == ""


def test_a_key_that_accepts_everything_tells_nothing_apart(tmp_path: Path) -> None:
    words = ("base", "theirs", "ours+theirs", "theirs+ours", "neither")
    text = SMALL + "".join(EVERY_WAY.format(word) for word in words)
    (tmp_path / "small.toml").write_text(text, "utf-8")
    said = " ".join(muddled("rehearse", "small.toml", folder=tmp_path).stdout.split())
    assert "every verdict is the one to be expected" in said
    assert "Whichever side is kept, the verdict is the same: hives.txt" in said


def test_what_has_no_key_is_not_rehearsed(tmp_path: Path) -> None:
    (tmp_path / "small.toml").write_text(SMALL.replace('keep = ["ours"]', 'keep = ["ours", "ours"]'), "utf-8")
    done = muddled("rehearse", "small.toml", folder=tmp_path, code=2)
    assert "keep has 2 words" in done.stderr
    assert "is no whole number above 0" in muddled("rehearse", "press-limit", "--jobs", "0", code=2).stderr


def result(state: str = "finished", **verdicts: str) -> Assessment:
    criteria = tuple(
        CriterionResult(id=id_, outcome=met(Said("So.")) if word == "met" else missed(Said("So.")), points=2.0 * (word == "met"), possible=2)
        for id_, word in verdicts.items()
    )  # fmt: skip
    hunk = HunkResult(
        task=1, commit=None, file="a.txt", hunk=1, kept="ours", accepted=("ours",), outcome="met"
    )
    return Assessment(
        exercise="x", title="X", variant="0", state=state, criteria=criteria, hunks=(hunk,), doubts=(finding.kept(Said("odd")),)  # type: ignore[arg-type]  # a word of the table
    )  # fmt: skip


def kept(word: str, hunk: int = 1) -> tuple[Kept, ...]:
    return (Kept(1, None, "a.txt", hunk, frozenset({word})),)


SURPRISES = {
    "as expected": (Expected(must_lose=frozenset({"rest"})), result(rest="missed", tidy="met"), ""),
    "another state": (Expected(), result("open"), "its state is open; finished was to be expected"),
    "unreadable": (Expected(), unreadable("it burnt"), "its state is unreadable: it burnt"),
    "points for nothing": (Expected(state="untouched"), result("untouched", rest="met"), "it has 2 points"),
    "nothing for nothing": (Expected(state="untouched"), result("untouched", rest="missed"), ""),
    "found nothing": (Expected(must_lose=frozenset({"rest"})), result(rest="met"), "rest is met, though it should cost"),
    "found too much": (Expected(), result(rest="missed"), "rest is missed, though it should be met"),
    "may be": (Expected(may_lose=frozenset({"rest"})), result(rest="missed"), ""),
    "one of them": (Expected(at_least_one=frozenset({"rest", "rules"})), result(rest="met", rules="missed"), ""),
    "none of them": (Expected(at_least_one=frozenset({"rest", "rules"})), result(rest="met", rules="met"), "none of rest and rules"),
    "read right": (Expected(kept=kept("ours")), result(), ""),
    "misread": (Expected(kept=kept("base")), result(), "a.txt, hunk 1 (task 1) was read as ours"),
    "overlooked": (Expected(kept=kept("ours", 2)), result(), "does not speak of it"),
}  # fmt: skip


@pytest.mark.parametrize("name", SURPRISES)
def test_surprises(name: str) -> None:
    expected, got, says = SURPRISES[name]
    found = "; ".join(surprises("kept ours", expected, got))
    assert says in found
    assert bool(found) == bool(says)


def test_a_right_solution_must_not_need_a_look() -> None:
    assert list(surprises("right", Expected(), result())) == ["it needs a look: odd"]


def rehearsed_alone(id_: str, folder: Path) -> Rehearsal:
    scenario = ScenarioLibrary().find(id_)
    assert scenario is not None
    with rehearsed([scenario], ["0"], folder / "kept", Machines(2)) as (rehearsal,):
        return rehearsal


@pytest.mark.parametrize(
    "criterion", [id_ for id_ in CRITERIA if id_ not in ("rules", "delivered", "message", "work")]
)
def test_a_grader_that_goes_blind_is_noticed(
    criterion: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(
        CRITERIA, criterion, replace(CRITERIA[criterion], judge=lambda _: met(Said("All is well.")))
    )
    rehearsal = rehearsed_alone("own-two-files" if criterion == "made" else "press-limit", tmp_path)
    told = [surprise for one in rehearsal.surprising for surprise in one.surprises]
    assert any(f"{criterion} is met, though it should cost points" in surprise for surprise in told)
    assert criterion in rehearsal.blind


@pytest.mark.parametrize("criterion", ["markers", "history", "resolution", "rest", "bystanders", "tidy"])
def test_a_grader_that_finds_fault_everywhere_is_noticed(
    criterion: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(
        CRITERIA, criterion, replace(CRITERIA[criterion], judge=lambda _: missed(Said("All is lost.")))
    )
    rehearsal = rehearsed_alone("rebase-one", tmp_path)
    right = next(one for one in rehearsal.acted if one.behaviour == "right")
    assert right.surprises == (f"{criterion} is missed, though it should be met: All is lost.",)
    assert right.repository is not None
    assert (Path(right.repository) / "work/.git").is_dir()


def test_the_views_fit_a_narrow_terminal_and_ascii(tmp_path: Path) -> None:
    for arguments in (("rehearse", "rebase-one"), ("rehearse", "just-forward", "quiet-merge")):
        for more in ({"COLUMNS": "80"}, {"COLUMNS": "120", "PYTHONIOENCODING": "ascii"}):
            said = muddled(*arguments, folder=tmp_path, more=more).stdout
            assert max(map(len, said.splitlines())) <= int(more["COLUMNS"])
            assert said.isascii() == ("PYTHONIOENCODING" in more)
