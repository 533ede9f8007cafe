"""Where a learner stands, seen without a key: what is pending, which side is which, what is left to do."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from muddled_orchard.core.evidence import Evidence
from muddled_orchard.core.meeting import Blob
from muddled_orchard.core.readings import markers_outside
from muddled_orchard.core.texts import Lines, by_lines, lines_of
from muddled_orchard.core.wording import listed
from muddled_orchard.core.worktree import is_backup, uncommitted

_DOING = {
    "merge": "a merge",
    "squash": "a squash merge",
    "rebase": "a rebase",
    "cherry-pick": "a cherry-pick",
    "revert": "a revert",
    "stash-pop": "bringing stashed work back",
}
_GO_ON = {
    "merge": "git commit",
    "squash": "git commit",
    "rebase": "git rebase --continue",
    "cherry-pick": "git cherry-pick --continue",
    "revert": "git revert --continue",
}
_BACK = {
    "merge": "git merge --abort",
    "squash": "git reset --merge",
    "rebase": "git rebase --abort",
    "cherry-pick": "git cherry-pick --abort",
    "revert": "git revert --abort",
    "stash-pop": "git reset --merge (the stash is still there)",
}
_UNMERGED = {
    (1, 2, 3): "changed on both sides",
    (2, 3): "made on both sides",
    (1, 2): "changed by ours, deleted or renamed by theirs",
    (1, 3): "deleted or renamed by ours, changed by theirs",
    (1,): "deleted or renamed on both sides",
    (2,): "only ours has it",
    (3,): "only theirs has it",
}


@dataclass(frozen=True, slots=True)
class Left:
    """Something that is left to do: what it is about, and a few words on it; `work` is False for what is
    only worth knowing."""

    what: str
    where: str
    work: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Peek:
    """`doing` is what is going on, `ours` and `theirs` who the sides are (empty where nothing meets),
    `left` what is to be done, `commands` the next commands with a word on each, `back` the way back."""

    doing: str
    ours: str = ""
    theirs: str = ""
    left: tuple[Left, ...] = ()
    commands: tuple[tuple[str, str], ...] = ()
    back: str = ""

    @property
    def done(self) -> bool:
        """Whether no work is left."""
        return not any(item.work for item in self.left)


def peek(evidence: Evidence) -> Peek:
    """Look at a repository; its evidence must hold the commit that is checked out."""
    kind = evidence.pending.kind if evidence.pending else "stash-pop" if evidence.unmerged else ""
    ours, theirs = _sides(evidence, kind)
    left = tuple(_left(evidence, kind))
    return Peek(
        doing=_doing(evidence, kind),
        ours=ours,
        theirs=theirs,
        left=left,
        commands=tuple(_commands(evidence, kind, left)),
        back=_BACK.get(kind, ""),
    )


def _doing(evidence: Evidence, kind: str) -> str:
    where = f"on {evidence.head}" if evidence.head else "on no branch (HEAD is detached)"
    if not kind:
        return f"Nothing is pending {where}."
    pending = evidence.pending
    step = f", at step {pending.number} of {pending.total}" if pending and pending.total else ""
    if pending and pending.branch:
        where = f"of {pending.branch}"
    return f"In the middle of {_DOING[kind]} {where}{step}."


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
        case "revert":
            return head, f"how it was before {subject}".strip()
        case "stash-pop":
            return head, "your stashed work"
    return "", ""


def _named(evidence: Evidence, id_: str | None) -> str:
    """A commit by the branch that stands at it, or by its id."""
    names = [name for name, at in evidence.refs.items() if at == id_ and not name.startswith("refs/stash")]
    names.sort(key=lambda name: not name.startswith("refs/heads/"))
    return names[0].split("/", 2)[2] if names else (id_ or "another commit")[:7]


def _left(evidence: Evidence, kind: str) -> Iterator[Left]:
    stages: dict[str, list[int]] = {}
    for entry in evidence.index:
        if entry.stage:
            stages.setdefault(entry.path, []).append(entry.stage)
    for path, found in sorted(stages.items()):
        yield Left(f"unmerged: {_UNMERGED[tuple(sorted(found))]}", path)
    yield from _markers(evidence)
    head = evidence.commits.get(evidence.head_commit or "")
    for change in uncommitted(evidence, head.tree if head else {}, {}):
        if change.how == "staged":
            yield Left("staged, not committed", change.path)
        elif change.how == "unstaged":
            yield Left("changed, not staged", change.path)
        elif change.how == "untracked" and is_backup(change.path):
            yield Left("a backup file that an editor or merge tool left", change.path)
        elif change.how == "untracked":
            yield Left("untracked", change.path, work=False)
    if kind in _GO_ON and not stages:
        yield Left("everything is merged; the operation is not completed yet", "")
    if evidence.head is None and not kind:
        yield Left("HEAD is detached: what you commit here belongs to no branch", "")
    for path in sorted(head.tree if head else {}):
        if is_backup(path):
            yield Left("a backup file that was committed", path)
    if evidence.stashes:
        yield Left("there is work in the stash (git stash list)", "", work=False)


def _markers(evidence: Evidence) -> Iterator[Left]:
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
    places = (
        ("conflict marker", {p: b for p, b in (evidence.working or {}).items() if p in known}),
        ("conflict marker, staged", {p: b for p, b in staged.items() if not head or head.tree.get(p) != b}),
        ("conflict marker, committed", head.tree if head else {}),
    )
    for what, tree in places:
        for path, blob in sorted(tree.items()):
            expected = (*before.get(path, ()), *sides.get(path, ()))
            for marker in markers_outside(_lines(evidence.texts, blob), expected, ()):
                if path not in told or what == "conflict marker":
                    told.add(path)
                    yield Left(f"{what}: {marker.text.strip()[:50]}", f"{path}, line {marker.line}")


def _lines(texts: Mapping[str, bytes], blob: Blob) -> Lines:
    data = texts.get(blob.id, b"")
    return lines_of(data) if by_lines(data) else ()


def _commands(evidence: Evidence, kind: str, left: tuple[Left, ...]) -> Iterator[tuple[str, str]]:
    unmerged = evidence.unmerged
    markers = [item for item in left if item.what.startswith("conflict marker:")]
    if unmerged:
        gone = [item.where for item in left if "deleted or renamed" in item.what]
        if markers:
            yield "(edit)", "keep what is right in each place, and take the marker lines out"
        for path in gone:
            yield f"git add {path}", "to keep the file, or"
            yield f"git rm {path}", "to let it go"
        others = [path for path in unmerged if path not in gone]
        if others:
            yield f"git add {' '.join(others[:6])}", "when a file is as it should be"
    elif markers:
        yield "(edit)", "take the marker lines out"
        names = list(dict.fromkeys(item.where.rpartition(", line")[0] for item in markers))
        yield f"git add {' '.join(names[:6])}", "to stage what you mended"
    if kind in _GO_ON:
        yield _GO_ON[kind], "to complete it" if not unmerged else "then, to complete it"
    elif (
        any(item.what in ("staged, not committed", "changed, not staged") for item in left)
        and kind != "stash-pop"
    ):
        changed = [item.where for item in left if item.what == "changed, not staged"]
        if changed and not markers:
            yield f"git add {' '.join(changed[:6])}", "to stage it (git restore FILE to undo it)"
        yield "git commit", "to commit what is staged"
    elif evidence.head is None:
        branches = [name.split("/", 2)[2] for name in evidence.refs if name.startswith("refs/heads/")]
        yield (
            f"git switch {branches[0] if branches else 'BRANCH'}",
            f"to be on a branch again ({listed(branches)})",
        )
    for item in left:
        if item.what.startswith("a backup file that an editor"):
            yield f"rm {item.where}", "if you don't need it any more"
