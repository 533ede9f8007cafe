"""rest: everything that did not conflict is what a clean merge leaves, and nothing else was changed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from muddled_orchard.core.alignment import align
from muddled_orchard.core.assessment import Outcome, Place, met, missed, partly
from muddled_orchard.core.case import Case, ConflictCase, TaskCase
from muddled_orchard.core.markers import is_whole
from muddled_orchard.core.meeting import Blob, Hunk
from muddled_orchard.core.repository import Commit, ancestry, contains
from muddled_orchard.core.texts import Lines, alike
from muddled_orchard.core.worktree import is_backup


@dataclass(frozen=True, slots=True)
class Departure:
    """A place where the result is not what a clean merge leaves: a line that is missing (`lost`), or
    one that nobody asked for. `side` names whose change it undoes, where it undoes one. `asked`: the key
    wants this outside a hunk, beyond what a clean merge leaves."""

    path: str
    line: int | None
    text: str
    lost: bool
    side: str | None = None
    asked: bool = False


def judge(case: Case) -> Outcome:
    """Missed where a side's clean change was lost, partly where something else was changed."""
    found = [departure for task in case.tasks for departure in departures(case, task)]
    if not found:
        return met("Everything that did not conflict came through as it should.")
    asked = [departure for departure in found if departure.asked]
    undone = [departure for departure in found if departure.side and not departure.asked]
    commit = next((task.result.final for task in reversed(case.tasks) if task.tree is not None), None)
    where = tuple(Place(departure.path, departure.line, commit) for departure in found[:20])
    sentences = []
    if asked:
        said = _cut([f"{_place(departure)}{_said(departure)}" for departure in asked])
        sentences.append(f"Here more than the hunk had to be changed, and that was not: {said}.")
    if not undone and not asked:
        said = _cut([f"{_place(departure)}{_said(departure)}" for departure in found])
        return partly(f"Something outside the conflict was changed: {said}.", where=where)
    for side in dict.fromkeys(departure.side for departure in undone):
        own = [departure for departure in undone if departure.side == side]
        # A line that came back where another was lost is the same change seen from its other end.
        shown = [departure for departure in own if departure.lost] or own
        said = _cut([f"{_place(departure)}{_said(departure)}" for departure in shown])
        sentences.append(f"What {side} changed outside the conflict was lost: {said}.")
    return missed(" ".join((*sentences, *_whole_files(case))), where)


def _cut(parts: list[str]) -> str:
    more = [f"and {len(parts) - 3} more"] if len(parts) > 3 else []
    return "; ".join([*parts[:3], *more])


def _place(departure: Departure) -> str:
    return f"{departure.path}, line {departure.line}" if departure.line else departure.path


def _said(departure: Departure) -> str:
    if departure.line is None:
        return ""
    what = f' "{departure.text.strip()[:50]}"' if departure.text.strip() else " a blank line"
    return f":{what} " + ("is missing" if departure.lost else "came back" if departure.side else "is new")


def _whole_files(case: Case) -> Iterator[str]:
    """Where a whole file, or all of it, is one side's, that is the likely reason."""
    form = alike(case.scenario.spacing)
    for task in case.tasks:
        if task.step.commit is None and task.tree == case.commits[task.result.ours].tree:
            yield f"Nothing of {task.theirs_name} came in at all, as with git merge -s ours."
            continue
        for conflict in task.conflicts:
            for stage, name in ((2, task.ours_name), (3, task.theirs_name)):
                side = conflict.conflict.stages.get(stage)
                if side and conflict.reading and form(case.lines(side)) == form(conflict.lines):
                    yield f"The whole of {conflict.conflict.path} was taken from {name}."


def departures(case: Case, task: TaskCase) -> Iterator[Departure]:
    """Every place of a task's result that differs from the clean merge, in the order of files."""
    if task.tree is None or task.result.shape in ("skipped", "other"):
        return  # `history` has the cost of that
    squashed = _squashed_in(case, task)
    for conflict in task.conflicts:
        if conflict.reading is not None:
            yield from _beside_hunks(case, task, conflict, squashed)
    conflicted = {conflict.conflict.path for conflict in task.conflicts}
    spacing = alike(case.scenario.spacing)
    for path in sorted({*task.meeting.tree, *task.tree, *task.step.mended} - conflicted):
        wanted = task.step.solved if path in task.step.mended else task.meeting.tree
        expected, now = wanted.get(path), task.tree.get(path)
        if _id(expected) == _id(now) or _id(now) == _id(task.step.solved.get(path)):
            continue
        if squashed and spacing(case.lines(now)) == squashed.get(path):
            continue
        if expected is not None or not is_backup(path):  # those are told by tidy
            yield from _in_file(case, task, path, expected, now)


def _beside_hunks(
    case: Case, task: TaskCase, conflict: ConflictCase, squashed: Mapping[str, Lines]
) -> Iterator[Departure]:
    """What departs in a file with hunks, outside of them."""
    sides = _sides(case, task, conflict.conflict.stages)
    merged, asked = _outside(case, conflict)
    path = conflict.renamed or conflict.conflict.path
    reading = conflict.reading
    for at, text in reading.lost if reading else ():
        if path not in squashed or text in squashed[path]:
            yield Departure(path, at, text, True, sides.brought(text), bool(asked) and text not in merged)
    for at, text in reading.added if reading else ():
        normal = text.rstrip()
        if normal not in squashed.get(path, ()):
            missing = bool(asked) and normal in merged and normal not in asked
            yield Departure(path, at, text, False, sides.removed(text), missing)


def _in_file(
    case: Case, task: TaskCase, path: str, expected: Blob | None, now: Blob | None
) -> Iterator[Departure]:
    """What departs in a file that merged cleanly."""
    spacing = alike(case.scenario.spacing)
    asked = path in task.step.mended
    base, ours, theirs = (_blob(case, id_, path) for id_ in _meeting_ids(case, task))
    sides = _sides(case, task, {n: blob for n, blob in ((1, base), (2, ours), (3, theirs)) if blob})
    if now is None or expected is None:
        what = "was deleted" if now is None else "was added"
        yield Departure(f"{path} {what}", None, "", now is None, sides.whole(expected, now))
        return
    before, after = case.lines(expected), case.lines(now)
    if spacing(before) == spacing(after):
        if not before and not after:
            yield Departure(f"{path} was changed", None, "", False, sides.whole(expected, now))
        return
    reading = align([spacing(before)], spacing(after)).readings[0]
    for at, text in reading.lost:
        yield Departure(path, at + 1, text, True, sides.brought(text), asked)
    for at in reading.added:
        if not is_whole(after[at]):
            yield Departure(path, at + 1, after[at], False, sides.removed(spacing([after[at]])[0]), asked)


def _squashed_in(case: Case, task: TaskCase) -> dict[str, Lines]:
    """What files read, in normal forms, when a commit also has the change of later ones: that they were
    squashed into it costs `history`, and costs once."""
    matches = task.result.matches
    form = alike(case.scenario.spacing)
    found: dict[str, Lines] = {}
    for other in case.tasks if matches else ():
        holder = matches.into.get(other.step.commit or "") if matches else None
        if holder is not None and holder.id == task.result.made:
            found |= {path: form(case.lines(blob)) for path, blob in other.step.solved.items()}
    return found


def _outside(case: Case, conflict: ConflictCase) -> tuple[frozenset[str], frozenset[str]]:
    """The lines outside the hunks, in normal forms: as Git merges them, and as the key wants them where
    it wants something else there."""
    form = alike(case.scenario.spacing)
    merged = conflict.conflict.merged
    clean = (
        form(line for part in merged.parts if not isinstance(part, Hunk) for line in part) if merged else ()
    )
    wanted = [form(line for part in way.clean for line in part) for way in conflict.accepted if way.clean]
    asked = () if clean in wanted or not wanted else wanted[0]
    return frozenset(clean), frozenset(asked)


def _id(blob: Blob | None) -> str | None:
    return blob.id if blob else None


def _blob(case: Case, id_: str | None, path: str) -> Blob | None:
    commit = case.commits.get(id_ or "")
    return commit.tree.get(path) if commit else None


def _meeting_ids(case: Case, task: TaskCase) -> tuple[str | None, str, str]:
    ours, theirs = task.result.ours, task.result.theirs
    if task.step.base is not None:
        return task.step.base, ours, theirs
    base = next((commit.id for commit in _common(case.commits, ours, theirs)), None)
    return base, ours, theirs


def _common(commits: Mapping[str, Commit], ours: str, theirs: str) -> Iterator[Commit]:
    for commit in ancestry(commits, ours):
        if contains(commits, theirs, commit.id):
            yield commit


@dataclass(frozen=True, slots=True)
class _Sides:
    """Which side a line came with, or was taken out by, in normal forms."""

    base: frozenset[str]
    ours: frozenset[str]
    theirs: frozenset[str]
    blobs: tuple[Blob | None, Blob | None, Blob | None]
    ours_name: str
    theirs_name: str

    def brought(self, line: str) -> str | None:
        """Whose change a line is that stands in the clean merge."""
        if line in self.base or not line.strip():
            return None
        return self._name(line in self.ours, line in self.theirs)

    def removed(self, line: str) -> str | None:
        """Whose change took a line out that the base had."""
        normal = line.rstrip()
        if normal not in self.base or not line.strip():
            return None
        return self._name(normal not in self.ours, normal not in self.theirs)

    def whole(self, expected: Blob | None, now: Blob | None) -> str | None:
        """Whose change of a whole file was undone."""
        base, ours, theirs = (_id(blob) for blob in self.blobs)
        if _id(now) != base or _id(expected) == base:
            return None
        return self._name(ours == _id(expected), theirs == _id(expected))

    def _name(self, ours: bool, theirs: bool) -> str | None:
        return self.ours_name if ours else self.theirs_name if theirs else None


def _sides(case: Case, task: TaskCase, stages: Mapping[int, Blob]) -> _Sides:
    form = alike(case.scenario.spacing)

    def forms(stage: int) -> Lines:
        return form(case.lines(stages.get(stage)))

    return _Sides(
        frozenset(forms(1)),
        frozenset(forms(2)),
        frozenset(forms(3)),
        (stages.get(1), stages.get(2), stages.get(3)),
        task.ours_name,
        task.theirs_name,
    )
