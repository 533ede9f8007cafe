"""The key's answers carried over to what a learner met, where an earlier choice of theirs made that another.

A mistake costs once. So whatever follows from it must be as good as what the key has there: each hunk that
the key has is found again among those that were met, its answer is given in the words of the key on the sides
that were met, and what the earlier mistake left outside the hunks is wanted as it is.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.git.lines import Lines, lines_of
from muddled_orchard.core.key.accepted import AS_WRITTEN, Accepted, by_text, size_of, weights_of
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.key.answers import accepted_for
from muddled_orchard.core.merging.conflict import Conflict, Hunk, MergedText
from muddled_orchard.core.merging.keep import KEEP, lines_kept

Pairs = tuple[int | None, ...]
"""For each hunk that was met the place of the key's (from 0), None for one that the key does not have. A path
without hunks counts as one."""


def paired(asked: Conflict | None, met: Conflict) -> Pairs:
    """Which of the key's hunks each hunk of a conflict is, in order: the pairs that share most lines."""
    if asked is None:
        return (None,) * size_of(met)
    if asked.merged is None or met.merged is None:
        return (0, *(None for _ in range(size_of(met) - 1)))
    theirs, ours = asked.merged.hunks, met.merged.hunks
    if len(theirs) == len(ours):
        return tuple(range(len(ours)))
    # The best pairs of the first n and m hunks: how many lines they share, and the pairs themselves.
    best: list[tuple[int, Pairs]] = [(0, ())] * (len(theirs) + 1)
    for hunk in ours:
        row: list[tuple[int, Pairs]] = [(best[0][0], (*best[0][1], None))]
        for place, other in enumerate(theirs):
            choices = [(best[place + 1][0], (*best[place + 1][1], None)), row[-1]]
            if common := _in_common(hunk, other):
                choices.append((best[place][0] + common, (*best[place][1], place)))
            row.append(max(choices, key=lambda choice: choice[0]))
        best = row
    return best[-1][1]


def _in_common(hunk: Hunk, other: Hunk) -> int:
    pairs = ((hunk.theirs, other.theirs), (hunk.base, other.base), (hunk.ours, other.ours))
    return sum(len({*mine} & {*yours}) for mine, yours in pairs)


def carried_over(
    step: Step, met: Conflict, pairs: Pairs, scenario: Scenario, texts: Mapping[str, bytes]
) -> tuple[Accepted, ...]:
    """What is accepted for a conflict that was met instead of the key's."""
    asked = step.merge.conflict(met.path)
    solved = step.solved.get(met.path)
    if solved is None:
        gone = (Accepted(gone=True, word="gone"),)
        return (*gone, *_as_asked(step, met, scenario, texts)) if asked else gone
    lines = lines_of(texts[solved.id])
    known = step.accepted.get(met.path, ())
    if met.merged is None:
        ways = _as_asked(step, met, scenario, texts) if asked else ()
        return (*ways, Accepted(word=AS_WRITTEN, clean=(lines,), weights=ways[0].weights if ways else ()))
    cut = by_text(met.merged, lines, scenario.spacing)
    own = met.merged.clean
    ways = tuple(
        _in_other_hunks(way, asked.merged, met.merged, pairs, cut, own)
        for way in known
        if asked is not None and asked.merged is not None and len(way.choices) == len(asked.merged.hunks)
    )
    why = next((way.why for way in known), "")
    # Who repairs an earlier mistake here leaves the key's whole file: that is right in any case.
    ways = (*ways, replace(cut, clean=own, why=why), replace(cut, why=why))
    asked_weights = weights_of(asked, known) if asked else ()
    weights = tuple(1.0 if pair is None else asked_weights[pair] for pair in pairs)
    return tuple(replace(way, weights=weights) for way in ways)


def _as_asked(
    step: Step, met: Conflict, scenario: Scenario, texts: Mapping[str, bytes]
) -> tuple[Accepted, ...]:
    ways, problems = accepted_for(met, scenario, step.task, step.label, texts)
    return () if problems else ways


def _in_other_hunks(
    way: Accepted, asked: MergedText, met: MergedText, pairs: Pairs, cut: Accepted, own: Sequence[Lines]
) -> Accepted:
    """A resolution of the key's hunks as one of those that were met; for the others it has what the key
    leaves."""
    choices = [
        cut.choices[number]
        if pair is None
        else tuple(
            replace(choice, text=lines_kept(hunk, choice.word)) if choice.word in KEEP else choice
            for choice in way.choices[pair]
        )
        for number, (hunk, pair) in enumerate(zip(met.hunks, pairs, strict=True))
    ]
    as_merged = way.clean == asked.clean
    clean = tuple(own) if as_merged else cut.clean
    return replace(way, choices=tuple(choices), clean=clean, free=(), whole=False)
