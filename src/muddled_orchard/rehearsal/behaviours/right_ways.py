"""What learners leave who resolve conflicts as the key accepts, but not as its own solution does: another
alternative, other words where rules decide, or one that is worth less."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence

from muddled_orchard.core.exercise.text_rules import TextRules, Undecided, flaw_in
from muddled_orchard.core.git.lines import Lines, alike
from muddled_orchard.core.grading.readings import laid_out
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.accepted import Accepted, HunkChoice
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.outside_edits import FreeStretch
from muddled_orchard.core.merging.conflict import Hunk, MergedText
from muddled_orchard.core.merging.keep import KEEP, lines_kept
from muddled_orchard.rehearsal.behaviours.expecting import expect
from muddled_orchard.rehearsal.session import LearnerSession, solve

_Pick = Callable[[Sequence[Accepted], MergedText, Key], Lines | None]


def otherwise(session: LearnerSession) -> Expected:
    """Resolve everything as accepted, wherever it can be in another way than the key's own."""
    _resolve(session, _another)
    return expect(session)


def for_less(session: LearnerSession) -> Expected:
    """Take what is worth least of what the key knows, wherever there is something that is worth less."""
    _resolve(session, _least)
    return expect(session, "resolution", "rules rest")


def can_be_otherwise(key: Key) -> bool:
    """Where there is another way that is as good."""
    return any(_another(ways, merged, key) is not None for ways, merged in _answered(key))


def can_be_for_less(key: Key) -> bool:
    """Where something is worth less than all."""
    return any(_least(ways, merged, key) is not None for ways, merged in _answered(key))


def _answered(key: Key) -> Iterator[tuple[Sequence[Accepted], MergedText]]:
    for step in key.steps:
        for conflict in step.merge.conflicts:
            if conflict.merged is not None:
                yield step.accepted.get(conflict.path, ()), conflict.merged


def _resolve(session: LearnerSession, pick: _Pick) -> None:
    def resolve(session: LearnerSession, step: Step) -> None:
        shown = {path: session.merged(step, path, ids) for path, ids in session.unmerged().items()}
        solve(session, step)
        for path, merged in shown.items():
            known = step.merge.conflict(path)
            if merged is None or known is None or known.merged is not merged:
                continue
            lines = pick(step.accepted.get(path, ()), merged, session.key)
            if lines is not None:
                session.write(path, "".join(lines).encode("utf-8", "surrogateescape"))

    session.carry_out(resolve)


def _another(ways: Sequence[Accepted], merged: MergedText, key: Key) -> Lines | None:
    """The whole text of another way that earns all points, or None where there is none."""
    form = alike(key.scenario.spacing)
    best = [way for way in ways if way.worth == 1 and len(way.choices) == len(merged.hunks)]
    for way in reversed(best):
        lines = _composed(way, merged, form, lambda choices: [c for c in choices if c.worth == 1][-1])
        if form(lines) != form(best[0].text):
            return lines
    return None


def _least(ways: Sequence[Accepted], merged: MergedText, key: Key) -> Lines | None:
    """The whole text of the way that earns least, or None where all of them earn everything."""
    form = alike(key.scenario.spacing)
    known = [way for way in ways if len(way.choices) == len(merged.hunks)]
    if not any(way.worth * choice.worth < 1 for way in known for hunk in way.choices for choice in hunk):
        return None
    return _composed(known[-1], merged, form, lambda choices: choices[-1], own=True)


def _composed(
    way: Accepted,
    merged: MergedText,
    form: Callable[[Lines], Lines],
    choose: Callable[[Sequence[HunkChoice]], HunkChoice],
    *,
    own: bool = False,
) -> Lines:
    """A resolution with one choice for each hunk; where rules decide in other words, unless `own`."""
    lines: Lines = ()
    number = 0
    for part in laid_out(merged, way):
        if isinstance(part, Hunk):
            choice = choose(way.choices[number])
            sides = [lines_kept(part, word) for word in KEEP]
            rules = None if own else choice.rules
            lines += _in_other_words(choice.text, rules, sides, form)
            number += 1
        elif isinstance(part, FreeStretch):
            wanted = way.clean[part.stretch][part.start : part.stop]
            lines += wanted if own else _in_other_words(wanted, part.rules, (), form)
        else:
            lines += part
    return lines


def _in_other_words(
    text: Lines, rules: TextRules | None, more: Sequence[Lines], form: Callable[[Lines], Lines]
) -> Lines:
    """Other lines that hold the same rules, or the same where none are found."""
    if rules is None:
        return text
    spaced = tuple(re.sub(r"\s*=\s*", "=", line.rstrip("\n")) + "\n" for line in text)
    for other in (text[::-1], *more, spaced, tuple("  " + line for line in text)):
        try:
            if form(other) != form(text) and flaw_in(rules, "".join(other), "it") is None:
                return other
        except Undecided:
            return text
    return text
