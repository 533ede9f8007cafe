"""What the scenario's answers accept where a merge conflicts, word by word and text by text."""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Mapping, Sequence
from types import MappingProxyType

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.exercise.scenario import Answer, AnswerChange, KeepHunk, Scenario
from muddled_orchard.core.exercise.text_rules import Undecided, flaw_in, in_words
from muddled_orchard.core.git.lines import Lines, SpacingRule, lines_of
from muddled_orchard.core.key.accepted import AS_WRITTEN, Accepted, HunkChoice, by_text, size_of
from muddled_orchard.core.key.outside_edits import edited
from muddled_orchard.core.merging.conflict import STAGE, Conflict, Hunk, MergedText, MergeResult
from muddled_orchard.core.merging.keep import KEEP, lines_kept

_SIDES = (("ours",), ("theirs",), ("base",))


def accepted_for(
    conflict: Conflict,
    scenario: Scenario,
    task: int,
    label: str | None = None,
    texts: Mapping[str, bytes] = MappingProxyType({}),
) -> tuple[tuple[Accepted, ...], tuple[Problem, ...]]:
    """What the scenario's answers accept for one conflict of a task, those that earn most first, and what is
    wrong with them.

    `label` is that of the commit that is being replayed, where it has one, `texts` are contents by blob id.
    """
    problems: list[Problem] = []
    answers = [
        (number, answer)
        for number, answer in enumerate(scenario.answer)
        if _is_for(answer, conflict.path, task, label)
    ]
    weights = _weights(conflict, answers, problems)
    found = [
        replace(way, why=answer.why, worth=answer.worth, weights=weights)
        for number, answer in answers
        for way in _ways(conflict, answer, number, scenario.spacing, texts, problems)
    ]
    found.sort(key=lambda way: -way.worth)
    if found and found[0].worth < 1 and not problems:
        what = f"no answer for {conflict.path} is worth all of its points"
        problems.append(
            Problem(what, "Leave worth out of the right one.", ("answer", answers[0][0], "worth"))
        )
    return tuple(found), tuple(problems)


def _ways(
    conflict: Conflict,
    answer: Answer,
    number: int,
    spacing: SpacingRule,
    texts: Mapping[str, bytes],
    problems: list[Problem],
) -> Iterator[Accepted]:
    if answer.gone:
        yield Accepted(gone=True, word="gone")
    elif answer.side is not None or conflict.merged is None:
        for way in _whole_side(conflict, answer, number, problems):
            yield _in_hunks(way, conflict, spacing, texts)
    elif answer.text is not None:
        yield by_text(conflict.merged, lines_of(answer.text), spacing)
    elif answer.keep is None:
        what = f"{answer.file} conflicts, and this answer only says what to change outside its hunks"
        problems.append(Problem(what, "Add keep, with a word for each hunk.", ("answer", number)))
    elif (kept := _by_words(conflict.merged, answer, number, problems)) is not None:
        yield kept


def _weights(
    conflict: Conflict, answers: Sequence[tuple[int, Answer]], problems: list[Problem]
) -> tuple[float, ...]:
    """How much each hunk of a conflict counts: alternatives have these in common, and may leave them out."""
    size = size_of(conflict)
    of_file: float | None = None
    of_hunks: list[float | None] = [None] * size
    for number, answer in answers:
        of_file = _agreed(of_file, answer.weight, ("answer", number, "weight"), problems)
        for place, entry in enumerate((answer.keep or ())[:size]):
            for key, keep in _entries(entry, ("answer", number, "keep", place)):
                of_hunks[place] = _agreed(of_hunks[place], keep.weight, (*key, "weight"), problems)
    return tuple((of_file or 1.0) * (weight or 1.0) for weight in of_hunks)


def _entries(
    entry: str | KeepHunk | Sequence[str | KeepHunk], key: KeyPath
) -> Iterator[tuple[KeyPath, KeepHunk]]:
    """The tables in an entry of `keep`, be it one or a list of alternatives, each with its key."""
    if isinstance(entry, KeepHunk):
        yield key, entry
    elif not isinstance(entry, str):
        yield from (((*key, at), one) for at, one in enumerate(entry) if isinstance(one, KeepHunk))


def _agreed(known: float | None, weight: float | None, key: KeyPath, problems: list[Problem]) -> float | None:
    if None not in (known, weight) and known != weight:
        what = f"this weighs {weight:g}, and {known:g} in another answer for the same conflict"
        problems.append(Problem(what, "Alternatives weigh the same; say it in one of them.", key))
    return known if weight is None else weight


def _by_words(merged: MergedText, answer: Answer, number: int, problems: list[Problem]) -> Accepted | None:
    keep = answer.keep or ()
    hunks = merged.hunks
    if len(keep) != len(hunks):
        problems.append(
            Problem(
                f"keep has {counted(len(keep), 'word')}, but {answer.file} conflicts in "
                f"{counted(len(hunks), 'hunk')}",
                "Write one word a hunk, in the order in which Git shows them.",
                ("answer", number, "keep"),
            )
        )
        return None
    choices = []
    for place, (entry, hunk) in enumerate(zip(keep, hunks, strict=True)):
        key: KeyPath = ("answer", number, "keep", place)
        found = sorted(_choices(entry, hunk, key, problems), key=lambda choice: -choice.worth)
        if not found:
            return None
        if found[0].worth < 1:
            problems.append(
                Problem("nothing here is worth all of the points", "Leave worth out of one.", key)
            )
        choices.append(tuple(found))
    changes = [change for change in answer.change if change.file in (None, answer.file)]
    clean, free = edited(merged.clean, changes, ("answer", number, "change"), problems)
    return Accepted(choices=tuple(choices), clean=clean, free=free)


def _choices(
    entry: str | KeepHunk | Sequence[str | KeepHunk], hunk: Hunk, key: KeyPath, problems: list[Problem]
) -> Iterator[HunkChoice]:
    """What an entry of `keep` accepts in its hunk."""
    if isinstance(entry, str):
        if entry in KEEP:
            yield HunkChoice(word=entry, text=lines_kept(hunk, entry))
        else:
            problems.append(Problem(f'"{entry}" is no choice', likely(entry, KEEP), key))
    elif not isinstance(entry, KeepHunk):
        if not entry:
            problems.append(Problem("this list is empty", "Name at least one word.", key))
        for place, one in enumerate(entry):
            yield from _choices(one, hunk, (*key, place), problems)
    elif entry.keep is not None:
        choices = _choices(entry.keep, hunk, (*key, "keep"), problems)
        yield from (replace(choice, worth=entry.worth) for choice in choices)
    elif not entry.ask:
        yield HunkChoice(word=AS_WRITTEN, text=_whole_lines(entry.text or ""), worth=entry.worth)
    else:
        example = _example(entry, hunk, key, problems)
        if example is not None:
            yield HunkChoice(word=f"lines {in_words(entry)}", text=example, rules=entry, worth=entry.worth)


def _example(rules: KeepHunk, hunk: Hunk, key: KeyPath, problems: list[Problem]) -> Lines | None:
    """Lines that hold rules, for the key's own solution: the text beside them, or what one of the words of a
    key makes of the hunk."""
    try:
        if rules.text is not None:
            example = _whole_lines(rules.text)
            if (flaw := flaw_in(rules, "".join(example), "it")) is not None:
                what = f"this text does not hold the rules beside it: {flaw}"
                problems.append(Problem(what, "Mend the one or the other.", (*key, "text")))
            return example
        sides = (lines_kept(hunk, word) for word in KEEP)
        fits = next((lines for lines in sides if flaw_in(rules, "".join(lines), "it") is None), None)
    except Undecided as reason:
        hint = "Say it more simply, without repetitions within repetitions."
        problems.append(Problem(f"these rules can't be checked in time: {reason}", hint, key))
        return None
    if fits is None:
        what = "neither side holds these rules, nor both"
        problems.append(Problem(what, "Add text = an example of lines that do.", key))
    return fits


def _whole_lines(text: str) -> Lines:
    return lines_of(text if text.endswith("\n") or not text else text + "\n")


def _in_hunks(
    way: Accepted, conflict: Conflict, spacing: SpacingRule, texts: Mapping[str, bytes]
) -> Accepted:
    """A side's whole file, with what it has in each hunk where there are hunks."""
    if not way.whole or conflict.merged is None:
        return way
    lines = lines_of(texts.get(conflict.stages[STAGE[way.word]].id, b""))
    cut = by_text(conflict.merged, lines, spacing)
    choices = tuple((replace(first, word=way.word),) for (first, *_) in cut.choices)
    return replace(way, choices=choices, clean=cut.clean)


def _is_for(answer: Answer, path: str, task: int, label: str | None) -> bool:
    return answer.file == path and answer.task in (None, task) and answer.commit in (None, label)


def _whole_side(
    conflict: Conflict, answer: Answer, number: int, problems: list[Problem]
) -> Iterator[Accepted]:
    """A path without hunks: a side's whole version, or the text as it is written."""
    if answer.text is not None:
        yield Accepted(word=AS_WRITTEN, clean=(lines_of(answer.text),))
    elif answer.side is None and (answer.keep is None or answer.keep not in _SIDES):
        problems.append(
            Problem(
                f"{answer.file} has no hunks: Git calls this conflict {conflict.kind}",
                'Answer with gone = true, text, or side = "ours" (theirs, base) for a side\'s whole file.',
                ("answer", number),
            )
        )
    else:
        word = str(answer.side or (answer.keep or ("ours",))[0])
        stage = STAGE[word]
        if stage in conflict.stages:
            yield Accepted(word=word, whole=True)
        else:
            problems.append(
                Problem(
                    f"{word} has no {answer.file}: it was deleted there",
                    "Answer with gone = true where the deletion is right.",
                    ("answer", number),
                )
            )


def fixes_to_clean_merges(
    merge: MergeResult, scenario: Scenario, task: int, label: str | None, texts: Mapping[str, bytes]
) -> tuple[dict[str, tuple[Accepted, ...]], tuple[Problem, ...]]:
    """Files that Git merges cleanly into something wrong, or that are to be made, with what the key accepts
    of each, and what is wrong with that. A name that only resembles one that is there is no new file, but a
    mistake."""
    conflicted = {conflict.path for conflict in merge.conflicts}
    there = [*merge.tree, *conflicted]
    found: dict[str, list[Accepted]] = {}
    problems: list[Problem] = []
    for number, answer in enumerate(scenario.answer):
        if not _is_for(answer, answer.file, task, label):
            continue
        if answer.text is not None and answer.file not in conflicted:
            if answer.file in merge.tree or not difflib.get_close_matches(answer.file, there, 1, 0.8):
                way = Accepted(clean=(lines_of(answer.text),), why=answer.why)
                found.setdefault(answer.file, []).append(way)
            continue
        for path, changes in _changes_by_file(answer).items():
            key: KeyPath = ("answer", number, "change")
            if path in conflicted:
                if path != answer.file:
                    what, hint = f"{path} conflicts itself", "Give it an answer of its own."
                    problems.append(Problem(what, hint, key))
                continue
            if path not in merge.tree:
                problems.append(Problem(f"there is no {path} in what Git merges", likely(path, there), key))
                continue
            lines = lines_of(texts[merge.tree[path].id])
            clean, free = edited([lines], changes, key, problems)
            found.setdefault(path, []).append(Accepted(clean=clean, free=free, why=answer.why))
        if answer.file in found and answer.worth < 1:
            what = f"{answer.file} does not conflict, so nothing of it is worth less"
            problems.append(Problem(what, "Leave worth out.", ("answer", number, "worth")))
    return {path: tuple(ways) for path, ways in found.items()}, tuple(problems)


def _changes_by_file(answer: Answer) -> dict[str, list[AnswerChange]]:
    found: dict[str, list[AnswerChange]] = {}
    for change in answer.change:
        found.setdefault(change.file or answer.file, []).append(change)
    return found
