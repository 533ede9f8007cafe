"""Make answer keys: build a variant's story in a workshop and ask Git what its tasks will meet.

A workshop is one bare repository of ours for a whole run. All variants are built into it and all their
meetings asked in one call for each round of tasks, so a key costs little more than writing its objects.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

import pygit2

from muddled_orchard.core.key import (
    Accepted,
    Key,
    Step,
    accepted_for,
    blob_mode,
    solved_conflict,
    unused_answers,
)
from muddled_orchard.core.meeting import Blob, Meeting
from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.core.repository import Commit, contains
from muddled_orchard.core.scenario import Scenario, Task
from muddled_orchard.core.story import History, unroll
from muddled_orchard.core.variant import variant_of
from muddled_orchard.vcs.build import new_repository, write_history, write_tree
from muddled_orchard.vcs.predict import content, predict


class Workshop:
    """The bare repository in which stories are built and meetings are asked."""

    def __init__(self, folder: Path) -> None:
        self.gitdir = folder
        self.repo = new_repository(folder, bare=True)

    @property
    def objects(self) -> Path:
        """Where the objects of everything that was handed out lie."""
        return self.gitdir / "objects"


@dataclass(slots=True)
class _Draft:
    """A key in the making."""

    scenario: Scenario
    code: str
    commits: dict[str, Commit]
    refs: dict[str, str]
    tips: dict[str, str]
    handed_out: frozenset[str]
    texts: dict[str, bytes]
    head: str
    steps: list[Step] = field(default_factory=list)
    meetings: dict[int, Meeting] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)


def make_keys(workshop: Workshop, wanted: Sequence[tuple[Scenario, str]]) -> list[Key | BadInput]:
    """The key of each (scenario as written, variant code), in order; BadInput where one can't be made."""
    drafts: list[_Draft | BadInput] = []
    for scenario, code in wanted:
        try:
            varied = variant_of(scenario, code)
            drafts.append(_begun(workshop.repo, varied, code, unroll(varied, code)))
        except BadInput as bad:
            drafts.append(bad)
    good = [draft for draft in drafts if isinstance(draft, _Draft)]
    for number in range(max((len(draft.scenario.task) for draft in good), default=0)):
        round_ = [draft for draft in good if number < len(draft.scenario.task)]
        asked = [draft.scenario.task[number] for draft in round_]
        pairs = [(d.tips[task.on], d.tips[task.bring]) for d, task in zip(round_, asked, strict=True)]
        meetings = dict(
            zip(dict.fromkeys(pairs), predict(workshop.repo, list(dict.fromkeys(pairs))), strict=True)
        )
        for draft, task, pair in zip(round_, asked, pairs, strict=True):
            _add_step(workshop.repo, draft, number + 1, task, meetings[pair])
    return [draft if isinstance(draft, BadInput) else _finished(draft) for draft in drafts]


def make_key(workshop: Workshop, scenario: Scenario, code: str) -> Key:
    """The key of one variant; raises BadInput where it can't be made."""
    (made,) = make_keys(workshop, [(scenario, code)])
    if isinstance(made, BadInput):
        raise made
    return made


def _begun(repo: pygit2.Repository, scenario: Scenario, code: str, history: History) -> _Draft:
    ids = write_history(repo, history)
    texts: dict[str, bytes] = {}
    commits = {}
    for id_, planned in zip(ids, history.commits, strict=True):
        tree = {}
        for path, file in sorted(planned.tree.items()):
            blob = str(pygit2.hash(file.data))
            tree[path] = Blob(file.mode, blob)
            texts[blob] = file.data
        parents = tuple(ids[parent] for parent in planned.parents)
        author = f"{planned.author.name} <{planned.author.email}>"
        commits[id_] = Commit(id_, parents, author, planned.message, tree)
    tips = {branch: ids[number] for branch, number in history.tips.items()}
    refs = {f"refs/heads/{branch}": id_ for branch, id_ in tips.items()}
    return _Draft(
        scenario, code, commits, refs, dict(tips), frozenset(ids), texts, f"refs/heads/{history.checked_out}"
    )


def _add_step(repo: pygit2.Repository, draft: _Draft, number: int, task: Task, meeting: Meeting) -> None:
    ours, theirs = draft.tips[task.on], draft.tips[task.bring]
    read_texts(repo, draft.texts, meeting)
    accepted: dict[str, tuple[Accepted, ...]] = {}
    solved = dict(meeting.tree)
    for conflict in meeting.conflicts:
        accepted[conflict.path], problems = accepted_for(conflict, draft.scenario, number)
        draft.problems += problems
        content = solved_conflict(conflict, accepted[conflict.path], draft.texts)
        solved.pop(conflict.path, None)
        if content is not None:
            id_ = str(repo.create_blob(content))
            draft.texts[id_] = content
            solved[conflict.path] = Blob(blob_mode(conflict), id_)
    fast_forward = contains(draft.commits, theirs, ours)
    if fast_forward or contains(draft.commits, ours, theirs):
        result = theirs if fast_forward else ours
    else:
        result = _merge_commit(repo, draft, solved, ours, theirs)
    draft.tips[task.on] = result
    draft.meetings[number] = meeting
    draft.steps.append(
        Step(
            task=number,
            operation=task,
            ours=ours,
            theirs=theirs,
            meeting=meeting,
            accepted=accepted,
            solved=solved,
            fast_forward=fast_forward,
        )
    )


def _merge_commit(
    repo: pygit2.Repository, draft: _Draft, solved: dict[str, Blob], ours: str, theirs: str
) -> str:
    tree = write_tree(repo, {path: (blob.mode, blob.id) for path, blob in solved.items()})
    key = pygit2.Signature("Key", "key@orchard.example", int(draft.scenario.starts.timestamp()), 0)
    id_ = str(repo.create_commit(None, key, key, "Solved by the key\n", tree, [ours, theirs]))
    draft.commits[id_] = Commit(
        id_, (ours, theirs), "Key <key@orchard.example>", "Solved by the key\n", solved
    )
    return id_


def read_texts(repo: pygit2.Repository, texts: dict[str, bytes], meeting: Meeting) -> None:
    """Add the contents of a meeting's files that aren't known yet."""
    conflicted = {conflict.path for conflict in meeting.conflicts}
    for path, blob in meeting.tree.items():
        if path not in conflicted and blob.id not in texts:
            texts[blob.id] = content(repo, blob.id)


def _finished(draft: _Draft) -> Key | BadInput:
    problems = [*draft.problems, *unused_answers(draft.scenario, draft.meetings)]
    if problems:
        return BadInput(problems)
    return Key(
        scenario=draft.scenario,
        variant=draft.code,
        handed_out=draft.handed_out,
        commits=draft.commits,
        refs=draft.refs,
        head=draft.head,
        steps=tuple(draft.steps),
        texts=draft.texts,
    )
