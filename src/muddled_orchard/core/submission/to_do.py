"""What a hand-out asked and can't be seen done yet: by the asked operations alone, without a key."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.exercise.asked import Asked, AskedCommit, told_to_learners
from muddled_orchard.core.exercise.delivering import FORCE, deletions_of, delivery_of, push_of
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict
from muddled_orchard.core.exercise.proposed_messages import SQUASHED
from muddled_orchard.core.exercise.roles import as_seen_by, role_name
from muddled_orchard.core.exercise.steps import to_fetch, to_give_up, to_start, to_switch
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import place_of
from muddled_orchard.core.exercise.todo import groups_of, todo_of
from muddled_orchard.core.git.commits import ancestors, contains
from muddled_orchard.core.git.refs import REMOTE, TRACKING, branch_ref, is_on_remote, on_remote, tracking_ref
from muddled_orchard.core.git.under_way import Words
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.handed_out import handed_out_names, new_commits
from muddled_orchard.core.submission.instead import done_instead
from muddled_orchard.core.submission.own import lacks_for_own
from muddled_orchard.core.submission.reflog import given_up
from muddled_orchard.core.submission.status import is_in_a_commit, uncommitted

_LONGEST = 1000


class ToDo(Struct, frozen=True, kw_only=True):
    """One thing that a task (by its place) still asks for: the task in words, what is missing, and the
    commands that do it, each with a word on it. `pops`: it is about the stash; `takes_back`: something else
    was done, which they take back first; `anew`: something was begun before, and given up. `perhaps`: it is
    right as it is where nothing was left of a commit, which only a key knows. `theirs`: it is another one's
    of the team."""

    number: int
    task: str
    missing: str
    commands: tuple[tuple[Words, str], ...]
    pops: bool = False
    takes_back: bool = False
    anew: bool = False
    perhaps: bool = False
    theirs: bool = False


def still_to_do(asked: Asked, evidence: Evidence, role: int | None = None) -> Iterator[ToDo]:
    """Everything that was asked and can't be seen yet, in order. `evidence` holds the whole history, `role`
    is that of whoever works here, where a team has given tasks out (None: nobody says so)."""
    if role is None:
        yield from _to_do(asked, evidence)
        return
    pushed = replace(evidence, refs=_as_pushed(asked, evidence))
    theirs = {
        todo.number: replace(todo, commands=(), theirs=True)
        for todo in _to_do(asked, pushed)
        if asked.tasks[todo.number].role != role
    }
    seen = replace(asked, tasks=tuple(as_seen_by(role, asked.tasks)))
    own = {
        todo.number: todo
        for todo in reversed(list(_to_do(seen, evidence)))
        if asked.tasks[todo.number].role == role
    }
    waits_for = min(theirs, default=len(asked.tasks))
    for number in sorted({*theirs, *own}):
        if number in theirs:
            yield theirs[number]
        elif number > waits_for:
            before = role_name(asked.roles, asked.tasks[waits_for].role or 1)
            look = (("git", "fetch", "origin"), "to see whether that is there by now")
            yield replace(own[number], missing=f"it waits for {before}", commands=(look,))
        else:
            yield own[number]


def _as_pushed(asked: Asked, evidence: Evidence) -> dict[str, str]:
    """The refs as they would be if every branch stood where origin has it, as far as that is known here."""
    refs = dict(evidence.refs)
    for name in asked.tips:
        if is_on_remote(name):  # it may be gone there by now
            refs.pop(branch_ref(name.removeprefix(REMOTE)), None)
    there = ((name, id_) for name, id_ in evidence.refs.items() if name.startswith(TRACKING))
    return refs | {branch_ref(name.removeprefix(TRACKING)): id_ for name, id_ in there}


def _to_do(asked: Asked, evidence: Evidence) -> Iterator[ToDo]:
    left = evidence.pending is None and given_up(evidence, asked.stashes)
    begun = "; what was begun was given up" if left else ""  # a skipped pick looks the same
    remote = {name.removeprefix(REMOTE) for name in asked.tips if is_on_remote(name)}
    delivery = delivery_of(asked.tasks, remote)
    emptied = {place for place, one in enumerate(asked.tasks) if _perhaps_emptied(one, asked, evidence)}
    for number, task in enumerate(asked.tasks):
        words = told_to_learners(
            task, {label: asked_commit.subject for label, asked_commit in asked.commits.items()}
        )
        if task.role is not None:
            words = f"{role_name(asked.roles, task.role)}: {words}"
        if isinstance(task, OwnConflict):
            if missing := lacks_for_own(task, asked, evidence):
                missing = f"next, {missing}"
                yield ToDo(number=number, task=words, missing=missing, commands=())
            continue
        if evidence.pending is None and (instead := done_instead(task, asked, evidence)) is not None:
            back, switch = instead.back(evidence.head), _typed(to_switch(task, instead.branch))
            commands = (*back, *switch, *_begin(task, asked, evidence))
            yield ToDo(number=number, task=words, missing=instead.what, commands=commands, takes_back=True)
            continue
        if missing := _missing(task, asked, evidence):
            if number in emptied:
                begun = ""
                what = f"{missing}; that is right where nothing of it was left"
                yield ToDo(number=number, task=words, missing=what, commands=(), perhaps=True)
            else:
                commands = (*_switch(task, evidence), *_begin(task, asked, evidence))
                pops = task.stays_uncommitted
                missing += begun
                yield ToDo(
                    number=number,
                    task=words,
                    missing=missing,
                    commands=commands,
                    pops=pops,
                    anew=bool(begun),
                )
                begun = ""
                continue
        pushed = evidence.refs.get(tracking_ref(task.on))
        push = push_of(asked.tasks, number + 1, remote)
        later = any(other.on == task.on for other in _later(task, asked))
        there = _only_work_since(pushed, evidence.branch(task.on), asked, evidence)
        there = there or (later and _has_come_there(task, asked, evidence))
        if push is not None and task.on in delivery.pushed and not there:
            why = "to replace there what you rewrote here" if FORCE in push else "to push it"
            missing = f"{task.on} is not pushed yet"
            yield ToDo(number=number, task=words, missing=missing, commands=((("git", *push), why),))
        if task.delete:
            yield from _to_delete(asked.tasks, number, remote, words, evidence)


def _only_work_since(pushed: str | None, tip: str | None, asked: Asked, evidence: Evidence) -> bool:
    """Whether a branch has nothing that was not pushed but work that was handed out uncommitted: it may be
    committed at any time, also after the push."""
    while tip is not None and tip != pushed and _is_work(tip, asked, evidence):
        tip = next(iter(evidence.commits[tip].parents), None)
    return tip == pushed


def _is_work(id_: str, asked: Asked, evidence: Evidence) -> bool:
    """Whether a commit has only to do with work that was handed out uncommitted, and replays nothing."""
    commits = evidence.commits
    made = commits.get(id_)
    if made is None or not asked.work or len(made.parents) != 1 or made.subject == SQUASHED:
        return False
    if (made.author, made.subject) in handed_out_names(asked, evidence):
        return False
    named = ((task, label) for task in asked.tasks for label in task.labels)
    if any(operation.shows(made, asked.commits[label]) for operation, label in named):
        return False
    before = commits[made.parents[0]].tree if made.parents[0] in commits else {}
    changed = (p for p in before.keys() | made.tree.keys() if before.get(p) != made.tree.get(p))
    return set(changed) <= set(asked.work)


def _has_come_there(task: Task, asked: Asked, evidence: Evidence) -> bool:
    """Whether origin has what a task leaves, and nothing that is not here: a later task may go on without a
    push."""
    there = evidence.refs.get(tracking_ref(task.on))
    if there in (None, asked.tips.get(on_remote(task.on))):
        return False
    refs = {**evidence.refs, branch_ref(task.on): there or ""}
    left = _missing(task, asked, replace(evidence, refs=refs))
    return not left and contains(evidence.commits, evidence.branch(task.on) or "", there or "")


def _later(task: Task, asked: Asked) -> Sequence[Task]:
    return asked.tasks[place_of(task, asked.tasks) + 1 :]


def _missing(task: Task, asked: Asked, evidence: Evidence) -> str:
    """What of the operation itself can't be seen, in a few words; nothing where it is there."""
    if task.abort:
        return _never_given_up(task, asked, evidence)
    tip = evidence.branch(task.on)
    if tip is None:
        if any(other.delete == task.on for other in asked.tasks):
            return ""
        there = tracking_ref(task.on) in evidence.refs
        return (
            f"{task.on} is at origin, and not here yet" if there else f"there is no branch {task.on} any more"
        )
    if task.sets_back:
        target = asked.commits[task.labels[0]]
        # A later task may have gone on from there.
        start = asked.tips.get(task.on, "")
        later = any(other.on == task.on for other in _later(task, asked))
        moved_on = later and not contains(evidence.commits, tip, start)
        return "" if tip == target.id or moved_on else task.not_shown(target)
    if task.todo and tip == asked.tips.get(task.on):
        return f"{task.on} still has its commits as they were"
    source = task.source
    if task.stays_uncommitted:
        return "it is still in the stash" if evidence.stashes >= asked.stashes else ""
    if task.squash:
        return "" if _has_squashed(task, asked, evidence) else f"{task.on} has no new commit for it"
    if source:
        if _has_come_in(task, source, asked, evidence):
            goes_on = any(other.on == task.on for other in _later(task, asked))
            carried_out = task.todo is None or goes_on or _is_list_carried_out(task, asked, evidence)
            return "" if carried_out else "its commits are not what its list is to make of them"
        return task.not_in_yet
    lacking = _lacking(task, asked, evidence)
    return task.not_shown(lacking[0]) if lacking else ""


def _has_squashed(task: Task, asked: Asked, evidence: Evidence) -> bool:
    """Whether a branch has one more commit than other tasks leave there that replays none: what was squashed
    names no branch."""
    tip, replayed = evidence.branch(task.on) or "", handed_out_names(asked, evidence)
    new = (commit for commit in new_commits(tip, asked, evidence) if len(commit.parents) == 1)
    own = {commit.id for commit in new if (commit.author, commit.subject) not in replayed}
    if not any(other.source == task.on for other in _later(task, asked)):
        # Where it is not moved on to a merge made elsewhere, all that it got lies on its own line.
        own &= set(_own_line(tip, asked.tips.get(task.on), evidence))
    # Work that was handed out uncommitted may have a commit, which a squash of the same file looks like.
    work = len(own) > 1 or not task.message
    count = len(own) - (work and any(_is_work(id_, asked, evidence) for id_ in own))
    earlier = asked.tasks[: place_of(task, asked.tasks)]
    return count > sum(_new_commits_of(one) for one in earlier if one.on == task.on and not one.abort)


def _new_commits_of(task: Task) -> int:
    """How many commits a task leaves, but for merges and those that replay what was handed out."""
    reworded = sum(item.word == "reword" for item in todo_of(task))
    return reworded + bool(task.squash) + (task.adds_commits and not task.keeps_commits)


def _lacking(task: Task, asked: Asked, evidence: Evidence) -> list[AskedCommit]:
    """The commits that a task names of which no new commit of its branch says that it brings them; words of
    one's own say nothing, so there their number tells."""
    new = new_commits(evidence.branch(task.on) or "", asked, evidence)
    wanted = [asked.commits[label] for label in task.labels]
    if task.message == "own":
        return wanted[len(new) :]
    shows = task.shows
    return [asked_commit for asked_commit in wanted if not any(shows(commit, asked_commit) for commit in new)]


def _perhaps_emptied(task: Task, asked: Asked, evidence: Evidence) -> bool:
    """Whether commits that are lacking were left out with `--skip`, as Git proposes where nothing is left of
    one: others of the task are there, the reflog has a line for each, and nothing was left in files."""
    if not task.adds_commits or task.abort or _is_dirty(asked, evidence):
        return False
    lacking = _lacking(task, asked, evidence)
    skipped = given_up(evidence, asked.stashes).resets
    return 0 < len(lacking) < len(task.labels) and len(lacking) <= skipped


def _is_dirty(asked: Asked, evidence: Evidence) -> bool:
    """Whether there are changes in files that are in no commit, and were not handed out; a file that Git does
    not know here, and that some commit has, was left by what was given up."""
    head = evidence.commits.get(evidence.head_commit or "")
    changes = [
        one for one in uncommitted(evidence, head.tree if head else {}, {}) if one.path not in asked.work
    ]
    return any(one.how != "untracked" or is_in_a_commit(evidence, one.path) for one in changes)


def _is_list_carried_out(task: Task, asked: Asked, evidence: Evidence) -> bool:
    """Whether the commits of a branch on its new base are those that a list makes: no others, in its order.
    One that was picked may be missing where nothing was left of it."""
    source, tip = task.source, evidence.branch(task.on) or ""
    below = ancestors(evidence.commits, asked.tips.get(source))
    # The new base may have moved on since, before the branch was replayed there, or by what it has of it.
    if (now := evidence.branch(source)) is not None:
        own = _own_line(now, asked.tips.get(source), evidence)
        if not contains(evidence.commits, now, tip):
            below |= ancestors(evidence.commits, now)
        elif tip not in own:
            below |= set(own)
    line = [id_ for id_ in _own_line(tip, None, evidence) if id_ not in below]
    there = [evidence.commits[id_].subject for id_ in reversed(line)]
    for group in groups_of(todo_of(task)):
        lead, subject = group[0], asked.commits[group[0].label].subject
        fits = bool(there) and ((there[0] != subject) if lead.word == "reword" else (there[0] == subject))
        if fits:
            del there[0]
        elif len(group) > 1:
            return False
    return not there


def _has_come_in(task: Task, source: str, asked: Asked, evidence: Evidence) -> bool:
    """Whether a branch has what another one had when the task was to be done."""
    tip = evidence.branch(task.on) or ""
    now = evidence.branch(source)
    later = any(other.on == source for other in _later(task, asked))
    stood, grown = asked.tips.get(source), False
    for other in asked.tasks[: place_of(task, asked.tasks)]:
        if other.on == source and not other.abort:
            grown = not other.sets_back
            stood = stood if grown else asked.commits[other.labels[0]].id
    if grown and later and now is not None:
        # Where it stood in between nobody knows any more: some of what it got is there.
        before = ancestors(evidence.commits, asked.tips.get(task.on))
        own = (id_ for id_ in _own_line(now, stood, evidence) if id_ not in before)
        return any(contains(evidence.commits, tip, id_) for id_ in own)
    brought = now if grown else stood
    return brought is None or contains(evidence.commits, tip, brought)


def _never_given_up(task: Task, asked: Asked, evidence: Evidence) -> str:
    """Whether it can't be seen that an operation was begun and given up, as often as that is asked for."""
    earlier = asked.tasks[: place_of(task, asked.tasks) + 1]
    results = [other.result for other in earlier if other.abort]
    enough = given_up(evidence, asked.stashes).enough_for(results)
    return "" if enough else "it was not begun and given up again yet"


def _own_line(tip: str, start: str | None, evidence: Evidence) -> list[str]:
    """The commits that a branch got since it was handed out, by first parents."""
    found: list[str] = []
    at: str | None = tip
    while at is not None and at != start and at in evidence.commits and len(found) < _LONGEST:
        found.append(at)
        at = next(iter(evidence.commits[at].parents), None)
    return found


def _switch(task: Task, evidence: Evidence) -> Iterator[tuple[Words, str]]:
    pending = evidence.pending
    head = evidence.head or (pending.branch if pending else None)  # a rebase ends where it began
    if evidence.branch(task.on) is not None or tracking_ref(task.on) in evidence.refs:
        yield from _typed(to_switch(task, head))


def _begin(task: Task, asked: Asked, evidence: Evidence) -> Iterator[tuple[Words, str]]:
    """The commands that begin an operation."""
    if asked.tips.get(task.source) not in evidence.commits:
        if task.source in asked.refused:
            where = task.source.removeprefix(REMOTE)
            pushed = task.on if task.on == where else f"{task.on}:{where}"
            yield (
                ("git", "push", "origin", pushed),
                "to share it; where Git refuses, since somebody was first:",
            )
        yield from _typed(to_fetch(task))
    source = task.source
    if source and evidence.branch(source) is None and tracking_ref(source) in evidence.refs:
        yield ("git", "branch", source, on_remote(source)), "to have that branch here, too"
    ids = {label: commit.id[:10] for label, commit in asked.commits.items()}
    yield from _typed([to_start(task, ids), *([to_give_up(task)] if task.abort else [])])


def _typed(steps: Iterable[tuple[Words, str]]) -> Iterator[tuple[Words, str]]:
    return ((("git", *words), why) for words, why in steps)


def _to_delete(
    tasks: Sequence[Task], number: int, remote: Collection[str], what: str, evidence: Evidence
) -> Iterator[ToDo]:
    task = tasks[number]
    branch = task.delete or ""
    at = evidence.branch(branch)
    # Git looks at the branch that it follows at the remote, too.
    holders = (evidence.branch(task.on) or "", evidence.refs.get(tracking_ref(branch)) or at or "")
    merged = at is not None and all(contains(evidence.commits, holder, at) for holder in holders)
    for words in deletions_of(tasks, number + 1, remote, merged=merged):
        command: Words = ("git", *words)
        if words[0] == "branch" and at is not None:
            before = list(_switch(task, evidence)) if evidence.head == branch else []
            commands = (*before, (command, "to delete it"))
            missing = f"{branch} is still there"
            yield ToDo(number=number, task=what, missing=missing, commands=commands)
        elif words[0] == "push" and tracking_ref(branch) in evidence.refs:
            missing = f"origin still has {branch}"
            commands = ((command, "to delete it there"),)
            yield ToDo(number=number, task=what, missing=missing, commands=commands)
