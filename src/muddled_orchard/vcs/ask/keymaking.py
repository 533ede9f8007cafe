"""Make answer keys: build a variant's story in a scratch repository and ask what its tasks will meet.

All variants are built into one scratch repository. Each key is played through by a generator that asks for
one merge at a time; the generators of all keys go in step, so that the next merge of all of them is one
question to Git.
"""

from __future__ import annotations

from collections.abc import Generator, Iterator, Sequence

from msgspec import Struct, field
from msgspec.structs import replace

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.planned import Replay
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.story import unroll
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.exercise.todo import groups_of, todo_of
from muddled_orchard.core.exercise.values import values_of
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.git.commits import Commit, Commits, contains
from muddled_orchard.core.git.refs import branch_ref, on_remote, tracking_ref
from muddled_orchard.core.git.trees import PLAIN_FILE, Blob, Tree
from muddled_orchard.core.key.accepted import Accepted
from muddled_orchard.core.key.answer_key import Key, Step, unused_answers
from muddled_orchard.core.key.answers import accepted_for, fixes_to_clean_merges
from muddled_orchard.core.key.solution import blob_mode, solved_conflict
from muddled_orchard.core.merging.conflict import MergeResult, relabelled
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.scratch import OURS, THEIRS, Question, ScratchRepository
from muddled_orchard.vcs.write.build import write_planned
from muddled_orchard.vcs.write.memory import Objects

SOLUTION_AUTHOR = "the learner <learner@orchard.example>"
"""Who makes the commits of a solution that have no author of their own."""

_Playing = Generator[Question, MergeResult, None]


class _Draft(Struct):
    """A key in the making. `tips` are branches (of the remote with `origin/`) as the tasks move them.

    `alike` is equal for variants that differ in ids alone (None: for no others); `asked` counts its merges.
    """

    scenario: Scenario
    code: str
    history: History
    ids: dict[int, str]
    commits: dict[str, Commit]
    refs: dict[str, str]
    tips: dict[str, str]
    texts: dict[str, bytes]
    alike: tuple[object, ...] | None = None
    asked: int = 0
    steps: list[Step] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)


def make_keys(scratch: ScratchRepository, wanted: Sequence[tuple[Scenario, str]]) -> list[Key | BadInput]:
    """The key of each (scenario as written, variant code), in order; BadInput where one can't be made."""
    drafts: list[_Draft | BadInput] = []
    for scenario, code in wanted:
        try:
            variants = scratch.variants(scenario)
            variant = variants.of(code)
        except BadInput as bad:
            drafts.append(bad)
            continue
        draft = _begun(scratch, variant.scenario, code, variant.history)
        # The object itself and not its name: another scenario of that id must not get this one's merges.
        draft.alike = (variants, variant.values)
        drafts.append(draft)
    return _played(scratch, drafts)


def keys_of_varied(
    scratch: ScratchRepository, wanted: Sequence[tuple[Scenario, str]]
) -> list[Key | BadInput]:
    """The same for scenarios that have their values already."""
    drafts: list[_Draft | BadInput] = []
    for scenario, code in wanted:
        try:
            drafts.append(_begun(scratch, scenario, code, unroll(scenario, code)))
        except BadInput as bad:
            drafts.append(bad)
    return _played(scratch, drafts)


def _played(scratch: ScratchRepository, drafts: Sequence[_Draft | BadInput]) -> list[Key | BadInput]:
    _play_all(scratch, [(draft, _play(scratch, draft)) for draft in drafts if isinstance(draft, _Draft)])
    return [draft if isinstance(draft, BadInput) else _finished(draft) for draft in drafts]


def make_key(scratch: ScratchRepository, scenario: Scenario, code: str) -> Key:
    """The key of one variant; raises BadInput where it can't be made."""
    (made,) = make_keys(scratch, [(scenario, code)])
    if isinstance(made, BadInput):
        raise made
    return made


def key_of(variants: Variants, code: str) -> Key:
    """The key of one variant, made in a folder of its own. Raises BadInput where it can't be made, or
    there is no Git."""
    git.require()
    with temporary_folder() as folder:
        scratch = ScratchRepository(folder / "scratch.git")
        scratch.know(variants)
        try:
            return make_key(scratch, variants.scenario, code)
        except BadInput as bad:
            raise BadInput(_with_values(bad, variants.scenario, code)) from None


def _with_values(bad: BadInput, scenario: Scenario, code: str) -> list[Problem]:
    """What is wrong with a variant, with the values that it has: one of them may be what spoils it."""
    values = ", ".join(f'{name} = "{value}"' for name, value in values_of(scenario, code).items())
    if not values:
        return list(bad.problems)
    return [replace(problem, what=f"with {values}: {problem.what}") for problem in bad.problems]


def _play_all(scratch: ScratchRepository, playing: Sequence[tuple[_Draft, _Playing]]) -> None:
    """Answer what all of them ask, one round after the other."""
    asking = [
        (draft, questions, question)
        for draft, questions in playing
        if (question := next(questions, None)) is not None
    ]
    while asking:
        answers = scratch.merges([question for _, _, question in asking])
        following = []
        for (draft, questions, _), merge in zip(asking, answers, strict=True):
            draft.asked += 1
            try:
                following.append((draft, questions, questions.send(merge)))
            except StopIteration:
                continue
        asking = following


def _begun(scratch: ScratchRepository, scenario: Scenario, code: str, history: History) -> _Draft:
    ids: dict[int, str] = {}
    texts: dict[str, bytes] = {}
    commits = {}
    for number, planned in enumerate(history.commits):
        made = scratch.tree(planned)
        texts |= made.texts
        ids[number] = write_planned(scratch.objects, history, number, made.id, ids)
        parents = tuple(ids[parent] for parent in planned.parents)
        author = str(planned.author)
        commits[ids[number]] = Commit(ids[number], parents, author, planned.message, made.tree, planned.time)
    refs = {branch_ref(branch): ids[number] for branch, number in history.tips.items()}
    refs |= {tracking_ref(branch): ids[number] for branch, number in history.tracked.items()}
    tips = {branch: ids[number] for branch, number in history.tips.items()}
    tips |= {on_remote(branch): ids[number] for branch, number in history.remote.items()}
    return _Draft(scenario, code, history, ids, commits, refs, tips, texts)


def _play(scratch: ScratchRepository, draft: _Draft) -> _Playing:
    """Carry out every task by the key, asking for each merge on the way."""
    for number, task in enumerate(draft.scenario.task, start=1):
        if task.abort:
            yield from _give_up(scratch, draft, number, task)
        else:
            yield from _carry_out(scratch, draft, number, task)
        if task.push:
            draft.tips[on_remote(task.on)] = draft.tips[task.on]


def _carry_out(scratch: ScratchRepository, draft: _Draft, number: int, task: Task) -> _Playing:
    if task.joins:
        yield from _merge(scratch, draft, number, task)
        return
    planned = _Planned(scratch, draft)
    if task.sets_back:
        before, target = draft.tips[task.on], planned.labelled(task.labels[0])
        draft.steps.append(_without_commit(number, task, before, target, draft.commits[target].tree))
        draft.tips[task.on] = target
        return
    replays = task.replays(planned)
    if task.replays_own and _is_in_place(draft, task):
        return  # Git finds the branch up to date, and replays nothing
    if task.replays_own:  # it begins at its new base: the branch is moved there
        draft.tips[task.on] = draft.tips[task.source]
    squashed = _squashed_into(planned, task)
    for replay in replays:
        yield from _replay(scratch, draft, number, task, replay, squashed.get(replay.original))


def _is_in_place(draft: _Draft, task: Task) -> bool:
    """Whether a branch stands on its new base already, with no merge in between that a rebase would take
    out."""
    if task.replays_always:
        return False
    at, base = draft.tips[task.on], draft.tips[task.source]
    while at != base:
        parents = draft.commits[at].parents
        if len(parents) != 1:
            return False
        at = parents[0]
    return True


def _squashed_into(planned: _Planned, task: Task) -> dict[str, str]:
    """For each commit that becomes a part of another one that other one, where a list says so."""
    return {
        planned.labelled(item.label): planned.labelled(group[0].label)
        for group in groups_of(todo_of(task))
        for item in group[1:]
    }


def _give_up(scratch: ScratchRepository, draft: _Draft, number: int, task: Task) -> _Playing:
    """Find the first conflict of an operation, and leave everything as it was before."""
    tips, steps, problems = dict(draft.tips), len(draft.steps), len(draft.problems)
    yield from _carry_out(scratch, draft, number, task)
    met = next((step for step in draft.steps[steps:] if step.merge.conflicts), None)
    draft.tips, draft.steps, draft.problems = tips, draft.steps[:steps], draft.problems[:problems]
    if met is None:
        what = f"task {number} does not conflict, so there is nothing at which to give it up"
        draft.problems.append(Problem(what, "Leave abort out.", ("task", number - 1, "abort")))
        return
    before = draft.tips[task.on]
    unmerged = _without_commit(number, task, before, met.theirs, draft.commits[before].tree)
    draft.steps.append(replace(unmerged, ours_name=met.ours_name, theirs_name=met.theirs_name, given_up=met))


def _without_commit(number: int, task: Task, ours: str, theirs: str, left: Tree) -> Step:
    """A step in which nothing is merged; `left` is what comes out."""
    names = task.sides(None)
    return Step(
        task=number,
        operation=task,
        ours=ours,
        theirs=theirs,
        ours_name=names[0],
        theirs_name=names[1],
        merge=MergeResult(left, ()),
        accepted={},
        solved=left,
    )


def _merge(scratch: ScratchRepository, draft: _Draft, number: int, task: Task) -> _Playing:
    ours, theirs = draft.tips[task.on], draft.tips[task.source]
    merge = relabelled((yield _question(draft, ours, theirs)), _labels(task, None))
    fast_forward = contains(draft.commits, theirs, ours)
    step = _step(scratch, draft, number, task, ours, theirs, merge, None)
    step = replace(step, fast_forward=fast_forward)
    draft.steps.append(step)
    if contains(draft.commits, ours, theirs):
        return
    if fast_forward and task.fast_forward != "never" and not task.squash:
        draft.tips[task.on] = theirs
    else:
        parents = (ours,) if task.squash else (ours, theirs)
        subject = f"{'Squashed: ' if task.squash else ''}Merge branch '{task.source}'"
        draft.tips[task.on] = _solution(scratch.objects, draft, step.solved, parents, subject, None)


class _Planned(Struct, frozen=True):
    """The repository of a draft, for an operation that says what it replays."""

    scratch: ScratchRepository
    draft: _Draft

    @property
    def commits(self) -> Commits:
        return self.draft.commits

    def labelled(self, label: str) -> str:
        return self.draft.ids[self.draft.history.labelled(label)]

    def stashed(self) -> str:
        return self.draft.ids[self.draft.history.stashes[-1]]

    def to_replay(self, onto: str, branch: str) -> Sequence[str]:
        tips = self.draft.tips
        return self.scratch.replayed(_question(self.draft, tips[onto], tips[branch]))

    def to_replay_since(self, id_: str, branch: str) -> Sequence[str]:
        return self.scratch.replayed(_question(self.draft, id_, self.draft.tips[branch]))


def _replay(
    scratch: ScratchRepository,
    draft: _Draft,
    number: int,
    task: Task,
    replay: Replay,
    into: str | None = None,
) -> _Playing:
    """One replayed commit: a three-way merge, whatever the ancestry; Git is given commits that
    have just this base in common. `into`: the replayed commit that it becomes a part of."""
    ours = draft.tips[task.on]
    commits = draft.commits
    question = _question(draft, ours, replay.theirs, replay.base)
    about = commits[replay.original]
    merge = relabelled((yield question), _labels(task, about))
    step = _step(scratch, draft, number, task, ours, replay.theirs, merge, replay.original)
    step = replace(step, base=replay.base, into=into)
    draft.steps.append(step)
    if task.stays_uncommitted or step.becomes_empty(commits):
        return  # nothing is committed: the work is in the working tree, or the commit became empty
    author = about.author if task.keeps_commits else None
    if into is not None:
        lead = commits[ours]
        draft.tips[task.on] = _solution(
            scratch.objects, draft, step.solved, lead.parents, lead.message, lead.author
        )
        return
    draft.tips[task.on] = _solution(
        scratch.objects, draft, step.solved, (ours,), task.message_for(about), author
    )


def _labels(task: Task, replayed: Commit | None) -> dict[str, str]:
    return dict(zip((OURS, THEIRS), task.marker_labels(replayed), strict=True))


def _question(draft: _Draft, ours: str, theirs: str, base: str | None = None) -> Question:
    """What two of its commits meet."""
    times = {draft.ids[place]: commit.time for place, commit in enumerate(draft.history.commits)}
    alike = (*draft.alike, draft.asked) if draft.alike else None
    return Question((ours, theirs), draft.commits, draft.texts, times, base, alike=alike)


def _step(
    scratch: ScratchRepository,
    draft: _Draft,
    number: int,
    task: Task,
    ours: str,
    theirs: str,
    merge: MergeResult,
    original: str | None,
) -> Step:
    """A merge with what is accepted there, and what then comes out."""
    scratch.read_texts(draft.texts, merge)
    about = draft.commits[original] if original else None
    labels = {draft.ids[place]: commit.label for place, commit in enumerate(draft.history.commits)}
    label = labels.get(original) if original else None
    accepted: dict[str, tuple[Accepted, ...]] = {}
    solved = dict(merge.tree)
    for conflict in merge.conflicts:
        accepted[conflict.path], problems = accepted_for(conflict, draft.scenario, number, label, draft.texts)
        draft.problems += problems
        held = solved_conflict(conflict, accepted[conflict.path], draft.texts)
        solved.pop(conflict.path, None)
        if held is not None:
            id_ = scratch.objects.blob(held)
            draft.texts[id_] = held
            solved[conflict.path] = Blob(
                blob_mode(conflict, accepted[conflict.path], merge.tree.get(conflict.path)), id_
            )
    fixes, problems = fixes_to_clean_merges(merge, draft.scenario, number, label, draft.texts)
    draft.problems += problems
    for path, ways in fixes.items():
        held = "".join(ways[0].text).encode("utf-8", "surrogateescape")
        id_ = scratch.objects.blob(held)
        draft.texts[id_] = held
        solved[path] = Blob(merge.tree[path].mode if path in merge.tree else PLAIN_FILE, id_)
    names = task.sides(about.subject if about else None)
    return Step(
        task=number,
        operation=task,
        commit=original,
        label=label,
        ours=ours,
        theirs=theirs,
        ours_name=names[0],
        theirs_name=names[1],
        merge=merge,
        accepted=accepted,
        solved=dict(sorted(solved.items())),
        clean_merge_fixes=fixes,
    )


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
    draft.commits[made] = Commit(made, parents, author or SOLUTION_AUTHOR, message, solved)
    return made


def _never_stops(draft: _Draft) -> Iterator[Problem]:
    """What is to be handed out at a conflict needs one."""
    first = [step for step in draft.steps if step.task == 1]
    if draft.scenario.start.stopped and not any(step.merge.conflicts for step in first):
        words = in_words(draft.scenario.task[0])
        what = f"the first task does not conflict ({words}), so there is nothing to stop at"
        yield Problem(what, "Leave stopped out, or make the task conflict.", ("start", "stopped"))


def _finished(draft: _Draft) -> Key | BadInput:
    problems = [*draft.problems, *unused_answers(draft.scenario, draft.steps), *_never_stops(draft)]
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
        steps=tuple(draft.steps),
        solved_tips=draft.tips,
        texts=draft.texts,
    )
