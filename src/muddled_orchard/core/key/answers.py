"""What the scenario's answers accept where a merge conflicts, word by word and text by text."""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import Problem, likely
from muddled_orchard.core.exercise.scenario import Answer, KeepText, Scenario
from muddled_orchard.core.git.lines import Lines, SpacingRule, alike, lines_of
from muddled_orchard.core.git.trees import PLAIN_FILE, Blob, Tree
from muddled_orchard.core.merging.alignment import Gap, align
from muddled_orchard.core.merging.conflict import STAGE, Conflict, Hunk, MergedText, MergeResult
from muddled_orchard.core.merging.keep import KEEP, lines_kept

AS_WRITTEN = "as written in the key"


_SIDES = (("ours",), ("theirs",), ("base",))


@dataclass(frozen=True, slots=True, kw_only=True)
class Accepted:
    """One accepted resolution of one conflicted path.

    For texts: `words` and `choices` say for each hunk what to call the right choice and what it
    reads; `clean` are the stretches between (the merge's own unless the key changes something there
    too), in the places where `MergedText.parts` has them. `gone` asks for the path not to exist,
    `whole` for one side's version of it as it is (its word is in `words`).
    """

    words: tuple[str, ...] = ()
    choices: tuple[Lines, ...] = ()
    clean: tuple[Lines, ...] = ()
    gone: bool = False
    whole: bool = False
    why: str = ""

    @property
    def text(self) -> Lines:
        """The whole resolved file."""
        parts = [
            line for pair in zip(self.clean, self.choices, strict=False) for part in pair for line in part
        ]
        return (*parts, *(line for part in self.clean[len(self.choices) :] for line in part))


def split(parts: Sequence[Lines | Hunk]) -> Iterator[tuple[Lines, Hunk | None]]:
    """Each hunk with the clean stretch before it, and at last the clean stretch behind all."""
    clean: Lines = ()
    for part in parts:
        if isinstance(part, Hunk):
            yield clean, part
            clean = ()
        else:
            clean += part
    yield clean, None


def gap_for(hunk: Hunk, spacing: SpacingRule, more: Sequence[Lines] = ()) -> Gap:
    """A hunk's place in an alignment, with every text that may be expected there in normal form."""
    form = alike(spacing)
    texts = (
        *more,
        hunk.ours,
        hunk.theirs,
        hunk.base,
        hunk.ours + hunk.theirs,
        hunk.theirs + hunk.ours,
        hunk.ours + hunk.base + hunk.theirs,  # markers left in diff3 style
    )
    return Gap(tuple(form(text) for text in texts))


def accepted_for(
    conflict: Conflict,
    scenario: Scenario,
    task: int,
    label: str | None = None,
    texts: Mapping[str, bytes] = MappingProxyType({}),
) -> tuple[tuple[Accepted, ...], tuple[Problem, ...]]:
    """What the scenario's answers accept for one conflict of a task, and what is wrong with them.

    `label` is that of the commit that is being replayed, where it has one, `texts` are contents by blob id.
    """
    found: list[Accepted] = []
    problems: list[Problem] = []
    for number, answer in enumerate(scenario.answer):
        if not _is_for(answer, conflict.path, task, label):
            continue
        if answer.gone:
            found.append(Accepted(gone=True, words=("gone",), why=answer.why))
        elif answer.side is not None or conflict.merged is None:
            found += (
                _in_hunks(way, conflict, scenario.spacing, texts)
                for way in _whole_side(conflict, answer, number, problems)
            )
        elif answer.text is not None:
            found.append(by_text(conflict.merged, lines_of(answer.text), scenario.spacing, answer.why))
        else:
            kept = _by_words(conflict.merged, answer, number, problems)
            found += [kept] if kept else []
    return tuple(found), tuple(problems)


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
    words, choices = [], []
    for place, (word, hunk) in enumerate(zip(keep, hunks, strict=True)):
        if isinstance(word, KeepText):
            words.append(AS_WRITTEN)
            choices.append(lines_of(word.text if word.text.endswith("\n") else word.text + "\n"))
        elif word in KEEP:
            words.append(word)
            choices.append(lines_kept(hunk, word))
        else:
            problems.append(
                Problem(f'"{word}" is no choice', likely(word, KEEP), ("answer", number, "keep", place))
            )
            return None
    clean = tuple(stretch for stretch, _ in split(merged.parts))
    return Accepted(words=tuple(words), choices=tuple(choices), clean=clean, why=answer.why)


def _in_hunks(
    way: Accepted, conflict: Conflict, spacing: SpacingRule, texts: Mapping[str, bytes]
) -> Accepted:
    """A side's whole file, with what it has in each hunk where there are hunks."""
    if not way.whole or conflict.merged is None:
        return way
    lines = lines_of(texts.get(conflict.stages[STAGE[way.words[0]]].id, b""))
    cut = by_text(conflict.merged, lines, spacing, way.why)
    return replace(way, words=way.words * len(cut.words), choices=cut.choices, clean=cut.clean)


def by_text(merged: MergedText, lines: Lines, spacing: SpacingRule, why: str = "") -> Accepted:
    """A whole text as the accepted resolution, cut along the merge's hunks."""
    form = alike(spacing)
    template: list[Lines | Gap] = [
        gap_for(part, spacing) if isinstance(part, Hunk) else form(part) for part in merged.parts
    ]
    gaps = align(template, form(lines)).readings[0].gaps
    words, choices = [], []
    for hunk, (start, stop) in zip(merged.hunks, gaps, strict=True):
        text = lines[start:stop]
        choices.append(text)
        same = (word for word in KEEP if form(lines_kept(hunk, word)) == form(text))
        words.append(next(same, AS_WRITTEN))
    edges = [0, *(edge for gap in gaps for edge in gap), len(lines)]
    clean = tuple(lines[start:stop] for start, stop in zip(edges[::2], edges[1::2], strict=True))
    return Accepted(words=tuple(words), choices=tuple(choices), clean=clean, why=why)


def _is_for(answer: Answer, path: str, task: int, label: str | None) -> bool:
    return answer.file == path and answer.task in (None, task) and answer.commit in (None, label)


def _whole_side(
    conflict: Conflict, answer: Answer, number: int, problems: list[Problem]
) -> Iterator[Accepted]:
    """A path without hunks: a side's whole version, or the text as it is written."""
    if answer.text is not None:
        yield Accepted(words=(AS_WRITTEN,), clean=(lines_of(answer.text),), why=answer.why)
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
            yield Accepted(words=(word,), whole=True, why=answer.why)
        else:
            problems.append(
                Problem(
                    f"{word} has no {answer.file}: it was deleted there",
                    "Answer with gone = true where the deletion is right.",
                    ("answer", number),
                )
            )


def fixes_to_clean_merges(
    merge: MergeResult, scenario: Scenario, task: int, label: str | None
) -> dict[str, str]:
    """Files that Git merges cleanly into something wrong, or that are to be made: the text that the key
    gives them. A name that only resembles one that is there is no new file, but a mistake."""
    conflicted = {conflict.path for conflict in merge.conflicts}
    there = [*merge.tree, *conflicted]
    return {
        answer.file: answer.text
        for answer in scenario.answer
        if answer.text is not None
        and answer.file not in conflicted
        and (answer.file in merge.tree or not difflib.get_close_matches(answer.file, there, 1, 0.8))
        and _is_for(answer, answer.file, task, label)
    }


def solved_conflict(
    conflict: Conflict, accepted: Sequence[Accepted], texts: Mapping[str, bytes]
) -> bytes | None:
    """The content that the key's first answer gives a conflicted path (ours without one); None: gone."""
    if not accepted:
        ours = conflict.stages.get(2)
        return None if ours is None else texts[ours.id]
    first = accepted[0]
    if first.gone:
        return None
    if first.whole:
        return texts[conflict.stages[STAGE[first.words[0]]].id]
    return "".join(first.text).encode("utf-8", "surrogateescape")


def blob_mode(conflict: Conflict, accepted: Sequence[Accepted], merged: Blob | None) -> int:
    """The mode that a resolved path has: that of the side that is wanted, else what Git merges (`merged` is
    what it leaves at the path), or that of a side that has it."""
    if accepted and accepted[0].whole:
        return conflict.stages[STAGE[accepted[0].words[0]]].mode
    if merged is not None and conflict.merged is not None:
        return merged.mode
    return next((conflict.stages[stage].mode for stage in (2, 3, 1) if stage in conflict.stages), PLAIN_FILE)


def modes_of(conflict: Conflict, solved: Tree, merged: Tree) -> frozenset[int]:
    """The modes that a resolved path may have: as the key's, as Git merges it, and as a side's where it is
    new on both."""
    modes = {tree[conflict.path].mode for tree in (solved, merged) if conflict.path in tree}
    if 1 not in conflict.stages:
        modes |= {blob.mode for blob in conflict.stages.values()}
    return frozenset(modes)
