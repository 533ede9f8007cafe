"""What each operation answers of a task, on plain data: commands, words, sides, commits that it names."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pytest

from muddled_orchard.core.exercise.asked import told_to_learners
from muddled_orchard.core.exercise.delivering import deletions_of, delivery_of, push_of
from muddled_orchard.core.exercise.operations import OPERATIONS, operation_of, with_tasks
from muddled_orchard.core.exercise.operations.accept import Accept
from muddled_orchard.core.exercise.operations.am import Am
from muddled_orchard.core.exercise.operations.cherry_pick import CherryPick
from muddled_orchard.core.exercise.operations.merge import Merge
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict
from muddled_orchard.core.exercise.operations.propose import ProposeByMerge, ProposeByRebase
from muddled_orchard.core.exercise.operations.pull import PullByMerge, PullByRebase
from muddled_orchard.core.exercise.operations.rebase import Rebase
from muddled_orchard.core.exercise.operations.reset import Reset
from muddled_orchard.core.exercise.operations.revert import Revert
from muddled_orchard.core.exercise.operations.stash_pop import StashPop
from muddled_orchard.core.exercise.planned import Replay
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.task import IN_ORDER, MessageRules, Task
from muddled_orchard.core.exercise.tasks import example_message, in_words
from muddled_orchard.core.git.commits import Commit, Commits
from muddled_orchard.show.json.writing import shaped
from tests.found import FOUND

IDS = {"fix": "a" * 40, "typo": "b" * 40, "old": "c" * 40}

# A task; what begins it; what completes it when all is staged; what is asked, in words; ours and theirs.
TASKS: dict[str, tuple[Task, str, str, str, str]] = {
    "merge": (Merge(do="merge", on="main", bring="side"), "merge side", "commit --no-edit", "merge side into main", "ours (main), theirs (side)"),
    "squash": (Merge(do="merge", on="main", bring="side", squash=True), "merge --squash side", "commit --no-edit", "merge side into main, squashed", "ours (main), theirs (side)"),
    "no fast-forward": (Merge(do="merge", on="main", bring="side", fast_forward="never"), "merge --no-ff side", "commit --no-edit", "merge side into main, with a merge commit", "ours (main), theirs (side)"),
    "rebase": (Rebase(do="rebase", on="side", onto="main"), "rebase main", "rebase --continue", "rebase side onto main", 'ours (main, the new base), theirs (your commit "X")'),
    "rebase of a part": (Rebase(do="rebase", on="side", onto="main", since="old"), f"rebase --onto main {'c' * 40}", "rebase --continue", "rebase side onto main, only what came after old", 'ours (main, the new base), theirs (your commit "X")'),
    "a list": (Rebase(do="rebase", on="side", onto="main", todo=("pick fix", "fixup typo")), "rebase -i main", "rebase --continue", "rebase side onto main, so that its list reads: pick fix, fixup typo", 'ours (main, the new base), theirs (your commit "X")'),
    "picks": (CherryPick(do="cherry-pick", on="main", pick=("fix", "typo")), f"cherry-pick {'a' * 40} {'b' * 40}", "cherry-pick --continue", "cherry-pick fix and typo onto main", 'ours (main), theirs (the picked commit "X")'),
    "revert": (Revert(do="revert", on="main", undo="old"), f"revert {'c' * 40}", "revert --continue", "revert old on main", 'ours (main), theirs (before "X")'),
    "revert of a merge": (Revert(do="revert", on="main", undo="old", parent=1), f"revert -m 1 {'c' * 40}", "revert --continue", "revert old on main", 'ours (main), theirs (before "X")'),
    "pull by merge": (PullByMerge(do="pull", on="main", from_="main", by="merge"), "pull --no-rebase origin main", "commit --no-edit", "pull origin/main into main, by merge", "ours (main), theirs (origin/main)"),
    "pull by rebase": (PullByRebase(do="pull", on="main", from_="main", by="rebase"), "pull --rebase origin main", "rebase --continue", "pull origin/main into main, by rebase", 'ours (origin/main, the new base), theirs (your commit "X")'),
    "stash": (StashPop(do="stash-pop", on="main"), "stash pop", "stash drop", "pop the stash on main", "ours (main), theirs (your stashed work)"),
    "reset": (Reset(do="reset", on="main", to="old"), f"reset --hard {'c' * 40}", "", "set main back to old", "ours (main), theirs (old)"),
    "patches": (Am(do="am", on="main", patches=("fix",)), "am --3way -- ../patches.mbox", "am --continue", "apply the patch fix to main", 'ours (main), theirs (the patch "X")'),
    "proposal by merge": (ProposeByMerge(do="propose", on="side", to="main"), "merge main", "commit --no-edit", "propose side for main, brought up to date with it by a merge", "ours (side), theirs (main)"),
    "proposal by rebase": (ProposeByRebase(do="propose", on="side", to="main", by="rebase"), "rebase main", "rebase --continue", "propose side for main, brought up to date with it by a rebase", 'ours (main, the new base), theirs (your commit "X")'),
    "accept": (Accept(do="accept", on="main", bring="side"), "merge --no-ff side", "commit --no-edit", "accept side into main, with a merge commit", "ours (main), theirs (side)"),
    "own": (OwnConflict(do="own-conflict", on="main", conflicts=2, by=("merge", "revert")), "switch -c my-side", "merge --continue", "make 2 conflicts of your own by a merge or a revert, and resolve them", "ours, theirs"),
}  # fmt: skip


@pytest.mark.parametrize("name", TASKS)
def test_what_is_typed_and_said(name: str) -> None:
    task, begin, complete, said, sides = TASKS[name]
    assert " ".join(task.begin(IDS)) == begin
    assert " & ".join(" ".join(words) for words in task.complete(None, emptied=False)) == complete
    assert task.phrase(task.on, task.source) == said
    assert ", ".join(task.sides("X")) == sides


def test_every_operation_is_among_them_and_its_keys_have_their_place() -> None:
    every = {kind for ways in OPERATIONS.values() for kind in ways.values()}
    assert {type(task) for task, *_ in TASKS.values()} == every
    assert {key for kind in every for key in kind.__struct_fields__} == set(IN_ORDER)


@pytest.mark.parametrize("name", TASKS)
def test_labels_can_be_told_by_other_names(name: str) -> None:
    task = TASKS[name][0]
    again = task.relabelled({label: f"<{label}>" for label in IDS})
    assert [*again.labels] == [f"<{label}>" for label in task.labels]
    assert (again.begin({f"<{label}>": id_ for label, id_ in IDS.items()})) == task.begin(IDS)


def test_what_a_task_leaves_is_one_of_a_few_kinds() -> None:
    answers = ("joins", "replays_own", "adds_commits", "stays_uncommitted", "sets_back", "makes_own")
    for name, (task, *_) in TASKS.items():
        assert sum(getattr(task, answer) for answer in answers) == 1, name
        assert task.leaves_commits == (not task.stays_uncommitted and not task.sets_back), name
        assert task.rewrites_branch == (task.replays_own or task.sets_back), name
        assert task.replays_always == (name in ("a list", "rebase of a part")), name


def test_a_message_is_said_where_git_takes_it() -> None:
    merge, squash, pick = (TASKS[name][0] for name in ("merge", "squash", "picks"))
    assert merge.begin(IDS, said="Why") == ("merge", "-m", "Why", "side")
    assert squash.begin(IDS, said="Why") == ("merge", "--squash", "side"), "it is said with the commit"
    assert squash.complete("Why", emptied=False) == (("commit", "-m", "Why"),)
    assert pick.complete("Why", emptied=False)[0] == ("commit", "--allow-empty", "-m", "Why")
    assert pick.complete(None, emptied=True) == (("cherry-pick", "--skip"),)


PARENTS = {"fix": ("p",), "typo": ("fix",), "old": ("p", "q"), "stash": ("typo",), "root": ()}


class Plan:
    """A repository in which every label is its own commit."""

    def __init__(self) -> None:
        self.commits: Commits = {
            name: Commit(name, parents, "Ilse Korn <ilse@orchard.example>", name, {})
            for name, parents in PARENTS.items()
        }

    def labelled(self, label: str) -> str:
        return label

    def stashed(self) -> str:
        return "stash"

    def to_replay(self, onto: str, branch: str) -> Sequence[str]:  # noqa: ARG002
        return ["root", "fix", "typo"]

    def to_replay_since(self, id_: str, branch: str) -> Sequence[str]:  # noqa: ARG002
        return ["typo"]


@pytest.mark.parametrize(
    ("name", "replays"),
    [
        ("merge", []), ("pull by merge", []), ("reset", []),
        ("rebase", [("p", "fix", "fix"), ("fix", "typo", "typo")]),  # the first commit of all has no base
        ("pull by rebase", [("p", "fix", "fix"), ("fix", "typo", "typo")]),
        ("rebase of a part", [("fix", "typo", "typo")]),
        ("a list", [("p", "fix", "fix"), ("fix", "typo", "typo")]),
        ("picks", [("p", "fix", "fix"), ("fix", "typo", "typo")]),
        ("patches", [("p", "fix", "fix")]),
        ("revert", [("old", "p", "old")]),
        ("revert of a merge", [("old", "p", "old")]),
        ("stash", [("typo", "stash", "stash")]),
    ],
)  # fmt: skip
def test_what_is_replayed(name: str, replays: list[tuple[str, str, str]]) -> None:
    assert [*TASKS[name][0].replays(Plan())] == [Replay(*one) for one in replays]


def test_a_table_says_which_operation_it_is() -> None:
    assert operation_of({"do": "pull", "by": "rebase"}) is PullByRebase
    assert operation_of({"do": "pull", "by": 3}) is PullByMerge, "any way tells what is wrong with it"
    assert [operation_of(data) for data in ({}, {"do": "mrge"}, "merge", None)] == [None] * 4
    story = [{"on": "main", "by": "m", "message": "x"}]
    read = with_tasks(Scenario, {"story": story, "task": [{"do": "merge", "bring": "a"}]}, "task")
    assert read.task == (Merge(do="merge", bring="a"),)


def test_findings_are_brought_into_the_shape_of_an_output() -> None:
    """By the attributes of what has them, the first that does; what is given besides goes before."""
    found = next(iter(FOUND.values()))

    class Other:
        said = "other"
        count = 2

    from msgspec import Struct

    class Out(Struct, rename={"said": "text"}):
        said: str
        count: int

    assert shaped(Out, found, Other(), count=7) == Out(found.said, 7)
    assert shaped(Out, Other()) == Out("other", 2)


def merge(on: str = "main", bring: str = "side", **more: Any) -> Task:
    return Merge(do="merge", on=on, bring=bring, **more)


def rebased(on: str = "side", onto: str = "main", **more: Any) -> Task:
    return Rebase(do="rebase", on=on, onto=onto, **more)


# Tasks; the branches that the remote has at first; what the last of them pushes, and what it deletes.
DELIVERED: dict[str, tuple[list[Task], set[str], str, list[str]]] = {
    "nothing": ([merge()], {"main"}, "", []),
    "a merge": ([merge(push=True)], {"main"}, "push origin main", []),
    "a rebase of what is there": ([rebased(push=True)], {"side"}, "push --force-with-lease origin side", []),
    "a rebase of what is not": ([rebased(push=True)], {"main"}, "push origin side", []),
    "a rebase, pushed by a later task": ([rebased(), merge("side", "other", push=True)], {"side"}, "push --force-with-lease origin side", []),
    "a rebase, pushed before": ([rebased(push=True), merge("side", "other", push=True)], {"side"}, "push origin side", []),
    "a rebase that was given up": ([rebased(abort=True), merge("side", "other", push=True)], {"side"}, "push origin side", []),
    "a pull onto what is there": ([PullByRebase(do="pull", on="main", from_="main", by="rebase", push=True)], {"main"}, "push origin main", []),
    "a deletion here": ([merge(delete="side")], {"main"}, "", ["branch -d side"]),
    "a deletion there, too": ([merge(delete="side", push=True)], {"main", "side"}, "push origin main", ["branch -d side", "push origin --delete side"]),
    "a deletion of what was pushed meanwhile": ([merge("side", "main", push=True), merge(delete="side")], set(), "", ["branch -d side", "push origin --delete side"]),
}  # fmt: skip


@pytest.mark.parametrize("name", DELIVERED)
def test_what_is_pushed_and_deleted(name: str) -> None:
    tasks, remote, push, deletions = DELIVERED[name]
    assert " ".join(push_of(tasks, len(tasks), remote) or ()) == push
    assert [" ".join(words) for words in deletions_of(tasks, len(tasks), remote)] == deletions
    wanted = delivery_of(tasks, remote)
    assert wanted.deleted == {task.delete for task in tasks if task.delete}
    assert wanted.pushed == {task.on for task in tasks if task.push} - wanted.deleted
    assert wanted.deleted_there == {words.split()[-1] for words in deletions if "--delete" in words}


def test_what_is_asked_in_words_for_authors_and_for_learners() -> None:
    asked = {
        "merge side into main, with a message in your own words, then push and delete side": merge(
            message="own", push=True, delete="side"
        ),
        "rebase side onto main, and give it up again at the first conflict": rebased(abort=True),
        'merge side into main, with a message with "why"': merge(message=MessageRules(has="why")),
    }
    assert {in_words(task): task for task in asked.values()} == asked
    assert in_words(merge(), "<{}>".format) == "merge <side> into <main>"
    picked = TASKS["picks"][0]
    assert told_to_learners(picked, {"fix": "Mend it", "typo": "A word"}) == (
        'cherry-pick "Mend it" and "A word" onto main'
    )
    listed = TASKS["a list"][0]
    assert told_to_learners(listed, dict.fromkeys(("fix", "typo"), "X")) == (
        "rebase side onto main, with its list as the brief asks"
    ), "the list is theirs to find"
    ruled = merge(message=MessageRules(has="why"))
    assert told_to_learners(ruled, {}) == "merge side into main, with a message as the brief asks"


def test_an_example_message_holds_what_is_asked() -> None:
    assert example_message(merge()) is None
    assert example_message(merge(message="own")) == "Bring in what side has, as the brief says"
    assert (
        example_message(merge(message=MessageRules(has=("why", "who")))) == "Bring in what side has: why, who"
    )
    assert example_message(merge(message=MessageRules(has="x", text="Mine: x"))) == "Mine: x"
    long = example_message(merge(message=MessageRules(has="y" * 80)))
    assert long == f"Bring in what was asked\n\n{'y' * 80}"
