"""Which commit replays which, what a pile of submissions shows, and variants: on plain data."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest

from muddled_orchard.core.course.class_entry import class_entry
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.findings import best_attempts, findings
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner, variant_code
from muddled_orchard.core.exercise.operations.rebase import Rebase
from muddled_orchard.core.exercise.story import unroll
from muddled_orchard.core.exercise.values import variant_of
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.trees import Blob
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.locating.matching import matched
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.merging.conflict import MergeResult
from muddled_orchard.files.scenarios.bundled import BUNDLED, bundled_ids
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.scenarios.scenario_file import load_scenario, read_scenario
from muddled_orchard.files.stored import digest_of, scenario_of, scenario_text
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from tests.scenarios import SMALL

TASK = Rebase(do="rebase", on="work", onto="main")
TEXTS = {text: text.encode() for text in ("", *"abcdefgh")}


def tree(files: str) -> dict[str, Blob]:
    """`xa yb`: the file x holds a, the file y holds b."""
    return {item[0]: Blob(0o100644, item[1:]) for item in files.split()}


def replayed(*made: tuple[str, str, str]) -> dict[str, Any]:
    """Match the learner's commits (author, subject, files) to One (x: a), Two (y: b) and Three (z: c)."""
    originals = [("One", "xa"), ("Two", "xa yb"), ("Three", "xa yb zc")]
    commits = {
        "base": Commit("base", (), "m", "Base", tree("")),
        "main": Commit("main", ("base",), "m", "Main", tree("mh")),
    }
    steps = []
    before = "base"
    for subject, files in originals:
        commits[subject] = Commit(subject, (before,), "t", subject, tree(files))
        ours = tree(f"mh {dict(originals).get(before, '')}")
        commits[f"on {subject}"] = Commit(f"on {subject}", (), "t", subject, ours)
        solved = tree(f"mh {files}")
        steps.append(
            Step(
                task=1, operation=TASK, commit=subject, ours=f"on {subject}", theirs=subject, base=before, ours_name="ours",
                theirs_name="theirs", merge=MergeResult(solved, ()), accepted={}, solved=solved,
            )
        )  # fmt: skip
        before = subject
    own: list[Commit] = []
    for number, (author, subject, files) in enumerate(made):
        parent = own[-1].id if own else "main"
        own.append(Commit(f"own{number}", (parent,), author, subject, tree(f"mh {files}")))
        commits[own[-1].id] = own[-1]
    found = matched(commits, TEXTS, steps, own)
    return {
        "made": [commit.id[3:] if commit else "-" for commit in found.made.values()],
        "into": {step: commit.id[3:] for step, commit in found.into.items()},
        "twice": [commit.id[3:] for commit in found.twice],
        "foreign": [commit.id[3:] for commit in found.foreign],
        "reordered": found.reordered,
    }


ONE, TWO, THREE = ("t", "One", "xa"), ("t", "Two", "xa yb"), ("t", "Three", "xa yb zc")


@pytest.mark.parametrize(
    ("made", "expected"),
    [
        ((ONE, TWO, THREE), {"made": ["0", "1", "2"]}),
        ((), {"made": ["-", "-", "-"]}),
        ((ONE, THREE), {"made": ["0", "-", "1"], "into": {"Two": "1"}}),
        ((ONE, ("t", "Three", "xa zc")), {"made": ["0", "-", "1"]}),
        ((("t", "Two", "yb"), ("t", "One", "xa yb"), THREE), {"made": ["1", "0", "2"], "reordered": True}),
        ((ONE, ("t", "Deux", "xa yb"), THREE), {"made": ["0", "1", "2"]}),
        ((ONE, ("me", "Two", "xa yb"), THREE), {"made": ["0", "1", "2"]}),
        ((ONE, ("me", "Mine", "xa yb"), THREE), {"made": ["0", "1", "2"]}),
        ((("t", "All", "xa yb zc"),), {"made": ["-", "-", "-"], "into": {"One": "0", "Two": "0", "Three": "0"}}),
        ((ONE, ("t", "Two", "xa yb zc")), {"made": ["0", "1", "-"], "into": {"Three": "1"}}),
        ((ONE, ("me", "Lunch", "xa ld"), ("t", "Two", "xa ld yb"), ("t", "Three", "xa ld yb zc")), {"made": ["0", "2", "3"], "foreign": ["1"]}),
        ((ONE, TWO, THREE, ("me", "Mend", "xe yb zc")), {"made": ["0", "1", "2"]}),
        ((ONE, TWO, ("t", "Revert", "xa"), ("t", "Two", "xa yb"), THREE), {"made": ["0", "1", "4"], "twice": ["3"], "foreign": ["2"]}),
    ],
)  # fmt: skip
def test_commits_are_matched_by_author_message_and_patch(
    made: Sequence[tuple[str, str, str]], expected: dict[str, Any]
) -> None:
    plain: dict[str, Any] = {"into": {}, "twice": [], "foreign": [], "reordered": False}
    assert replayed(*made) == plain | expected


ROSTER = {
    id_: Learner(id_, name) for id_, name in (("ada", "Ada Quince"), ("bo", "Bo Medlar"), ("cyd", "Cyd Sloe"))
}
GIVEN = [
    HandOut(
        exercise="press", learner=id_, variant=f"v-{id_}", scenario="d", first_commit="f", tips={}, file="x"
    )
    for id_ in ROSTER
]


def came(path: str, learner: str, *, known: bool = True, **more: Any) -> Collected:
    """A graded submission."""
    assessment = Assessment(
        exercise="press",
        title="",
        variant=f"v-{learner}",
        state="finished",
        criteria=(),
        hunks=(),
        **more,
    )
    return Collected(submission=path, learner=learner, name=learner, known=known, assessment=assessment)


ADA, BO, CYD = came("in/ada.zip", "ada"), came("in/bo.zip", "bo"), came("in/3.zip", "cyd")


@pytest.mark.parametrize(
    ("collected", "said"),
    [
        ((ADA, BO, CYD), []),
        ((ADA, BO), ["press: nothing came from cyd"]),
        ((ADA, BO, CYD, came("in/ada-2.zip", "ada")), ["ada handed press in twice; the best counts (in/ada-2.zip)"]),
        ((ADA, BO, CYD, came("in/x.zip", "x", known=False)), ["in/x.zip was not handed out by this ledger (press, variant v-x)"]),
        ((ADA, CYD, came("in/ada_late.zip", "bo")), ["in/ada_late.zip bears the name of ada, but it is bo's hand-out"]),
        ((ADA, CYD, came("Bo Medlar/ada.zip", "bo")), []),
        ((ADA, CYD, came("bo/ada.zip", "bo")), []),
        ((ADA, BO, came("in/3.zip", "cyd", makers=("ada quince <a@orchard.example>",))), ["in/3.zip is cyd's hand-out, and Ada Quince (ada) made commits in it"]),
        ((ADA, BO, came("in/3.zip", "cyd", makers=("Cyd Sloe <c@orchard.example>", "Somebody <s@orchard.example>"))), []),
        ((BO, came("in/1", "ada", commits=("c" * 40, "d" * 40)), came("in/3", "cyd", commits=("d" * 40,))), ["in/1 and in/3 share 1 commit (ddddddd), though only one made it"]),
        ((BO, CYD, came("in/1", "ada", commits=("c" * 40,)), came("in/2", "ada", commits=("c" * 40,))), ["ada handed press in twice; the best counts (in/2)"]),
    ],
)  # fmt: skip
def test_what_a_pile_of_submissions_shows(collected: tuple[Collected, ...], said: list[str]) -> None:
    assert [finding.said for finding in findings(list(map(class_entry, collected)), GIVEN, ROSTER)] == said


def test_without_a_ledger_only_what_submissions_show_among_themselves_is_told() -> None:
    pile = [
        came("in/1", "1", known=False, commits=("c" * 40,)),
        came("in/2", "2", known=False, commits=("c" * 40,)),
        came("in/3", "1"),
    ]
    entries = [class_entry(one) for one in pile]
    assert [finding.kind for finding in findings(entries[:2], (), {})] == ["shared"]
    assert [one.submission for one in best_attempts(entries)] == ["in/3", "in/2"]


def test_variants_are_the_same_one_by_one_and_in_a_class() -> None:
    library = ScenarioLibrary()
    for id_ in bundled_ids():
        scenario = library.find(id_)
        assert scenario is not None
        variants = Variants(scenario)
        for code in ("0", "5c1d9a", "b", "0"):
            made = variants.of(code)
            assert made.scenario == variant_of(scenario, code)
            assert made.history == unroll(made.scenario, code)
        assert scenario_of(scenario_text(scenario)) == scenario
        assert load_scenario(BUNDLED / f"{id_}.toml") == scenario, "what is known to be right is right"
        assert len(digest_of(scenario)) == 16


def test_scenarios_of_one_id_never_share_what_they_meet(tmp_path: Path) -> None:
    scratch = ScratchRepository(tmp_path / "scratch.git")
    for number in range(30):  # each is forgotten before the next one comes
        text = SMALL.replace("north: 4", f"north: {number + 10}")
        scenario, problems = read_scenario(text)
        assert scenario is not None, problems
        (hunk,) = make_key(scratch, scenario, "0").steps[0].merge.conflicts[0].merged.hunks  # type: ignore[union-attr]  # it has hunks
        assert hunk.theirs == (f"north: {number + 10}\n",)


def test_codes_depend_on_secret_exercise_and_learner() -> None:
    codes = {
        variant_code(secret, exercise, learner)
        for secret in (b"a", b"b")
        for exercise in "xy"
        for learner in "xy"
    }
    assert len(codes) == 8
    assert variant_code(b"a" * 32, "press-limit", "ada") == "797ecec06036c4ff"
