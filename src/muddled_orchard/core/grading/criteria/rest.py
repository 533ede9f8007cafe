"""rest: everything that did not conflict is what a clean merge leaves, and nothing else was changed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.exercise.todo import todo_of
from muddled_orchard.core.git.commits import Commit, ancestry, contains
from muddled_orchard.core.git.lines import Lines, SpacingRule, alike
from muddled_orchard.core.git.trees import EXECUTABLE, Blob, are_alike
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly
from muddled_orchard.core.grading.case import Case, ConflictCase, TaskCase
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.core.grading.kinds.rest import CameThrough, Departures, NothingOfSide, WholeFileOfSide
from muddled_orchard.core.grading.other_commits import other_commits
from muddled_orchard.core.grading.readings import read_file
from muddled_orchard.core.key.accepted import Accepted
from muddled_orchard.core.key.answer_key import touched_paths
from muddled_orchard.core.merging.alignment import align
from muddled_orchard.core.merging.conflict import Hunk, MergedText
from muddled_orchard.core.merging.markers import is_whole
from muddled_orchard.core.submission.status import is_backup


class Departure(Struct, frozen=True):
    """A place where the result is not what a clean merge leaves: a line that is missing (`lost`), or
    one that nobody asked for; `what` says more of a whole file, as in `kinds.Departures`. `side` names whose
    change it undoes, where it undoes one. `asked`: the key wants this outside a hunk, beyond what a clean
    merge leaves. `further`: it is in a conflict that the key does not have."""

    path: str
    line: int | None
    text: str
    lost: bool
    side: str | None = None
    asked: bool = False
    what: str | tuple[int, int] = ""
    further: bool = False


def judge(case: Case) -> Outcome:
    """Missed where a side's clean change was lost, partly where something else was changed."""
    found = [one for task in case.tasks for one in departures(case, task) if not _is_of_work(case, one)]
    if not found:
        return met(CameThrough())
    asked = [departure for departure in found if departure.asked]
    undone = [departure for departure in found if departure.side and not departure.asked]
    commit = next((task.result.judged_commit for task in reversed(case.tasks) if task.tree is not None), None)
    where = tuple(Place(departure.path, departure.line, commit) for departure in found[:20])
    if not undone and not asked:
        return partly([_told("changed", found), *other_commits(case)], where=where)
    fixed = {path for task in case.tasks for path in task.step.clean_merge_fixes}
    beyond = [departure for departure in asked if departure.path not in fixed]
    clean = [departure for departure in asked if departure.path in fixed]
    told: list[Kind] = [_told("beyond", beyond)] if beyond else []
    told += [_told("clean", clean)] if clean else []
    told += [Said(why) for why in dict.fromkeys(_known_reasons(case, {one.path for one in beyond}))]
    for side, further in dict.fromkeys((departure.side, departure.further) for departure in undone):
        own = [one for one in undone if (one.side, one.further) == (side, further)]
        # A line that came back where another was lost is the same change seen from its other end.
        group: Literal["further", "lost"] = "further" if further else "lost"
        told.append(_told(group, [departure for departure in own if departure.lost] or own, side))
    paths = {departure.path for departure in undone if not departure.what}
    return missed([*told, *_whole_files(case, paths), *other_commits(case)], where)


def _is_of_work(case: Case, departure: Departure) -> bool:
    """Whether a departure is work that was handed out uncommitted, which may be committed wherever it is: a
    line that it adds or takes out, or a file that it makes."""
    lines = case.submission.work_lines.get(departure.path)
    if lines is None or departure.what:
        return lines is not None and departure.what == "added"
    form = alike(case.scenario.spacing)
    line = form([departure.text])[0] if departure.text else departure.text
    added, gone = lines
    return (gone if departure.lost else added)[line] > 0


def _known_reasons(case: Case, paths: Collection[str]) -> Iterator[str]:
    """What the key says of files that read like an answer that it knows and gives less for."""
    for task in case.tasks:
        for conflict in task.conflicts:
            way = conflict.reading.exactly if conflict.reading else None
            if way is not None and way.why and conflict.conflict.path in paths:
                yield " ".join(way.why.split())


def _told(
    group: Literal["beyond", "clean", "lost", "further", "changed"],
    found: Sequence[Departure],
    side: str | None = None,
) -> Departures:
    places = tuple(
        (departure.path, departure.line, departure.text.strip()[:50], _what(departure))
        for departure in found[:3]
    )
    return Departures(group, side, places, len(found))


def _what(departure: Departure) -> str | tuple[int, int]:
    if departure.what:
        return departure.what
    if departure.lost:
        return "missing"
    return "back" if departure.side else "left" if departure.asked else "new"


def _whole_files(case: Case, undone: Collection[str]) -> Iterator[Kind]:
    """Where a whole file in which something is undone, or all of them, is one side's, that is the likely
    reason."""
    form = alike(case.scenario.spacing)
    for task in case.tasks:
        if task.step.commit is None and task.tree == case.commits[task.result.ours].tree:
            yield NothingOfSide(task.theirs_name)
            continue
        for conflict in task.conflicts:
            if conflict.conflict.path not in undone:
                continue
            for stage, name in ((2, task.ours_name), (3, task.theirs_name)):
                side = conflict.conflict.stages.get(stage)
                if side and conflict.reading and form(case.lines(side)) == form(conflict.lines):
                    yield WholeFileOfSide(conflict.conflict.path, name)


def departures(case: Case, task: TaskCase) -> Iterator[Departure]:
    """Every place of a task's result that differs from the clean merge, in the order of files."""
    if task.tree is None or task.result.shape in ("skipped", "other"):
        return  # `history` has the cost of that
    squashed = task.result.shape == "squashed"
    for conflict in task.conflicts:
        if conflict.reading is not None and conflict.conflict.path not in task.hidden:
            yield from _beside_hunks(case, task, conflict)
        yield from _of_mode(case, task, conflict)
    done = {*task.hidden, *(conflict.conflict.path for conflict in task.conflicts)}
    done |= {conflict.left_at for conflict in task.conflicts if conflict.left_at}
    dropped = _of_dropped(case, task)
    paths = {*task.merge.tree, *task.tree, *task.step.clean_merge_fixes} - done
    if squashed or (task.step.into is not None and not _begins_as_asked(case, task)):
        paths &= touched_paths(case.key, task.step)  # of the others `history` has the cost
    for path in sorted(paths):
        wanted = task.step.solved if path in task.step.clean_merge_fixes else task.merge.tree
        expected, now = wanted.get(path), task.tree.get(path)
        if expected == now or now == task.step.solved.get(path) or now in dropped.get(path, ()):
            continue
        if expected is not None or not is_backup(path):  # those are told by tidy
            yield from _in_file(case, task, path, expected, now)


def _begins_as_asked(case: Case, task: TaskCase) -> bool:
    """Whether the commit that a step becomes a part of stands on what the key has below it."""
    lead = next((step for step in case.key.steps if step.commit == task.step.into), None)
    made = case.commits.get(task.result.result_commit or "")
    below = case.commits.get(made.parents[0]) if made and made.parents else None
    return lead is not None and below is not None and below.tree == case.commits[lead.ours].tree


def _of_dropped(case: Case, task: TaskCase) -> dict[str, list[Blob]]:
    """What commits leave that were to be dropped: that they are still there costs `history`, and costs
    once."""
    found: dict[str, list[Blob]] = {}
    labels = {item.label for item in todo_of(task.task) if item.word == "drop"}
    for planned, id_ in zip(case.key.history.commits, case.key.ids, strict=True):
        if planned.label in labels:
            for path, blob in case.commits[id_].tree.items():
                found.setdefault(path, []).append(blob)
    return found


def _of_mode(case: Case, task: TaskCase, conflict: ConflictCase) -> Iterator[Departure]:
    """A conflicted file that is executable now, or no longer; whether a path without hunks is right as a
    whole, is told by `resolution`."""
    blob = conflict.blob
    if conflict.reading is not None and blob is not None and blob.mode not in conflict.modes:
        path = conflict.renamed or conflict.conflict.path
        sides = _sides(case, task, conflict.conflict.stages)
        wanted = next(iter(sorted(conflict.modes)), blob.mode)
        what = _of_modes(wanted, blob.mode)
        yield Departure(path, None, "", False, sides.of_mode(wanted), what=what)


def _of_modes(wanted: int, now: int) -> str | tuple[int, int]:
    if not are_alike(wanted, now):
        return now, wanted
    return "executable" if now == EXECUTABLE else "plain"


def _beside_hunks(case: Case, task: TaskCase, conflict: ConflictCase) -> Iterator[Departure]:
    """What departs in a file with hunks, outside of them."""
    sides = _sides(case, task, conflict.conflict.stages)
    merged, asked = _outside(case, conflict)
    path = conflict.renamed or conflict.conflict.path
    reading = conflict.reading
    for at, text in reading.lost if reading else ():
        yield Departure(path, at, text, True, sides.brought(text), bool(asked) and text not in merged)
    yield from _lost_in_extra_hunks(case, task, conflict)
    for at, text in reading.added if reading else ():
        normal = text.rstrip()
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
                    yield Departure(path, hunk.line, line, True, name, further=True)


def _in_file(
    case: Case, task: TaskCase, path: str, expected: Blob | None, now: Blob | None
) -> Iterator[Departure]:
    """What departs in a file that merged cleanly."""
    spacing = alike(case.scenario.spacing)
    base, ours, theirs = (_blob(case, id_, path) for id_ in _merge_ids(case, task))
    sides = _sides(case, task, {n: blob for n, blob in ((1, base), (2, ours), (3, theirs)) if blob})
    if now is None or expected is None:
        if now is None:
            what = "deleted" if ours is not None else "missing"
        else:
            what = "left" if now == ours else "added"
        yield Departure(path, None, "", now is None, sides.whole(expected, now), what=what)
        return
    before, after = case.lines(expected), case.lines(now)
    if expected.mode != now.mode:
        modes = _of_modes(expected.mode, now.mode)
        yield Departure(path, None, "", False, sides.of_mode(expected.mode), what=modes)
        if not are_alike(expected.mode, now.mode):
            return
    if expected.id == now.id:
        return
    if spacing(before) == spacing(after):
        if not before and not after:
            yield Departure(path, None, "", False, sides.whole(expected, now), what="changed")
        return
    if ways := task.step.clean_merge_fixes.get(path):
        yield from _beside_the_key(path, after, ways, case.scenario.spacing, sides)
        return
    reading = align([spacing(before)], spacing(after)).readings[0]
    for at, text in reading.lost:
        yield Departure(path, at + 1, text, True, sides.brought(text))
    for at in reading.added:
        if not is_whole(after[at]):
            yield Departure(path, at + 1, after[at], False, sides.removed(spacing([after[at]])[0]))


def _beside_the_key(
    path: str, lines: Lines, ways: Sequence[Accepted], spacing: SpacingRule, sides: _Sides
) -> Iterator[Departure]:
    """What departs from what the key wants of a file that merges cleanly."""
    reading = read_file(MergedText(()), lines, ways, spacing, ())
    for at, text in reading.lost:
        yield Departure(path, at, text, True, sides.brought(text), True)
    for at, text in reading.added:
        yield Departure(path, at, text, False, sides.removed(text), True)


def _outside(case: Case, conflict: ConflictCase) -> tuple[frozenset[str], frozenset[str]]:
    """The lines outside the hunks, in normal forms: as Git merges them, and as the key wants them where
    it wants something else there."""
    form = alike(case.scenario.spacing)
    merged = conflict.conflict.merged
    clean = (
        form(line for part in merged.parts if not isinstance(part, Hunk) for line in part) if merged else ()
    )
    way = conflict.reading.way if conflict.reading else None
    wanted = form(line for part in way.clean for line in part) if way else clean
    return frozenset(clean), frozenset(() if wanted == clean else wanted)


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


class _Sides(Struct, frozen=True):
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
        return self._name(ours=self.ours.get(line, 0) > before, theirs=self.theirs.get(line, 0) > before)

    def removed(self, line: str) -> str | None:
        """Whose change took a line out that the base had."""
        normal = line.rstrip()
        before = self.base.get(normal, 0)
        if not line.strip():
            return None
        return self._name(ours=self.ours.get(normal, 0) < before, theirs=self.theirs.get(normal, 0) < before)

    def of_mode(self, mode: int) -> str | None:
        """Whose change it is that a file has this mode."""
        base, ours, theirs = (blob.mode if blob else None for blob in self.blobs)
        return None if base is None or mode == base else self._name(ours=ours == mode, theirs=theirs == mode)

    def whole(self, expected: Blob | None, now: Blob | None) -> str | None:
        """Whose change of a whole file was undone."""
        base, ours, theirs = self.blobs
        if now != base or expected == base:
            return None
        return self._name(ours=ours == expected, theirs=theirs == expected)

    def _name(self, *, ours: bool, theirs: bool) -> str | None:
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
