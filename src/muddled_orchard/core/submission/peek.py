"""Where a learner stands, seen without a key: what is pending, which side is which, what is left to do."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from muddled_orchard.core.exercise.asked import Asked
from muddled_orchard.core.exercise.roles import has_roles
from muddled_orchard.core.exercise.tasks import branch_at_end, most_stashes
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.git.under_way import UNDER_WAY, Words
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.instead import to_be_given_up, under_way_instead
from muddled_orchard.core.submission.left_to_do import LeftToDo, left_in
from muddled_orchard.core.submission.next_commands import ANEW, Next, commands_at, first_open, give_up
from muddled_orchard.core.submission.status import uncommitted
from muddled_orchard.core.submission.to_do import ToDo, still_to_do


class Peek(Struct, frozen=True, kw_only=True):
    """`doing` is what is going on, `ours` and `theirs` who the sides are (empty where nothing meets),
    `under_way` whether an operation or a conflict is, `left` what is to be done, `reading` how the marked
    places of files are read (empty where there are none), `other_views` what shows these in another way,
    `commands` what to type next, `back` the way back. `knows_tasks`: whether the repository says what was
    asked."""

    doing: str
    ours: str = ""
    theirs: str = ""
    under_way: bool = False
    left: tuple[LeftToDo, ...] = ()
    reading: str = ""
    other_views: tuple[Next, ...] = ()
    commands: tuple[Next, ...] = ()
    back: Words = ()
    knows_tasks: bool = True

    @property
    def done(self) -> bool:
        """Whether no work is left."""
        return not any(item.work for item in self.left)


def peek(evidence: Evidence, asked: Asked | None, role: int | None = None) -> Peek:
    """Look at a repository; its evidence must hold the whole history. `asked` is what its hand-out says,
    `role` that of whoever works here (None: nobody says so)."""
    kind = _kind(evidence)
    ours, theirs = _sides(evidence, kind)
    tasks = tuple(still_to_do(asked, evidence, role)) if asked is not None else ()
    own = tuple(todo for todo in tasks if not todo.theirs)
    pops = kind == "" and asked is not None and any(task.stays_uncommitted for task in asked.tasks)
    popped = pops and bool(evidence.stashes) and _differs(evidence)
    # Work that was handed out is in the way until all is done, and nobody's business afterwards.
    handed_out = asked.work if asked is not None and not kind else ()
    work = handed_out if all(todo.perhaps for todo in own) else ()
    left = []
    gives_up = asked is not None and to_be_given_up(asked, evidence, [todo.number for todo in tasks])
    wrong = under_way_instead(asked, evidence) if asked is not None else ""
    if wrong:
        left.append(LeftToDo("instead", detail=wrong))
    elif gives_up:
        left.append(LeftToDo("give up"))
    left += left_in(evidence, kind, is_work=not pops, work=work, completes=not gives_up)
    if not kind and not popped:
        told = [(f"{todo.task}: {todo.missing}", not (todo.perhaps or todo.theirs)) for todo in tasks]
        left += [LeftToDo("task", detail=detail, work=work) for detail, work in told]
    ends_on = _ends_on(asked, role) if asked is not None else ""
    if _is_elsewhere(ends_on, evidence, own):
        left.append(LeftToDo("elsewhere", detail=f"{evidence.head}, and not {ends_on},"))
    if popped:
        left.append(LeftToDo("kept stash"))
    elif evidence.stashes and not any(todo.pops for todo in tasks):
        left.append(LeftToDo("stash", work=asked is not None and _is_left_over(asked, evidence, own)))
    if role is None and tasks and asked is not None and has_roles(asked.tasks):
        left.append(LeftToDo("roles", work=False))
    commands: Iterator[Next]
    if gives_up or wrong:
        why = "to give it up, as asked" if gives_up else "to give it up"
        commands = give_up(kind, tasks, why, anew=not gives_up)
    elif any(item.kind == "not applied" for item in left) or (kind == "left" and first_open(tasks).commands):
        commands = give_up(kind, tasks, ANEW[kind], anew=True)
    elif evidence.pending is not None and evidence.pending.was_reset:
        commands = give_up(kind, tasks, "to begin again", anew=False)
    else:
        todo = () if kind else tasks
        commands = commands_at(evidence, kind, left, todo, asked, popped=popped, ends_on=ends_on)
    typed = tuple({item.command or item.why: item for item in commands}.values())
    # After a commit by hand Git ends it, and leaves that commit where it is.
    goes_back = kind and not (evidence.pending is not None and evidence.pending.committed)
    back = UNDER_WAY[kind].give_up if goes_back else ()
    markers = [item for item in left if item.kind == "marker"] if evidence.unmerged else []
    return Peek(
        doing=_doing(evidence, kind),
        ours=ours,
        theirs=theirs,
        under_way=bool(kind),
        left=tuple(left),
        reading=_reading(markers) if markers else "",
        other_views=tuple(_other_views(markers)) if markers else (),
        commands=typed,
        back=() if any(item.command == back for item in typed) else back,
        knows_tasks=asked is not None,
    )


def _reading(markers: Sequence[LeftToDo]) -> str:
    """What the parts of a marked place are, in the style that the files have."""
    before = ", below ||||||| what was there before both" if _with_base(markers) else ""
    return f"In each marked place ours stands below <<<<<<<{before}, theirs below =======."


def _other_views(markers: Sequence[LeftToDo]) -> Iterator[Next]:
    """What shows the same places in another way."""
    if not _with_base(markers):
        why = "has what was there before both; what you changed in the file is gone then"
        yield Next(("git", "checkout", "--conflict=zdiff3", "--", markers[0].file), why)
    yield Next(("git", "mergetool"), "shows them in a merge tool, where one is set up")


def _with_base(markers: Sequence[LeftToDo]) -> bool:
    return any(item.detail.startswith("|||||||") for item in markers)


def _kind(evidence: Evidence) -> str:
    """What is under way; a conflict alone is that of a stash, or was left behind by something else."""
    if evidence.pending is not None or not evidence.unmerged:
        return evidence.pending.kind if evidence.pending else ""
    stash = evidence.commits.get(evidence.refs.get("refs/stash", ""))
    theirs = {entry.path: entry.blob for entry in evidence.index if entry.stage == 3}
    # Of several stashes only the last can be looked at.
    pops = evidence.stashes > 1 or (stash and any(stash.tree.get(p) == blob for p, blob in theirs.items()))
    return "stash-pop" if evidence.stashes and pops else "left"


def _ends_on(asked: Asked, role: int | None) -> str:
    """The branch of the last task of whoever works here."""
    return branch_at_end([task for task in asked.tasks if role in (None, task.role)] or asked.tasks)


def _is_elsewhere(wanted: str, evidence: Evidence, tasks: Sequence[ToDo]) -> bool:
    """Whether all is done, and another branch is checked out than the one that is wanted in the end."""
    there = evidence.branch(wanted) is not None and evidence.head is not None and evidence.working is not None
    return _is_done(evidence, tasks) and there and evidence.head != wanted


def _is_done(evidence: Evidence, tasks: Sequence[ToDo]) -> bool:
    return evidence.pending is None and not evidence.unmerged and all(todo.perhaps for todo in tasks)


def _is_left_over(asked: Asked, evidence: Evidence, tasks: Sequence[ToDo]) -> bool:
    """Whether all is done, and a stash is there that nobody was handed out."""
    return _is_done(evidence, tasks) and evidence.stashes > most_stashes(
        asked.stashes, asked.tasks, work=bool(asked.work)
    )


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
