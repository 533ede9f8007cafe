"""resolution: each conflict is resolved in a way that the key accepts."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.assessment import HunkResult, Outcome, Place, partly, skipped
from muddled_orchard.core.case import Case, ConflictCase, TaskCase, short
from muddled_orchard.core.key import Accepted
from muddled_orchard.core.meeting import STAGE
from muddled_orchard.core.readings import HunkReading
from muddled_orchard.core.texts import alike
from muddled_orchard.core.wording import counted


def judge(case: Case) -> Outcome:
    """The share of conflicts that were resolved as accepted."""
    results = list(hunk_results(case))
    judged = [result for result in results if result.outcome != "skipped"]
    expected = sum(_size(task) for task in case.tasks)
    if not expected:
        return skipped("Nothing conflicts in this scenario.")
    if not judged and results:
        return skipped("The key accepts nothing for these conflicts; a person has to look.")
    good = [result for result in judged if result.outcome == "met"]
    bad = [result for result in judged if result.outcome == "missed"]
    total = max(len(judged), expected)
    places = tuple(Place(result.file, result.line) for result in bad)
    if not bad and len(good) == total:
        said = "The conflict is" if total == 1 else f"All {total} conflicts are"
        return partly(f"{said} resolved as the key accepts.", 1.0)
    said = " ".join(said_of(result) for result in bad[:3])
    if len(bad) > 3:
        said += f" And {counted(len(bad) - 3, 'more conflict')}."
    if total > len(judged):
        said += f" {counted(total - len(judged), 'conflict')} were never met."
    return partly(said.strip(), len(good) / total, places)


def _size(task: TaskCase) -> int:
    return sum(
        len(conflict.merged.hunks) if conflict.merged else 1
        for conflict in task.meeting.conflicts
        if task.step.accepted.get(conflict.path) or task.meeting is not task.step.meeting
    )


def said_of(result: HunkResult) -> str:
    """What was kept, what was wanted, and the key's reason."""
    where = f"{result.file}, line {result.line}" if result.line else result.file
    if result.commit:
        where += f' (of "{result.commit}")'
    if result.renamed:
        where += f", now {result.renamed}"
    said = f"{where}: {_kept(result)}"
    if result.accepted and result.kept != "unresolved":
        said += f"; wanted: {' or '.join(_named(result, word) for word in result.accepted)}"
    said += "."
    other = {"ours": "theirs", "theirs": "ours"}.get(result.kept)
    if other in result.accepted and "new base" in result.ours_name:
        said += (
            " In a rebase ours is the new base, and theirs is your own commit: "
            "this is exactly the other way round than wanted."
        )
    why = " ".join(result.why.split())
    return f"{said} {why}".strip()


def _kept(result: HunkResult) -> str:
    match result.kept:
        case "unresolved":
            return "the conflict is still there, with its markers"
        case "gone":
            return "the file was deleted"
        case "neither":
            return "neither side was kept; the lines were deleted"
        case "base":
            return "the old text was kept, from before either side changed it"
        case "blend":
            return "what stands there now is neither side, nor both"
        case "ours+theirs" | "theirs+ours":
            first, second = (_named(result, name) for name in result.kept.split("+"))
            swapped = "+".join(reversed(result.kept.split("+")))
            order = " in the wrong order" if swapped in result.accepted else ""
            return f"both sides were kept{order}, {first} before {second}"
    return f"{_named(result, result.kept)} was kept"


def _named(result: HunkResult, word: str) -> str:
    """A word of the key with the branches that it means here."""
    if word == "gone":
        return "no such file"
    names = {"ours": result.ours_name, "theirs": result.theirs_name}
    return " and then ".join(names.get(part, part) for part in word.split("+"))


def hunk_results(case: Case) -> Iterator[HunkResult]:
    """What became of every conflict, in the order of tasks, files and hunks."""
    for task in case.tasks:
        for conflict in task.conflicts:
            if conflict.reading is not None:
                for hunk in conflict.reading.hunks:
                    yield _of_hunk(task, conflict, hunk)
            else:
                yield _of_path(case, task, conflict)


def _of_hunk(task: TaskCase, conflict: ConflictCase, hunk: HunkReading) -> HunkResult:
    wanted = "\n or \n".join("".join(text) for text in hunk.wanted_texts)
    only_gone = bool(conflict.accepted) and all(one.gone for one in conflict.accepted)
    return HunkResult(
        task=task.step.task,
        commit=task.step.label or short(task.step.commit) or None,
        file=conflict.conflict.path,
        hunk=hunk.number,
        kept=hunk.kept,
        accepted=("gone",) if only_gone else hunk.wanted,
        outcome="skipped" if not conflict.accepted else "met" if hunk.accepted else "missed",
        why=hunk.why or next((one.why for one in conflict.accepted), ""),
        line=hunk.line,
        base="".join(hunk.hunk.base),
        ours="".join(hunk.hunk.ours),
        theirs="".join(hunk.hunk.theirs),
        left="".join(hunk.text),
        wanted=wanted,
        ours_name=task.ours_name,
        theirs_name=task.theirs_name,
        renamed=conflict.renamed,
    )


def _of_path(case: Case, task: TaskCase, conflict: ConflictCase) -> HunkResult:
    """A conflict without hunks, or a file with hunks that is no longer there."""
    stages = conflict.conflict.stages
    accepted = conflict.accepted
    kept = _kept_path(case, task, conflict)
    words = tuple(dict.fromkeys(word for one in accepted for word in (("gone",) if one.gone else one.words)))
    right = any(_fits(case, conflict, one, kept) for one in accepted)
    return HunkResult(
        task=task.step.task,
        commit=task.step.label or short(task.step.commit) or None,
        file=conflict.conflict.path,
        hunk=None,
        kept=kept,
        accepted=words,
        outcome="skipped" if not accepted else "met" if right else "missed",
        why=accepted[0].why if accepted else "",
        base=case.text(stages.get(1)),
        ours=case.text(stages.get(2)),
        theirs=case.text(stages.get(3)),
        left=case.text(conflict.blob),
        wanted=_wanted(case, conflict),
        ours_name=task.ours_name,
        theirs_name=task.theirs_name,
        renamed=conflict.renamed,
    )


def _wanted(case: Case, conflict: ConflictCase) -> str | None:
    for one in conflict.accepted:
        if not one.gone:
            if one.clean:
                return "".join(one.text)
            return case.text(conflict.conflict.stages[STAGE[one.words[0]]])
    return None


def _kept_path(case: Case, task: TaskCase, conflict: ConflictCase) -> str:
    if conflict.conflict.path in case.evidence.unmerged and task.result.in_working_tree:
        return "unresolved"
    if conflict.blob is None:
        return "gone"
    form = alike(case.scenario.spacing)
    now = form(conflict.lines)
    for word, stage in (("ours", 2), ("theirs", 3), ("base", 1)):
        side = conflict.conflict.stages.get(stage)
        if side is not None and (side.id == conflict.blob.id or (now and form(case.lines(side)) == now)):
            return word
    return "blend"


def _fits(case: Case, conflict: ConflictCase, one: Accepted, kept: str) -> bool:
    if one.gone:
        return kept == "gone"
    if not one.whole:
        form = alike(case.scenario.spacing)
        return conflict.blob is not None and form(one.text) == form(conflict.lines)
    return kept == one.words[0]
