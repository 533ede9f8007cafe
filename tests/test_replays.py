"""Replayed commits, difficulty and graphs on plain data: no repository, no process."""

from __future__ import annotations

from typing import Any

import pytest
from msgspec.structs import replace

from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.story import unroll
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.trees import Blob
from muddled_orchard.core.grading.assess import assess
from muddled_orchard.core.grading.locating.attempts import step_parts
from muddled_orchard.core.grading.locating.locate import MergeRequest, locate, merges_needed
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.answers import accepted_for
from muddled_orchard.core.key.difficulty import difficulty
from muddled_orchard.core.key.graph import handed_out, wanted
from muddled_orchard.core.merging.conflict import Conflict, Hunk, MergedText, MergeResult, relabelled
from muddled_orchard.core.submission.evidence import Evidence, Pending
from muddled_orchard.core.submission.submission import Submission
from muddled_orchard.files.scenarios.scenario_file import read_scenario
from tests.scenarios import HEADER

TEXT = """
[[story]]
on = "main"
by = "maren"
message = "Begin"
write = { "f" = "1\\n" }
[[story]]
on = "work"
from = "main"
by = "tobias"
label = "two"
message = "Two"
write = { "f" = "2\\n" }
[[story]]
on = "work"
by = "tobias"
label = "other"
message = "Other"
write = { "g" = "x\\n" }
[[story]]
on = "main"
by = "maren"
message = "Three"
write = { "f" = "3\\n" }
[[task]]
do = "rebase"
on = "work"
onto = "main"
[[answer]]
commit = "two"
file = "f"
keep = ["theirs"]
"""

TOBIAS = "Tobias Fenn <tobias@orchard.example>"


def written() -> Scenario:
    found, problems = read_scenario(HEADER + TEXT)
    assert found is not None, problems
    return found


def tree(**files: str) -> dict[str, Blob]:
    return {path: Blob(0o100644, f"blob of {text!r}") for path, text in files.items()}


def key() -> Key:
    """The key as `vcs.ask.keymaking` would make it, with ids that can be read."""
    commits = {
        "base": Commit("base", (), "Maren", "Begin", tree(f="1\n")),
        "two": Commit("two", ("base",), TOBIAS, "Two", tree(f="2\n")),
        "other": Commit("other", ("two",), TOBIAS, "Other", tree(f="2\n", g="x\n")),
        "main": Commit("main", ("base",), "Maren", "Three", tree(f="3\n")),
        "two'": Commit("two'", ("main",), TOBIAS, "Two", tree(f="2\n")),
        "other'": Commit("other'", ("two'",), TOBIAS, "Other", tree(f="2\n", g="x\n")),
    }
    merged = MergedText((Hunk(("3\n",), ("2\n",), ("1\n",)),))
    stages = {1: tree(f="1\n")["f"], 2: tree(f="3\n")["f"], 3: tree(f="2\n")["f"]}
    conflict = Conflict("f", "contents", stages, merged)
    scenario = written()
    task = scenario.task[0]
    common: dict[str, Any] = {"task": 1, "operation": task}
    steps = []
    for name, base, ours, conflicts in (("two", "base", "main", (conflict,)), ("other", "two", "two'", ())):
        names = task.sides(commits[name].subject)
        steps.append(
            Step(
                **common, commit=name, label=name, ours=ours, theirs=name, base=base,
                ours_name=names[0], theirs_name=names[1],
                merge=MergeResult(commits[f"{name}'"].tree, conflicts),
                accepted={c.path: accepted_for(c, scenario, 1, name)[0] for c in conflicts},
                solved=commits[f"{name}'"].tree,
            )
        )  # fmt: skip
    history: History = unroll(scenario, "0")
    return Key(
        scenario=scenario, variant="0", history=history, ids=("base", "two", "other", "main"),
        handed_out=frozenset({"base", "two", "other", "main"}), commits=commits,
        refs={"refs/heads/main": "main", "refs/heads/work": "other"}, steps=tuple(steps),
        solved_tips={"main": "main", "work": "other'"},
        texts={blob.id: text.encode() for text in ("1\n", "2\n", "3\n", "x\n") for blob in tree(f=text).values()},
    )  # fmt: skip


def rebased(*made: tuple[str, str, str, dict[str, Blob]], tip: str | None = None, **more: Any) -> Evidence:
    """The learner's commits (id, parent, subject, tree) on `work`."""
    own = {id_: Commit(id_, (parent,), TOBIAS, subject, files) for id_, parent, subject, files in made}
    at = tip or (made[-1][0] if made else "other")
    evidence = Evidence(
        head="work",
        head_commit=at,
        refs={"refs/heads/main": "main", "refs/heads/work": at},
        commits=own,
        working=None,
    )
    return replace(evidence, **more)


# What Git makes of the second commit for somebody who came to it with the base's side of the first.
ASKED_AGAIN = MergeResult(tree(f="3\n", g="x\n"), ())

GOOD = (("a", "main", "Two", tree(f="2\n")), ("b", "a", "Other", tree(f="2\n", g="x\n")))


@pytest.mark.parametrize(
    ("evidence", "shapes", "lacking"),
    [
        (rebased(*GOOD), "replayed replayed", {}),
        (rebased(("a", "main", "Two", tree(f="3\n")), ("b", "a", "Other", tree(f="3\n", g="x\n")), merges={("a", "other"): ASKED_AGAIN}), "replayed replayed", {"resolution": "missed"}),
        (rebased(("b", "main", "Other", tree(f="3\n", g="x\n")), merges={("main", "other"): ASKED_AGAIN}), "skipped replayed", {"resolution": "missed"}),
        (rebased(("a", "main", "Two", tree(f="2\n"))), "replayed skipped", {"history": "partly"}),
        (rebased(*GOOD, ("c", "b", "Mend", tree(f="2\n", g="x\n", h="3\n"))), "replayed replayed", {"rest": "partly"}),
        (rebased(("a", "main", "All", tree(f="2\n", g="x\n"))), "skipped skipped", {"history": "missed"}),
        (rebased(("a", "base", "Two", tree(f="2\n"))), "none none", dict.fromkeys(("finished", "markers", "history", "resolution", "rest", "bystanders", "tidy"), "missed")),
        (rebased(), "none none", dict.fromkeys(("finished", "markers", "history", "resolution", "rest", "bystanders", "tidy"), "missed")),
    ],
)  # fmt: skip
def test_a_rebase(evidence: Evidence, shapes: str, lacking: dict[str, str]) -> None:
    found = locate(Submission(evidence, key()))
    assert " ".join(result.shape for result in found) == shapes
    result = assess(Submission(evidence, key()))
    told = {c.id: c.outcome.verdict for c in result.criteria if c.outcome.verdict in ("partly", "missed")}
    assert told == lacking, [c.outcome.because for c in result.criteria]


def test_a_file_that_conflicts_is_no_part_of_what_git_merges_by_itself() -> None:
    """It reads there as no side has it, and nobody knows how: else all its lines would count as taken out."""
    made = key()
    merge = MergeResult({"f": Blob(0o100644, "with markers")}, made.steps[0].merge.conflicts)
    _, by_git, *_ = step_parts(made.commits, made.texts, replace(made.steps[0], merge=merge))
    assert not by_git


def test_a_rebase_that_stopped_is_open_at_its_step() -> None:
    stopped = rebased(
        GOOD[0],
        tip="other",
        head=None,
        head_commit="a",
        pending=Pending("rebase", ("other",), 2, 2, "work", "main"),
        working=tree(f="2\n"),
    )
    assert [result.shape for result in locate(Submission(stopped, key()))] == ["replayed", "pending"]
    assert assess(Submission(stopped, key())).state == "open"


def test_git_is_asked_again_only_where_the_learner_came_with_something_else() -> None:
    wrong = rebased(("a", "main", "Two", tree(f="3\n")), ("b", "a", "Other", tree(f="3\n", g="x\n")))
    asked = [
        _asked(evidence) for evidence in (wrong, rebased(*GOOD), rebased(("a", "base", "Two", tree(f="2\n"))))
    ]
    assert asked == [[MergeRequest("a", "other", "two", ("HEAD", "other (Other)"), ("a", "other"))], [], []]


def _asked(evidence: Evidence) -> list[MergeRequest]:
    submission = Submission(evidence, key())
    return merges_needed(locate(submission), submission)


def test_difficulty_is_the_sum_of_its_reasons() -> None:
    found = difficulty(key())
    assert (found.points, found.level) == (4, "medium")
    assert {why: points for points, why in found.reasons} == {
        "1 conflicted file": 1, "1 hunk": 1, "ours and theirs are swapped in a rebase": 2,
    }  # fmt: skip
    quiet = replace(key(), steps=(replace(key().steps[1]),))
    assert difficulty(replace(quiet, steps=())).level == "none"


def test_graphs_have_a_lane_a_branch() -> None:
    before, after = handed_out(key()), wanted(key())
    assert after is not None
    assert before.lanes == ("main", "work")
    assert [(node.id, node.lane, node.branches, node.head) for node in before.nodes] == [
        ("base", 0, (), False), ("two", 1, (), False), ("other", 1, ("work",), True), ("main", 0, ("main",), False),
    ]  # fmt: skip
    assert [(node.id, node.lane, node.new) for node in after.nodes] == [
        ("base", 0, False), ("main", 0, False), ("two'", 1, True), ("other'", 1, True),
    ]  # fmt: skip
    assert after.nodes[-1].head


TASKS = {
    'do = "merge"\non = "main"\nbring = "work"\nfast_forward = "never"': (
        "merge work into main, with a merge commit",
        "ours (main)",
        "theirs (work)",
    ),
    'do = "merge"\non = "main"\nbring = "work"\nsquash = true\ndelete = "work"': (
        "merge work into main, squashed, then delete work",
        "ours (main)",
        "theirs (work)",
    ),
    'do = "rebase"\non = "work"\nonto = "main"': (
        "rebase work onto main",
        "ours (main, the new base)",
        'theirs (your commit "X")',
    ),
    'do = "cherry-pick"\non = "main"\npick = ["two"]': (
        "cherry-pick two onto main",
        "ours (main)",
        'theirs (the picked commit "X")',
    ),
    'do = "revert"\non = "work"\nundo = "two"': ("revert two on work", "ours (work)", 'theirs (before "X")'),
}


@pytest.mark.parametrize("asked", TASKS)
def test_tasks_in_words_and_their_sides(asked: str) -> None:
    start, rest = TEXT.split("[[task]]")
    found, problems = read_scenario(
        HEADER + start + f"[[task]]\n{asked}\n[[answer]]" + rest.split("[[answer]]")[1]
    )
    assert found is not None, problems
    assert (in_words(found.task[0]), *found.task[0].sides("X")) == TASKS[asked]


WRONG_TASKS = {
    'do = "merge"\non = "main"': '"bring" is missing',
    'do = "rebase"\non = "work"\nonto = "main"\npick = ["two"]': "rebase has no pick",
    'do = "merge"\non = "main"\nbring = "work"\nTask = "x"': '"Task" is no key here',
    'do = "pull"\non = "main"\nfrom = "main"\nby = ["merge"]': 'expected "merge" or "rebase", found ["merge"]',
    'do = "cherry-pick"\non = "main"\npick = ["tow"]': 'no commit is labelled "tow"',
    'do = "revert"\non = "main"\nundo = "tow"': 'no commit is labelled "tow"',
    'do = "pull"\non = "main"\nfrom = "main"\nby = "merge"': 'there is no branch "origin/main"',
    'do = "stash-pop"\non = "main"': "nothing is in the stash",
    'do = "merge"\non = "main"\nbring = "work"\npush = true': "there is no remote to push to",
    'do = "merge"\non = "main"\nbring = "work"\ndelete = "wrok"': 'there is no branch "wrok"',
    'do = "merge"\non = "main"\nbring = "main"': "main can't be brought into itself",
}


@pytest.mark.parametrize("asked", WRONG_TASKS)
def test_tasks_that_do_not_fit(asked: str) -> None:
    start, rest = TEXT.split("[[task]]")
    _, problems = read_scenario(
        HEADER + start + f"[[task]]\n{asked}\n[[answer]]" + rest.split("[[answer]]")[1]
    )
    assert WRONG_TASKS[asked] in [problem.what for problem in problems]


WRONG_STORIES = {
    'write = { "g" = "x\\n" }': ('rename = { "z" = "g" }', 'there is no file "z" on work by then'),
    'write = { "g" = "x\\n" }\n': ('executable = ["z"]\n', 'there is no file "z" on work by then'),
    'message = "Other"\nwrite = { "g" = "x\\n" }': (
        'message = "Other"\nbinary = { "g" = "%%%" }',
        "this is no base64",
    ),
    'message = "Other"': ('message = "Other"\npublish = ["wrok"]', 'there is no branch "wrok" to publish'),
    'message = "Two"': ('message = "Two"\nmerge = "wrok"', 'there is no branch "wrok" yet'),
    'message = "Three"': (
        'message = "Three"\ntake = "nowhere"',
        'there is no folder "nowhere" beside the scenario',
    ),
    'on = "main"\nby = "maren"\nmessage = "Three"': (
        'on = "origin/main"\nby = "maren"\nmessage = "Three"',
        "origin has no branch main yet",
    ),
    'message = "Three"\nwrite = { "f" = "3\\n" }': (
        'message = "Three"\nmerge = "work"\nwrite = { "f/x" = "3\\n" }',
        '"f/x" is no path for a file here: "f" is a file',
    ),
}


@pytest.mark.parametrize("find", WRONG_STORIES)
def test_stories_that_do_not_fit(find: str) -> None:
    put, says = WRONG_STORIES[find]
    text = HEADER + TEXT
    assert text.count(find) == 1
    _, problems = read_scenario(text.replace(find, put))
    assert says in [problem.what for problem in problems]


def test_files_that_git_sets_aside_bear_the_names_that_a_learner_sees() -> None:
    blob = tree(f="1\n")["f"]
    merge = MergeResult({"a~123": blob, "b": blob}, (Conflict("a~123", "file/directory", {2: blob}, None),))
    found = relabelled(merge, {"123": "feature/x"})
    assert list(found.tree) == ["a~feature_x", "b"]
    assert found.conflicts[0].path == "a~feature_x"
