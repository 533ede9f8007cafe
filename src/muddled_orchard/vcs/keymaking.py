"""Make answer keys: build a variant's story in a workshop and ask Git what its tasks will meet.

A workshop is one bare repository of ours for a whole run. All variants are built into it. Each key is
played through by a generator that asks for one meeting at a time; the generators of all keys go in step, so
that Git is asked once for the next meeting of all of them.
"""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import pygit2

from muddled_orchard.core.history import History, PlannedCommit
from muddled_orchard.core.key import (
    Accepted,
    Key,
    Step,
    accepted_for,
    blob_mode,
    mended_files,
    solved_conflict,
    unused_answers,
)
from muddled_orchard.core.meeting import Blob, Meeting, relabelled
from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.core.repository import Commit, Tree, contains
from muddled_orchard.core.scenario import Scenario, Task
from muddled_orchard.core.story import unroll
from muddled_orchard.core.story_files import PLAIN_FILE, Files
from muddled_orchard.core.tasks import side_names, source_of
from muddled_orchard.core.variants import Variants
from muddled_orchard.vcs import git
from muddled_orchard.vcs.build import new_repository, write_planned
from muddled_orchard.vcs.memory import Objects, pack_file
from muddled_orchard.vcs.predict import content, predict

LEARNER = "the learner <learner@orchard.example>"
"""Who makes the commits of a solution that have no author of their own."""

_MOST_MEETINGS = 2_000
_MOST_TREES = 10_000

Pair = tuple[str, str]
_Playing = Generator[Pair, Meeting, None]


@dataclass(frozen=True, slots=True)
class _MadeTree:
    """A tree as it was planned, its id, what it lists, and the contents by blob id."""

    files: Files
    id: str
    tree: Tree
    texts: dict[str, bytes]


class Workshop:
    """The bare repository in which stories are built and meetings are asked.

    What is made goes to `objects`, and from there to `repo` on the disk when Git is asked something. Of
    variants with the same values Git is asked once: what they meet differs in the ids of commits alone.
    """

    def __init__(self, folder: Path) -> None:
        self.gitdir = folder
        self.repo = new_repository(folder, bare=True)
        self.objects = Objects()
        self._variants: dict[str, Variants] = {}
        self._trees: dict[int, _MadeTree] = {}
        self.meetings: dict[tuple[object, ...], tuple[Pair, Meeting]] = {}
        self.replays: dict[tuple[object, ...], tuple[int, ...]] = {}

    def tree(self, planned: PlannedCommit) -> _MadeTree:
        """A planned commit's tree, made once for all variants that have the same."""
        known = self._trees.get(id(planned.tree))
        if known is None or known.files is not planned.tree:
            tree, texts = {}, {}
            for path, file in sorted(planned.tree.items()):
                blob = self.objects.blob(file.data)
                tree[path] = Blob(file.mode, blob)
                texts[blob] = file.data
            id_ = self.objects.tree({path: (blob.mode, blob.id) for path, blob in tree.items()})
            if len(self._trees) > _MOST_TREES:
                self._trees.clear()
            known = self._trees[id(planned.tree)] = _MadeTree(planned.tree, id_, tree, texts)
        return known

    def variants(self, scenario: Scenario) -> Variants:
        """The variants of a scenario, remembered from one call to the next."""
        known = self._variants.get(scenario.id)
        if known is None or known.scenario is not scenario:
            known = self._variants[scenario.id] = Variants(scenario)
        return known

    def flush(self) -> None:
        """Put everything where Git can read it. Call before any `git` process works in it."""
        if self.objects.held:
            git.index_pack(self.gitdir, pack_file(self.objects.held.values()))
            self.objects.held.clear()

    def predict(self, pairs: Sequence[Pair]) -> list[Meeting]:
        """The meeting of each pair (ours, theirs) of commits, in order."""
        self.flush()
        return predict(self.repo, pairs)


@dataclass(slots=True)
class _Draft:
    """A key in the making. `tips` are branches (of the remote with `origin/`) as the tasks move them.

    `memo` is what it has in common with variants that meet the same (None: with nobody); `asked` counts its
    meetings.
    """

    scenario: Scenario
    code: str
    history: History
    ids: dict[int, str]
    commits: dict[str, Commit]
    refs: dict[str, str]
    tips: dict[str, str]
    texts: dict[str, bytes]
    memo: tuple[object, ...] | None = None
    asked: int = 0
    steps: list[Step] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)


def make_keys(workshop: Workshop, wanted: Sequence[tuple[Scenario, str]]) -> list[Key | BadInput]:
    """The key of each (scenario as written, variant code), in order; BadInput where one can't be made."""
    drafts: list[_Draft | BadInput] = []
    for scenario, code in wanted:
        try:
            variants = workshop.variants(scenario)
            variant = variants.of(code)
        except BadInput as bad:
            drafts.append(bad)
            continue
        draft = _begun(workshop, variant.scenario, code, variant.history)
        # The object itself and not its name: another scenario of that id must not get this one's meetings.
        draft.memo = (variants, variant.values)
        drafts.append(draft)
    return _played(workshop, drafts)


def keys_of_varied(workshop: Workshop, wanted: Sequence[tuple[Scenario, str]]) -> list[Key | BadInput]:
    """The same for scenarios that have their values already."""
    drafts: list[_Draft | BadInput] = []
    for scenario, code in wanted:
        try:
            drafts.append(_begun(workshop, scenario, code, unroll(scenario, code)))
        except BadInput as bad:
            drafts.append(bad)
    return _played(workshop, drafts)


def _played(workshop: Workshop, drafts: Sequence[_Draft | BadInput]) -> list[Key | BadInput]:
    _play_all(workshop, [(draft, _play(workshop, draft)) for draft in drafts if isinstance(draft, _Draft)])
    return [draft if isinstance(draft, BadInput) else _finished(draft) for draft in drafts]


def make_key(workshop: Workshop, scenario: Scenario, code: str) -> Key:
    """The key of one variant; raises BadInput where it can't be made."""
    (made,) = make_keys(workshop, [(scenario, code)])
    if isinstance(made, BadInput):
        raise made
    return made


def _play_all(workshop: Workshop, playing: Sequence[tuple[_Draft, _Playing]]) -> None:
    """Answer what all of them ask, one round after the other."""
    asking = [(draft, one, pair) for draft, one in playing if (pair := next(one, None)) is not None]
    while asking:
        answers = _meetings(workshop, [(draft, pair) for draft, _, pair in asking])
        following = []
        for (draft, one, _), meeting in zip(asking, answers, strict=True):
            draft.asked += 1
            try:
                following.append((draft, one, one.send(meeting)))
            except StopIteration:
                continue
        asking = following


def _meetings(workshop: Workshop, asked: Sequence[tuple[_Draft, Pair]]) -> list[Meeting]:
    """What each draft meets next: of those that have the same in common, Git is asked for one."""
    memos = [(*draft.memo, draft.asked) if draft.memo else pair for draft, pair in asked]
    new = {memo: pair for memo, (_, pair) in zip(memos, asked, strict=True) if memo not in workshop.meetings}
    found = workshop.predict(list(new.values()))
    if len(workshop.meetings) > _MOST_MEETINGS:
        workshop.meetings.clear()
        return _meetings(workshop, asked)
    workshop.meetings.update({memo: (new[memo], meeting) for memo, meeting in zip(new, found, strict=True)})
    answers = []
    for memo, (_, pair) in zip(memos, asked, strict=True):
        first, meeting = workshop.meetings[memo]
        answers.append(meeting if first == pair else relabelled(meeting, dict(zip(first, pair, strict=True))))
    return answers


def _begun(workshop: Workshop, scenario: Scenario, code: str, history: History) -> _Draft:
    ids: dict[int, str] = {}
    texts: dict[str, bytes] = {}
    commits = {}
    for number, planned in enumerate(history.commits):
        made = workshop.tree(planned)
        texts |= made.texts
        ids[number] = write_planned(workshop.objects, history, number, made.id, ids)
        parents = tuple(ids[parent] for parent in planned.parents)
        author = f"{planned.author.name} <{planned.author.email}>"
        commits[ids[number]] = Commit(ids[number], parents, author, planned.message, made.tree)
    refs = {f"refs/heads/{branch}": ids[number] for branch, number in history.tips.items()}
    refs |= {f"refs/remotes/origin/{branch}": ids[number] for branch, number in history.tracked.items()}
    tips = {branch: ids[number] for branch, number in history.tips.items()}
    tips |= {f"origin/{branch}": ids[number] for branch, number in history.remote.items()}
    return _Draft(scenario, code, history, ids, commits, refs, tips, texts)


def _play(workshop: Workshop, draft: _Draft) -> _Playing:
    """Carry out every task by the key, asking for each meeting on the way."""
    for number, task in enumerate(draft.scenario.task, start=1):
        if task.do == "merge" or (task.do == "pull" and task.by == "merge"):
            yield from _merge(workshop, draft, number, task)
        else:
            for base, theirs, original in _replays(workshop, draft, task):
                yield from _replay(workshop, draft, number, task, base, theirs, original)
        if task.push:
            draft.tips[f"origin/{task.on}"] = draft.tips[task.on]


def _merge(workshop: Workshop, draft: _Draft, number: int, task: Task) -> _Playing:
    ours, theirs = draft.tips[task.on], draft.tips[source_of(task) or ""]
    meeting = relabelled((yield ours, theirs), {ours: "HEAD", theirs: source_of(task) or ""})
    fast_forward = contains(draft.commits, theirs, ours)
    step = _step(workshop, draft, number, task, ours, theirs, meeting, None)
    step = replace(step, fast_forward=fast_forward)
    draft.steps.append(step)
    if contains(draft.commits, ours, theirs):
        return
    if fast_forward and task.fast_forward != "never" and not task.squash:
        draft.tips[task.on] = theirs
    else:
        parents = (ours,) if task.squash else (ours, theirs)
        said = f"Merge branch '{source_of(task)}'"
        draft.tips[task.on] = _solution(workshop.objects, draft, step.solved, parents, said, None)


def _replays(workshop: Workshop, draft: _Draft, task: Task) -> list[tuple[str, str, str]]:
    """The commits that an operation replays: (its base, its theirs, the commit that it is about). A
    rebase begins at its new base: the branch is moved there."""
    commits = draft.commits
    if task.do == "stash-pop":
        stash = draft.ids[draft.history.stashes[-1]]
        return [(commits[stash].parents[0], stash, stash)]
    if task.do == "revert":
        undone = draft.ids[draft.history.labelled(task.undo or "")]
        return [(undone, commits[undone].parents[0], undone)] if commits[undone].parents else []
    if task.do == "cherry-pick":
        picked = [draft.ids[draft.history.labelled(label)] for label in task.pick or ()]
    else:
        onto = draft.tips[source_of(task) or ""]
        picked = _rebased(workshop, draft, onto, draft.tips[task.on])
        draft.tips[task.on] = onto
    return [(commits[id_].parents[0], id_, id_) for id_ in picked if commits[id_].parents]


def _rebased(workshop: Workshop, draft: _Draft, onto: str, tip: str) -> list[str]:
    """The commits that Git replays in a rebase; those of the story are the same in each variant of it."""
    memo = (*draft.memo, draft.asked) if draft.memo else None
    if memo in workshop.replays:
        return [draft.ids[place] for place in workshop.replays[memo]]
    workshop.flush()
    picked = git.commits_to_replay(workshop.gitdir, onto, tip)
    places = {id_: place for place, id_ in draft.ids.items()}
    if memo is not None and all(id_ in places for id_ in picked):
        workshop.replays[memo] = tuple(places[id_] for id_ in picked)
    return picked


def _replay(
    workshop: Workshop, draft: _Draft, number: int, task: Task, base: str, theirs: str, original: str
) -> _Playing:
    """One replayed commit: a meeting of three trees, whatever their ancestry; Git is given commits that
    have just this base in common."""
    ours = draft.tips[task.on]
    commits = draft.commits
    root = stand_in(workshop.objects, commits[base].tree, [])
    own = stand_in(workshop.objects, commits[ours].tree, [root], "ours")
    other = stand_in(workshop.objects, commits[theirs].tree, [root], "theirs")
    shown = f"{theirs[:7]} ({commits[original].subject})"
    meeting = relabelled((yield own, other), {own: "HEAD", other: shown})
    step = replace(_step(workshop, draft, number, task, ours, theirs, meeting, original), base=base)
    draft.steps.append(step)
    if task.do == "stash-pop" or step.solved == commits[ours].tree:
        return  # nothing is committed: the work is in the working tree, or the commit became empty
    about = commits[original]
    said = f'Revert "{about.subject}"' if task.do == "revert" else about.message
    author = None if task.do == "revert" else about.author
    draft.tips[task.on] = _solution(workshop.objects, draft, step.solved, (ours,), said, author)


def _step(
    workshop: Workshop,
    draft: _Draft,
    number: int,
    task: Task,
    ours: str,
    theirs: str,
    meeting: Meeting,
    original: str | None,
) -> Step:
    """A meeting with what is accepted there, and what then comes out."""
    read_texts(workshop.repo, draft.texts, meeting)
    about = draft.commits[original] if original else None
    labels = {draft.ids[place]: commit.label for place, commit in enumerate(draft.history.commits)}
    label = labels.get(original) if original else None
    accepted: dict[str, tuple[Accepted, ...]] = {}
    solved = dict(meeting.tree)
    for conflict in meeting.conflicts:
        accepted[conflict.path], problems = accepted_for(conflict, draft.scenario, number, label)
        draft.problems += problems
        held = solved_conflict(conflict, accepted[conflict.path], draft.texts)
        solved.pop(conflict.path, None)
        if held is not None:
            id_ = workshop.objects.blob(held)
            draft.texts[id_] = held
            solved[conflict.path] = Blob(blob_mode(conflict, accepted[conflict.path]), id_)
    mended = mended_files(meeting, draft.scenario, number, label)
    for path, text in mended.items():
        id_ = workshop.objects.blob(text.encode())
        draft.texts[id_] = text.encode()
        solved[path] = Blob(meeting.tree[path].mode if path in meeting.tree else PLAIN_FILE, id_)
    names = side_names(task, about.subject if about else None)
    return Step(
        task=number,
        operation=task,
        commit=original,
        label=label,
        ours=ours,
        theirs=theirs,
        ours_name=names[0],
        theirs_name=names[1],
        meeting=meeting,
        accepted=accepted,
        solved=dict(sorted(solved.items())),
        mended=frozenset(mended),
    )


def stand_in(objects: Objects, tree: Tree, parents: list[str], said: str = "base") -> str:
    """A commit that holds a tree, for Git to merge."""
    id_ = objects.tree({path: (blob.mode, blob.id) for path, blob in tree.items()})
    return objects.commit("Stand-in <stand-in@orchard.example> 0 +0000", said, id_, parents)


def _solution(
    objects: Objects,
    draft: _Draft,
    solved: Tree,
    parents: tuple[str, ...],
    message: str,
    author: str | None,
) -> str:
    """A commit of the solution by the key."""
    id_ = objects.tree({path: (blob.mode, blob.id) for path, blob in solved.items()})
    time = int(draft.scenario.starts.timestamp()) + len(draft.ids) * draft.scenario.minutes * 60
    made = objects.commit(f"Key <key@orchard.example> {time} +0000", message, id_, parents)
    draft.commits[made] = Commit(made, parents, author or LEARNER, message, solved)
    return made


def read_texts(repo: pygit2.Repository, texts: dict[str, bytes], meeting: Meeting) -> None:
    """Add the contents of a meeting's files that aren't known yet."""
    conflicted = {conflict.path for conflict in meeting.conflicts}
    for path, blob in meeting.tree.items():
        if path not in conflicted and blob.id not in texts:
            texts[blob.id] = content(repo, blob.id)


def _finished(draft: _Draft) -> Key | BadInput:
    problems = [*draft.problems, *unused_answers(draft.scenario, draft.steps)]
    if problems:
        return BadInput(problems)
    return Key(
        scenario=draft.scenario,
        variant=draft.code,
        history=draft.history,
        ids=tuple(draft.ids[number] for number in range(len(draft.ids))),
        handed_out=frozenset(draft.ids.values()),
        commits=draft.commits,
        refs=draft.refs,
        head=f"refs/heads/{draft.history.checked_out}",
        steps=tuple(draft.steps),
        solved_tips=draft.tips,
        texts=draft.texts,
    )
