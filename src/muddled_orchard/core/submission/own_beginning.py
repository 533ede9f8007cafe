"""A history that learners began themselves, with `git init`: it is judged from their own first commit on, as
others are from what was handed out."""

from __future__ import annotations

import re
from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.exercise.asked import Asked
from muddled_orchard.core.exercise.history import History, Person, PlannedCommit
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.refs import BRANCHES, TRACKING, branch_ref
from muddled_orchard.core.git.trees import File
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.submission.evidence import Evidence

_USUAL = ("main", "master")
"""What Git calls the first branch, as it is configured."""


class OwnBeginning(Struct, frozen=True):
    """With which commit a learner began, and their branch that stands for the one that the task names."""

    branch: str
    commit: Commit


def own_beginning(evidence: Evidence, on: str) -> OwnBeginning | None:
    """The first commit of the branch `on`, else of the one that Git names first, that is checked out, or
    comes first; None where there is no commit at all."""
    names = _branches(evidence, BRANCHES) or _branches(evidence, TRACKING)
    wanted = (on, *_USUAL, evidence.head, *sorted(names))
    branch = next((name for name in wanted if name in names), None) or on
    at = evidence.commits.get(names.get(branch) or evidence.head_commit or "")
    if at is None:
        return None
    seen = {at.id}
    while at.parents and at.parents[0] in evidence.commits and at.parents[0] not in seen:
        at = evidence.commits[at.parents[0]]
        seen.add(at.id)
    return OwnBeginning(branch, at)


def _branches(evidence: Evidence, prefix: str) -> Mapping[str, str]:
    return {name.removeprefix(prefix): id_ for name, id_ in evidence.refs.items() if name.startswith(prefix)}


def from_own_beginning(evidence: Evidence, key: Key) -> tuple[Evidence, Key]:
    """The evidence of such a history, and the key that it is held against: the learner's first commit counts
    as handed out. `evidence` has every commit and text; what it has too little of stays as it is."""
    began = own_beginning(evidence, key.scenario.task[0].on)
    if began is None:
        return evidence, key
    branch, first = began.branch, began.commit
    texts = {blob.id: evidence.texts[blob.id] for blob in first.tree.values() if blob.id in evidence.texts}
    files = {path: File(blob.mode, texts.get(blob.id, b"")) for path, blob in first.tree.items()}
    planned = PlannedCommit(
        branch=branch, parents=(), author=_person(first.author), time=first.time, offset=0,
        message=first.message, label=None, tree=files,
    )  # fmt: skip
    scenario = replace(key.scenario, task=tuple(replace(task, on=branch) for task in key.scenario.task))
    own = Key(
        scenario=scenario,
        variant=key.variant,
        history=History(commits=(planned,), tips={branch: 0}, checked_out=branch),
        ids=(first.id,),
        handed_out=frozenset((first.id,)),
        commits={first.id: first},
        refs={branch_ref(branch): first.id},
        steps=(),
        solved_tips={branch: first.id},
        texts=texts,
    )
    commits = {id_: commit for id_, commit in evidence.commits.items() if id_ != first.id}
    return replace(evidence, commits=commits), own


def asked_from_own_beginning(evidence: Evidence, asked: Asked) -> Asked:
    """The same for what a hand-out says is asked."""
    began = own_beginning(evidence, asked.tasks[0].on)
    if began is None:
        return asked
    tasks = tuple(replace(task, on=began.branch) for task in asked.tasks)
    return replace(asked, tasks=tasks, tips={began.branch: began.commit.id})


def _person(author: str) -> Person:
    found = re.fullmatch(r"(.*?) ?<([^<>]*)>", author, re.DOTALL)
    return Person(found[1], found[2]) if found else Person(author, "")
