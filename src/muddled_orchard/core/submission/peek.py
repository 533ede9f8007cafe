"""Where a learner stands, seen without a key: what is pending, which side is which, what is left to do."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.exercise.asked import Asked
from muddled_orchard.core.exercise.operations import operation_of
from muddled_orchard.core.exercise.tasks import branch_at_end, most_stashes
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.lines import Lines, by_lines, lines_of
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.git.trees import Blob, Tree
from muddled_orchard.core.git.under_way import UNDER_WAY, Words
from muddled_orchard.core.merging.markers import markers_outside
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.instead import to_be_given_up, under_way_instead
from muddled_orchard.core.submission.status import is_backup, uncommitted
from muddled_orchard.core.submission.to_do import ToDo, still_to_do

_UNMERGED = {
    (1, 2, 3): "changed on both sides",
    (2, 3): "made on both sides",
    (1, 2): "changed by ours, deleted or renamed by theirs",
    (1, 3): "deleted or renamed by ours, changed by theirs",
    (1,): "deleted or renamed on both sides",
    (2,): "only ours has it",
    (3,): "only theirs has it",
}


Left = Literal[
    "unmerged",
    "marker",
    "staged marker",
    "committed marker",
    "staged",
    "changed",
    "backup",
    "committed backup",
    "untracked",
    "not completed",
    "not applied",
    "bisect",
    "detached",
    "elsewhere",
    "instead",
    "give up",
    "task",
    "kept stash",
    "stash",
]

_WORDS: Mapping[Left, str] = {
    "unmerged": "unmerged: {}",
    "marker": "conflict marker: {}",
    "staged marker": "conflict marker, staged: {}",
    "committed marker": "conflict marker, committed: {}",
    "staged": "staged, not committed",
    "changed": "changed, not staged",
    "backup": "a backup file that an editor or merge tool left",
    "committed backup": "a backup file that was committed",
    "untracked": "untracked",
    "not completed": "{}the operation is not completed yet",
    "not applied": "the patch does not apply, and nothing of it is here yet",
    "bisect": "a git bisect is open",
    "detached": "HEAD is detached: what you commit here belongs to no branch",
    "elsewhere": "{} is checked out in the end",
    "instead": "{}",
    "give up": "this is where it is to be given up again",
    "task": "{}",
    "kept stash": "there is still work in the stash: after a conflict Git keeps it",
    "stash": "there is work in the stash (git stash list)",
}


class LeftToDo(Struct, frozen=True):
    """Something that is left to do: its kind, the file and line that it is about, and what more there is to
    say; `work` is False for what is only worth knowing."""

    kind: Left
    file: str = ""
    line: int | None = None
    detail: str = ""
    work: bool = True

    @property
    def where(self) -> str:
        """The place, as people write it."""
        return f"{self.file}, line {self.line}" if self.line else self.file

    @property
    def what(self) -> str:
        """A few words on it."""
        return _WORDS[self.kind].format(self.detail)


class Next(Struct, frozen=True):
    """Something to type: a command, word by word (none where files are to be edited), and a few words on it.
    `instead`: it stands in the place of the one before it."""

    command: Words
    why: str
    instead: bool = False


class Peek(Struct, frozen=True, kw_only=True):
    """`doing` is what is going on, `ours` and `theirs` who the sides are (empty where nothing meets),
    `left` what is to be done, `commands` what to type next, `back` the way back. `knows_tasks`: whether the
    repository says what was asked."""

    doing: str
    ours: str = ""
    theirs: str = ""
    left: tuple[LeftToDo, ...] = ()
    commands: tuple[Next, ...] = ()
    back: Words = ()
    knows_tasks: bool = True

    @property
    def done(self) -> bool:
        """Whether no work is left."""
        return not any(item.work for item in self.left)


def peek(evidence: Evidence, asked: Asked | None) -> Peek:
    """Look at a repository; its evidence must hold the whole history. `asked` is what its hand-out says."""
    kind = _kind(evidence)
    ours, theirs = _sides(evidence, kind)
    tasks = tuple(still_to_do(asked, evidence)) if asked is not None else ()
    pops = kind == "" and asked is not None and any(operation_of(task).uncommitted for task in asked.tasks)
    popped = pops and bool(evidence.stashes) and _differs(evidence)
    # Work that was handed out is in the way until all is done, and nobody's business afterwards.
    handed_out = asked.work if asked is not None and not kind else ()
    work = handed_out if all(todo.perhaps for todo in tasks) else ()
    left = []
    gives_up = asked is not None and to_be_given_up(asked, evidence, [todo.number for todo in tasks])
    wrong = under_way_instead(asked, evidence) if asked is not None else ""
    if wrong:
        left.append(LeftToDo("instead", detail=wrong))
    elif gives_up:
        left.append(LeftToDo("give up"))
    left += _left(evidence, kind, is_work=not pops, work=work, completes=not gives_up)
    if not kind and not popped:
        told = [(f"{todo.task}: {todo.missing}", not todo.perhaps) for todo in tasks]
        left += [LeftToDo("task", detail=detail, work=work) for detail, work in told]
    if asked is not None and _is_elsewhere(asked, evidence, tasks):
        left.append(LeftToDo("elsewhere", detail=f"{evidence.head}, and not {branch_at_end(asked.tasks)},"))
    if popped:
        left.append(LeftToDo("kept stash"))
    elif evidence.stashes and not any(todo.pops for todo in tasks):
        left.append(LeftToDo("stash", work=asked is not None and _is_left_over(asked, evidence, tasks)))
    commands: Iterator[Next]
    if gives_up or wrong:
        why = "to give it up, as asked" if gives_up else "to give it up"
        commands = _given_up(kind, tasks, why, anew=not gives_up)
    elif any(item.kind == "not applied" for item in left) or (kind == "left" and _first(tasks).commands):
        commands = _given_up(kind, tasks, _ANEW[kind], anew=True)
    elif _was_reset(evidence, left):
        commands = _given_up(kind, tasks, "to begin again: what it had stopped at was reset", anew=False)
    else:
        commands = _commands(evidence, kind, left, () if kind else tasks, asked, popped=popped)
    typed = tuple({item.command or item.why: item for item in commands}.values())
    back = UNDER_WAY[kind].give_up if kind else ()
    return Peek(
        doing=_doing(evidence, kind),
        ours=ours,
        theirs=theirs,
        left=tuple(left),
        commands=typed,
        back=() if any(item.command == back for item in typed) else back,
        knows_tasks=asked is not None,
    )


def _kind(evidence: Evidence) -> str:
    """What is under way; a conflict alone is that of a stash, or was left behind by something else."""
    if evidence.pending is not None or not evidence.unmerged:
        return evidence.pending.kind if evidence.pending else ""
    stash = evidence.commits.get(evidence.refs.get("refs/stash", ""))
    theirs = {entry.path: entry.blob for entry in evidence.index if entry.stage == 3}
    # Of several stashes only the last can be looked at.
    pops = evidence.stashes > 1 or (stash and any(stash.tree.get(p) == blob for p, blob in theirs.items()))
    return "stash-pop" if evidence.stashes and pops else "left"


def _is_elsewhere(asked: Asked, evidence: Evidence, tasks: Sequence[ToDo]) -> bool:
    """Whether all is done, and another branch is checked out than that of the last task."""
    wanted = branch_at_end(asked.tasks)
    there = evidence.branch(wanted) is not None and evidence.head is not None and evidence.working is not None
    return _is_done(evidence, tasks) and there and evidence.head != wanted


def _is_done(evidence: Evidence, tasks: Sequence[ToDo]) -> bool:
    return evidence.pending is None and not evidence.unmerged and all(todo.perhaps for todo in tasks)


def _is_left_over(asked: Asked, evidence: Evidence, tasks: Sequence[ToDo]) -> bool:
    """Whether all is done, and a stash is there that nobody was handed out."""
    return _is_done(evidence, tasks) and evidence.stashes > most_stashes(
        asked.stashes, asked.tasks, work=bool(asked.work)
    )


def _was_reset(evidence: Evidence, left: Sequence[LeftToDo]) -> bool:
    """Whether picks of several commits wait, and the one at which they had stopped was reset, so that Git no
    longer knows which that was, and goes on only when nothing is uncommitted."""
    pending = evidence.pending
    waits = pending is not None and pending.kind in ("cherry-pick", "revert") and not pending.brings
    return waits and any(item.kind in ("staged", "changed") for item in left)


def _differs(evidence: Evidence) -> bool:
    """Whether there is uncommitted work, or work committed since the stash was made."""
    head = evidence.commits.get(evidence.head_commit or "")
    changed = any(one.how != "untracked" for one in uncommitted(evidence, head.tree if head else {}, {}))
    return changed or any(move.what.startswith("commit") for move in evidence.reflog)


def _doing(evidence: Evidence, kind: str) -> str:
    where = f"on {evidence.head}" if evidence.head else "on no branch (HEAD is detached)"
    if not kind:
        return f"Nothing is pending {where}."
    if kind == "left":
        return f"A conflict was left behind {where}, and no operation is under way."
    pending = evidence.pending
    step = f", at step {pending.number} of {pending.total}" if pending and pending.total else ""
    if pending and pending.branch:
        where = f"of {pending.branch}"
    return f"In the middle of {UNDER_WAY[kind].name} {where}{step}."


def _sides(evidence: Evidence, kind: str) -> tuple[str, str]:
    pending = evidence.pending
    head = evidence.head or "HEAD"
    brought = pending.brings[0] if pending and pending.brings else None
    commit = evidence.commits.get(brought or "")
    subject = f'"{commit.subject}"' if commit else ""
    match kind:
        case "merge":
            return head, _named(evidence, brought)
        case "squash":
            return head, "the branch that you merge"
        case "rebase":
            onto = _named(evidence, pending.onto if pending else None)
            return (
                f"{onto}, the new base (with what was replayed on it)",
                f"your own commit {subject}".strip(),
            )
        case "cherry-pick":
            return head, f"the picked commit {subject}".strip()
        case "am":
            return head, "the patch that came by mail"
        case "revert":
            return head, f"how it was before {subject}".strip()
        case "stash-pop":
            return head, "your stashed work"
    return "", ""


def _named(evidence: Evidence, id_: str | None) -> str:
    """A commit by the branch that stands at it, or by its id."""
    names = [name for name, at in evidence.refs.items() if at == id_ and not name.startswith("refs/stash")]
    names.sort(key=lambda name: not name.startswith(BRANCHES))
    return names[0].split("/", 2)[2] if names else short(id_) or "another commit"


def _left(
    evidence: Evidence, kind: str, *, is_work: bool, work: Collection[str], completes: bool
) -> Iterator[LeftToDo]:
    """What the repository itself shows; `is_work`: whether uncommitted changes are something left to do, but
    for those in `work`, which were handed out; `completes`: whether what is under way is to be completed."""
    unmerged = list(_unmerged(evidence))
    yield from unmerged
    markers = list(_markers(evidence))
    yield from markers
    changes = list(_changes(evidence, is_work=is_work, work=work))
    yield from changes
    if kind and UNDER_WAY[kind].go_on and not unmerged and completes:
        waits = [item for item in changes if item.kind == "changed" or _is_stray(evidence, item)]
        merged = not waits and not any(item.kind == "marker" for item in markers)
        told = "everything is merged; " if merged else ""
        yield LeftToDo("not applied" if _is_not_applied(evidence, changes) else "not completed", detail=told)
    if evidence.bisecting:
        yield LeftToDo("bisect")
    elif evidence.head is None and not kind:
        yield LeftToDo("detached")
    for path in sorted(_head_tree(evidence)):
        if is_backup(path):
            yield LeftToDo("committed backup", path)


def _is_not_applied(evidence: Evidence, changes: Sequence[LeftToDo]) -> bool:
    """Whether a patch is at hand of which Git has done nothing: it does not apply, and nothing was merged."""
    pending = evidence.pending
    waits = pending is not None and pending.kind == "am" and not pending.three_way
    return waits and not any(item.kind in ("staged", "changed") for item in changes)


def _head_tree(evidence: Evidence) -> Tree:
    head = evidence.commits.get(evidence.head_commit or "")
    return head.tree if head else {}


def _unmerged(evidence: Evidence) -> Iterator[LeftToDo]:
    stages: dict[str, list[int]] = {}
    for entry in evidence.index:
        if entry.stage:
            stages.setdefault(entry.path, []).append(entry.stage)
    for path, found in sorted(stages.items()):
        yield LeftToDo("unmerged", path, detail=_UNMERGED[tuple(sorted(found))])


def _changes(evidence: Evidence, *, is_work: bool, work: Collection[str]) -> Iterator[LeftToDo]:
    for change in uncommitted(evidence, _head_tree(evidence), {}):
        counts = is_work and change.path not in work
        if change.how == "staged":
            yield LeftToDo("staged", change.path, work=counts)
        elif change.how == "unstaged":
            yield LeftToDo("changed", change.path, work=counts)
        elif change.how == "untracked" and is_backup(change.path):
            yield LeftToDo("backup", change.path)
        elif change.how == "untracked":
            yield LeftToDo("untracked", change.path, work=False)


def _markers(evidence: Evidence) -> Iterator[LeftToDo]:
    """Conflict markers in the working tree, in what is staged and in the last commit."""
    head = evidence.commits.get(evidence.head_commit or "")
    before: dict[str, Lines] = {}
    for parent in head.parents if head else ():
        for path, blob in evidence.commits[parent].tree.items() if parent in evidence.commits else ():
            before[path] = before.get(path, ()) + _lines(evidence.texts, blob)
    staged: dict[str, Blob] = {}
    sides: dict[str, Lines] = {}
    for entry in evidence.index:
        if entry.stage == 0:
            staged[entry.path] = entry.blob
        else:
            sides[entry.path] = sides.get(entry.path, ()) + _lines(evidence.texts, entry.blob)
    told: set[str] = set()
    known = {*staged, *sides}
    places: tuple[tuple[Left, Mapping[str, Blob]], ...] = (
        ("marker", {p: b for p, b in (evidence.working or {}).items() if p in known}),
        ("staged marker", {p: b for p, b in staged.items() if not head or head.tree.get(p) != b}),
        ("committed marker", head.tree if head else {}),
    )
    for kind, tree in places:
        for path, blob in sorted(tree.items()):
            expected = (*before.get(path, ()), *sides.get(path, ()))
            for marker in markers_outside(_lines(evidence.texts, blob), expected, ()):
                if path not in told or kind == "marker":
                    told.add(path)
                    yield LeftToDo(kind, path, marker.line, marker.text.strip()[:50])


def _lines(texts: Mapping[str, bytes], blob: Blob) -> Lines:
    data = texts.get(blob.id, b"")
    return lines_of(data) if by_lines(data) else ()


_ANEW = {
    "am": "to begin again: --3way merges where a patch does not apply",
    "left": "to be without it; what you edited there goes with it",
}


def _given_up(kind: str, tasks: Sequence[ToDo], why: str, *, anew: bool) -> Iterator[Next]:
    """Give up what is under way; `anew`: begin what was asked."""
    yield Next(UNDER_WAY[kind].give_up, why)
    if anew:
        yield from (Next(command, why) for command, why in _first(tasks).commands)


def _first(tasks: Sequence[ToDo]) -> ToDo:
    """The first task for which something is to be typed."""
    nothing = ToDo(number=0, task="", missing="", commands=())
    return next((task for task in tasks if task.commands), nothing)


def _commands(
    evidence: Evidence,
    kind: str,
    left: Sequence[LeftToDo],
    tasks: Sequence[ToDo],
    asked: Asked | None,
    *,
    popped: bool,
) -> Iterator[Next]:
    # What is staged goes with the file; the others are in it, or in what was committed of it.
    marked = list(dict.fromkeys(item.file for item in left if item.kind in ("marker", "committed marker")))
    first = _first(tasks)
    # What something that was given up left in files: a commit of it would be one more.
    abandoned = not kind and not popped and bool(first.commands)
    abandoned = abandoned and (first.anew or any(item.kind == "marker" for item in left))
    if evidence.unmerged:
        yield from _resolve(evidence, marked)
    elif abandoned:
        marked = []
    elif marked and not first.takes_back:
        yield Next((), "take the marker lines out")
        yield Next(("git", "add", "--", *marked), "to stage what you mended")
    if kind in ("cherry-pick", "revert", "am") and not any(
        item.kind in ("unmerged", "staged", "changed") for item in left
    ):
        yield Next(("git", kind, "--skip"), "to leave it out: nothing is left of it")
        return
    if kind and UNDER_WAY[kind].go_on:
        yield from _to_stage(evidence, left, {*marked, *(asked.work if asked is not None else ())})
        yield Next(UNDER_WAY[kind].go_on, "then, to complete it" if evidence.unmerged else "to complete it")
        return
    if kind == "left":
        yield Next(("git", "commit"), "then, to have it in a commit")
        return
    if kind == "stash-pop" or popped:
        yield Next(("git", "stash", "drop"), "when all of it is here")
        if popped:
            yield Next(("git", "stash", "pop"), "if it is not", instead=True)
        return
    yield from _at_rest(evidence, left, [] if first.takes_back else marked, aside=abandoned)
    yield from (Next(command, why) for command, why in first.commands)
    if asked is not None and any(item.kind == "elsewhere" for item in left):
        yield Next(("git", "switch", branch_at_end(asked.tasks)), "to be where the last task ends")
    if any(item.kind == "stash" and item.work for item in left):
        yield Next(("git", "stash", "show", "-p"), "to see what is in it")
        yield Next(("git", "stash", "drop"), "if it is of no use any more")
        yield Next(("git", "stash", "pop"), "if it is", instead=True)


def _to_stage(evidence: Evidence, left: Sequence[LeftToDo], but: Collection[str]) -> Iterator[Next]:
    """What to stage before what is under way goes on, `but` for some files."""
    if changed := [item.file for item in left if item.kind == "changed" and item.file not in but]:
        yield Next(("git", "add", "--", *changed), "to stage what you changed")
    # A file that one side deleted is unknown to Git after a reset.
    if strays := [item.file for item in left if _is_stray(evidence, item)]:
        yield Next(("git", "add", "--", *strays), "if it is to stay")
        yield Next(("rm", "--", *strays), "if it is to go", instead=True)


def _resolve(evidence: Evidence, marked: Sequence[str]) -> Iterator[Next]:
    """How to get rid of unmerged paths."""
    stages: dict[str, set[int]] = {}
    for entry in evidence.index:
        if entry.stage:
            stages.setdefault(entry.path, set()).add(entry.stage)
    there = evidence.working or {}
    if marked:
        yield Next((), "keep what is right in each place, and take the marker lines out")
    both = [path for path, found in sorted(stages.items()) if {2, 3} <= found and path in there]
    if both:
        yield Next(("git", "add", "--", *both), "when a file is as it should be")
    for path in (path for path in sorted(stages) if path not in both):
        if path in there:
            yield Next(("git", "add", "--", path), "to keep the file")
        yield Next(("git", "rm", "--", path), "to let it go", instead=path in there)


def _is_stray(evidence: Evidence, item: LeftToDo) -> bool:
    """Whether it is a file that Git does not know here, and that is in some commit: no note of the
    learner's."""
    unknown = item.kind in ("untracked", "backup")
    return unknown and any(item.file in commit.tree for commit in evidence.commits.values())


def _at_rest(
    evidence: Evidence, left: Sequence[LeftToDo], marked: Sequence[str], *, aside: bool
) -> Iterator[Next]:
    """What to do where no operation is under way; `aside`: what is not committed is of no use here."""
    backups = [item.file for item in left if item.kind == "backup"]
    if backups:
        yield Next(("rm", "--", *backups), "if you don't need it any more")
    committed = [item.file for item in left if item.kind == "committed backup"]
    if committed:
        yield Next(("git", "rm", "--", *committed), "to take it out of what is committed")
    changed = [item.file for item in left if item.work and item.kind == "changed"]
    changed = [path for path in changed if path not in marked]
    staged = any(item.work and item.kind == "staged" for item in left)
    nowhere = evidence.head is None and not evidence.bisecting  # a commit here would be on no branch
    new = any(_is_stray(evidence, item) for item in left)
    if (aside and (changed or staged or new)) or (nowhere and (changed or staged)):
        why = "begun (git stash drop, once all is done)" if aside else "not committed (git stash pop)"
        more = ("--include-untracked",) if aside and new else ()
        yield Next(("git", "stash", *more), f"to put aside what {'was' if aside else 'is'} {why}")
        changed, staged = [], False
    if changed:
        yield Next(("git", "add", "--", *changed), "to stage it")
        # `git restore` would throw it away, and nothing else has it.
        yield Next(("git", "stash"), "to put it aside until all is done (git stash pop)", instead=True)
    if changed or marked or committed or staged:
        yield Next(("git", "commit"), "to commit what is staged")
    if evidence.bisecting:
        yield Next(("git", "bisect", "reset"), "to end it, and be where you began")
    elif evidence.head is None:
        branches = [name.split("/", 2)[2] for name in evidence.refs if name.startswith(BRANCHES)]
        if branches:
            yield Next(("git", "switch", branches[0]), f"to be on a branch again ({listed(branches)})")
