"""rest: everything that did not conflict is what a clean merge leaves, and nothing else was changed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from muddled_orchard.core.git.commits import Commit, ancestry, contains
from muddled_orchard.core.git.lines import Lines, alike
from muddled_orchard.core.git.trees import Blob, are_alike, kind_of
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly
from muddled_orchard.core.grading.case import Case, ConflictCase, TaskCase
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.merging.alignment import align
from muddled_orchard.core.merging.conflict import Hunk
from muddled_orchard.core.merging.markers import is_whole
from muddled_orchard.core.submission.status import is_backup


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
    commit = next((task.result.judged_commit for task in reversed(case.tasks) if task.tree is not None), None)
    where = tuple(Place(departure.path, departure.line, commit) for departure in found[:20])
    sentences = []
    mended = {path for task in case.tasks for path in task.step.clean_merge_fixes}
    for beginning, some in (
        (
            "Here more than the hunk had to be changed, and that was not",
            [d for d in asked if d.path not in mended],
        ),
        ("This merges cleanly and had to be changed all the same", [d for d in asked if d.path in mended]),
    ):
        if some:
            said = _cut([f"{_place(departure)}{_said(departure)}" for departure in some])
            sentences.append(f"{beginning}: {said}.")
    if not undone and not asked:
        said = _cut([f"{_place(departure)}{_said(departure)}" for departure in found])
        return partly(f"Something outside the conflict was changed: {said}.", where=where)
    for side in dict.fromkeys(departure.side for departure in undone):
        own = [departure for departure in undone if departure.side == side]
        # A line that came back where another was lost is the same change seen from its other end.
        shown = [departure for departure in own if departure.lost] or own
        said = _cut([f"{_place(departure)}{_said(departure)}" for departure in shown])
        sentences.append(f"What {side} changed outside the conflict was lost: {said}.")
    paths = {departure.path for departure in undone}
    return missed(" ".join(dict.fromkeys((*sentences, *_whole_files(case, paths)))), where)


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


def _whole_files(case: Case, undone: Collection[str]) -> Iterator[str]:
    """Where a whole file in which something is undone, or all of them, is one side's, that is the likely
    reason."""
    form = alike(case.scenario.spacing)
    for task in case.tasks:
        if task.step.commit is None and task.tree == case.commits[task.result.ours].tree:
            yield f"Nothing of {task.theirs_name} came in at all, as with git merge -s ours."
            continue
        for conflict in task.conflicts:
            if conflict.conflict.path not in undone:
                continue
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
        yield from _of_mode(case, task, conflict)
    done = {conflict.conflict.path for conflict in task.conflicts}
    done |= {conflict.left_at for conflict in task.conflicts if conflict.left_at}
    spacing = alike(case.scenario.spacing)
    for path in sorted({*task.merge.tree, *task.tree, *task.step.clean_merge_fixes} - done):
        wanted = task.step.solved if path in task.step.clean_merge_fixes else task.merge.tree
        expected, now = wanted.get(path), task.tree.get(path)
        if expected == now or now == task.step.solved.get(path):
            continue
        same_kind = expected is None or now is None or expected.mode == now.mode
        if squashed and same_kind and spacing(case.lines(now)) == squashed.get(path):
            continue
        if expected is not None or not is_backup(path):  # those are told by tidy
            yield from _in_file(case, task, path, expected, now)


def _of_mode(case: Case, task: TaskCase, conflict: ConflictCase) -> Iterator[Departure]:
    """A conflicted file that is executable now, or no longer; whether a path without hunks is right as a
    whole, is told by `resolution`."""
    blob = conflict.blob
    if conflict.reading is not None and blob is not None and blob.mode not in conflict.modes:
        path = conflict.renamed or conflict.conflict.path
        sides = _sides(case, task, conflict.conflict.stages)
        wanted = next(iter(sorted(conflict.modes)), blob.mode)
        yield Departure(f"{path} {_mode_said(wanted, blob.mode)}", None, "", False, sides.of_mode(wanted))


def _mode_said(wanted: int, now: int) -> str:
    if not are_alike(wanted, now):
        return f"is {kind_of(now).name} now, and was {kind_of(wanted).name}"
    return "is executable now" if now & 0o100 else "is not executable any more"


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
    yield from _lost_in_extra_hunks(case, task, conflict)
    for at, text in reading.added if reading else ():
        normal = text.rstrip()
        if normal not in squashed.get(path, ()):
            missing = bool(asked) and normal in merged and normal not in asked
            yield Departure(path, at, text, False, sides.removed(text), missing)


def _lost_in_extra_hunks(case: Case, task: TaskCase, conflict: ConflictCase) -> Iterator[Departure]:
    """What a side changed in a hunk that the key doesn't have, and that is in the key's solution: by the key
    it came in by itself, and here it was thrown away."""
    form = alike(case.scenario.spacing)
    solved = Counter(form(case.lines(task.step.solved.get(conflict.conflict.path))))
    path = conflict.renamed or conflict.conflict.path
    for hunk in conflict.reading.hunks if conflict.reading else ():
        if hunk.number not in conflict.extra or hunk.kept == "unresolved":
            continue
        base, now = Counter(form(hunk.hunk.base)), Counter(form(hunk.text))
        for name, lines in ((task.ours_name, hunk.hunk.ours), (task.theirs_name, hunk.hunk.theirs)):
            for line, count in (Counter(form(lines)) - base).items():
                if line.strip() and solved[line] >= count > now[line]:
                    yield Departure(path, hunk.line, line, True, name)


def _in_file(
    case: Case, task: TaskCase, path: str, expected: Blob | None, now: Blob | None
) -> Iterator[Departure]:
    """What departs in a file that merged cleanly."""
    spacing = alike(case.scenario.spacing)
    asked = path in task.step.clean_merge_fixes
    base, ours, theirs = (_blob(case, id_, path) for id_ in _merge_ids(case, task))
    sides = _sides(case, task, {n: blob for n, blob in ((1, base), (2, ours), (3, theirs)) if blob})
    if now is None or expected is None:
        what = "was deleted" if now is None else "was added"
        yield Departure(f"{path} {what}", None, "", now is None, sides.whole(expected, now))
        return
    before, after = case.lines(expected), case.lines(now)
    if expected.mode != now.mode:
        yield Departure(
            f"{path} {_mode_said(expected.mode, now.mode)}", None, "", False, sides.of_mode(expected.mode)
        )
        if not are_alike(expected.mode, now.mode):
            return
    if expected.id == now.id:
        return
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
        if holder is not None and holder.id == task.result.result_commit:
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


def _blob(case: Case, id_: str | None, path: str) -> Blob | None:
    commit = case.commits.get(id_ or "")
    return commit.tree.get(path) if commit else None


def _merge_ids(case: Case, task: TaskCase) -> tuple[str | None, str, str]:
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

    base: Mapping[str, int]
    ours: Mapping[str, int]
    theirs: Mapping[str, int]
    blobs: tuple[Blob | None, Blob | None, Blob | None]
    ours_name: str
    theirs_name: str

    def brought(self, line: str) -> str | None:
        """Whose change a line is that stands in the clean merge; of a line that occurs often, one more of
        it."""
        if not line.strip():
            return None
        before = self.base.get(line, 0)
        return self._name(self.ours.get(line, 0) > before, self.theirs.get(line, 0) > before)

    def removed(self, line: str) -> str | None:
        """Whose change took a line out that the base had."""
        normal = line.rstrip()
        before = self.base.get(normal, 0)
        if not line.strip():
            return None
        return self._name(self.ours.get(normal, 0) < before, self.theirs.get(normal, 0) < before)

    def of_mode(self, mode: int) -> str | None:
        """Whose change it is that a file has this mode."""
        base, ours, theirs = (blob.mode if blob else None for blob in self.blobs)
        return None if base is None or mode == base else self._name(ours == mode, theirs == mode)

    def whole(self, expected: Blob | None, now: Blob | None) -> str | None:
        """Whose change of a whole file was undone."""
        base, ours, theirs = self.blobs
        if now != base or expected == base:
            return None
        return self._name(ours == expected, theirs == expected)

    def _name(self, ours: bool, theirs: bool) -> str | None:
        return self.ours_name if ours else self.theirs_name if theirs else None


def _sides(case: Case, task: TaskCase, stages: Mapping[int, Blob]) -> _Sides:
    form = alike(case.scenario.spacing)

    def forms(stage: int) -> Lines:
        return form(case.lines(stages.get(stage)))

    return _Sides(
        Counter(forms(1)),
        Counter(forms(2)),
        Counter(forms(3)),
        (stages.get(1), stages.get(2), stages.get(3)),
        task.ours_name,
        task.theirs_name,
    )


CRITERION = Criterion(
    id="rest",
    weight=2,
    judge=judge,
    question="Did everything that did not conflict come through unchanged?",
    right="Everything that did not conflict came through unchanged.",
    kind="Something that one side brought in is lost, or something was changed that nobody asked for.",
    by_file=True,
)
