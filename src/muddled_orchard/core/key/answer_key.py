"""The answer key of one variant: what was handed out, what will conflict, and what is accepted."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from msgspec import Struct, field

from muddled_orchard.core.base.problems import Problem, likely
from muddled_orchard.core.exercise.asked import told_to_learners
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.commits import Commit, Commits
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.key.accepted import Accepted, Decisions, decisions_in
from muddled_orchard.core.merging.conflict import MergeResult

if TYPE_CHECKING:
    from muddled_orchard.core.key.graph import Graph


class Step(Struct, frozen=True, kw_only=True):
    """One three-way merge of the asked operations: a merge as a whole, or one replayed commit.

    `task` counts from 1. `commit` is the commit that is replayed, undone or popped, `label` its label, and
    `base` the commit from which its change is taken; all are None in a merge. `ours` and `theirs` are the
    commits that meet when everything before was solved by the key; `ours_name` and `theirs_name` tell people
    who they are. `solved` is the tree that then comes out, `clean_merge_fixes` the files that merge cleanly
    and are to be changed all the same, with what is accepted of each. `fast_forward`: nothing needs to be
    merged. `given_up`: the step at whose conflict its operation is to be given up again; nothing is merged
    then. `into`: the replayed commit that it becomes a part of.
    """

    task: int
    operation: Task
    commit: str | None = None
    label: str | None = None
    ours: str
    theirs: str
    base: str | None = None
    ours_name: str
    theirs_name: str
    merge: MergeResult
    accepted: Mapping[str, tuple[Accepted, ...]]
    solved: Tree
    clean_merge_fixes: Mapping[str, tuple[Accepted, ...]] = field(default_factory=dict)
    fast_forward: bool = False
    given_up: Step | None = None
    into: str | None = None

    @property
    def makes_no_commit(self) -> bool:
        """Whether it is to leave no new commit: it is given up, or sets its branch to another commit."""
        return self.given_up is not None or self.operation.sets_back

    @property
    def merges_branches(self) -> bool:
        """Whether it is a merge of two branches that is to stay, and no replay of a commit."""
        return self.operation.joins and not self.makes_no_commit

    @property
    def decisions(self) -> Decisions:
        """What its conflicts ask for, where the key accepts anything."""
        conflicts = self.merge.conflicts
        decisionss = (decisions_in(conflict, self.accepted.get(conflict.path, ())) for conflict in conflicts)
        return sum(decisionss, Decisions())

    def becomes_empty(self, commits: Commits) -> bool:
        """Whether nothing new is left of it when it is solved by the key."""
        return self.solved == commits[self.ours].tree


class Key(Struct, frozen=True, kw_only=True, dict=True):
    """Everything that grading one variant needs.

    `commits` and `refs` (full names) are what was handed out, `commits` also holds the commits of a
    solution by the key; `handed_out` tells them apart. `ids` are the ids of the story's commits in the
    order of `history.commits`, `solved_tips` where the branches stand after the solution. `texts` are
    the contents by blob id.
    """

    scenario: Scenario
    variant: str
    history: History
    ids: tuple[str, ...]
    handed_out: frozenset[str]
    commits: Mapping[str, Commit]
    refs: Mapping[str, str]
    steps: tuple[Step, ...]
    solved_tips: Mapping[str, str]
    texts: Mapping[str, bytes]

    @cached_property
    def makes_own(self) -> bool:
        """Whether the learner makes the conflicts; it is asked many times for every submission."""
        return self.scenario.makes_own

    @cached_property
    def graph_after(self) -> Graph | None:
        """The graph after a solution, to be kept with every result that is held against this key; None where
        it is too large, or the learner's own."""
        from muddled_orchard.core.key.graph import compact, wanted  # it knows keys

        graph = wanted(self)
        return compact(graph) if graph is not None else None

    def told(self, task: Task) -> str:
        """What a task asks, in words for learners."""
        labelled = zip(self.history.commits, self.ids, strict=True)
        subjects = {commit.label: self.commits[id_].subject for commit, id_ in labelled if commit.label}
        return told_to_learners(task, subjects)


def hidden_paths(key: Key, step: Step, done: Collection[int] | None = None) -> frozenset[str]:
    """The paths whose content can't be told at a step, since it becomes a part of a commit, or others become
    a part of its own: what a later one of these touches, and what an earlier one has decided. `done` are the
    places of the steps that were carried out (None: all)."""
    lead = step.into or step.commit
    group = [other for other in key.steps if lead in (other.commit, other.into) and other.task == step.task]
    if len(group) < 2:
        return frozenset()
    at = group.index(step)
    later = [other for other in group[at + 1 :] if done is None or key.steps.index(other) in done]
    touched = {path for other in later for path in touched_paths(key, other)}
    decided = {conflict.path for other in group[:at] for conflict in other.merge.conflicts}
    return frozenset(touched | (decided - touched_paths(key, step)))


def touched_paths(key: Key, step: Step) -> set[str]:
    """The paths that a replayed commit changes."""
    before, after = (key.commits[id_].tree if id_ else {} for id_ in (step.base, step.theirs))
    return {path for path in {*before, *after} if before.get(path) != after.get(path)}


def unused_answers(scenario: Scenario, steps: Sequence[Step]) -> Iterator[Problem]:
    """Answers for files that do not conflict where they say."""
    for number, answer in enumerate(scenario.answer):
        here = [step for step in steps if answer.task in (None, step.task)]
        here = [step for step in here if answer.commit in (None, step.label)]
        paths = {conflict.path for step in here for conflict in step.merge.conflicts}
        fixed = {path for step in here for path in step.clean_merge_fixes}
        changed = {change.file or answer.file for change in answer.change} if answer.keep is None else set()
        if answer.file not in paths | fixed and not (changed and changed <= paths | fixed):
            given_up = [
                step.task
                for step in steps
                if step.given_up is not None and step.given_up.merge.conflict(answer.file) is not None
            ]
            if given_up and answer.task is None:
                what = f"{answer.file} conflicts only in task {given_up[0]}, which is to be given up"
                yield Problem(what, "Leave this answer out.", ("answer", number, "file"))
                continue
            where = f" in task {answer.task}" if answer.task else ""
            where += f' at "{answer.commit}"' if answer.commit else ""
            yield Problem(
                f"{answer.file} does not conflict{where}",
                likely(answer.file, paths) or "Nothing conflicts there.",
                ("answer", number, "file"),
            )
