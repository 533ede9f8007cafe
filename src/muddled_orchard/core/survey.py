"""What a scenario does, seen before anybody works on it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from muddled_orchard.core.difficulty import Difficulty, difficulty
from muddled_orchard.core.key import Key, Step
from muddled_orchard.core.problems import Problem
from muddled_orchard.core.rules import Undecided, broken
from muddled_orchard.core.scenario import Rule
from muddled_orchard.core.tasks import in_words


@dataclass(frozen=True, slots=True)
class Survey:
    """A key with what an instructor wants to know of it: `errors` must be mended, `remarks` are worth
    knowing, `kinds` are Git's words for the conflicts that occur, in order."""

    key: Key
    difficulty: Difficulty
    operations: tuple[str, ...]
    kinds: tuple[str, ...]
    hunks: int
    errors: tuple[Problem, ...]
    remarks: tuple[str, ...]


def survey(key: Key) -> Survey:
    """Look at a key from all sides."""
    conflicts = [conflict for step in key.steps for conflict in step.meeting.conflicts]
    return Survey(
        key=key,
        difficulty=difficulty(key),
        operations=tuple(dict.fromkeys(task.do for task in key.scenario.task)),
        kinds=tuple(dict.fromkeys(conflict.kind for conflict in conflicts)),
        hunks=sum(len(conflict.merged.hunks) for conflict in conflicts if conflict.merged),
        errors=(*_uncovered(key), *_unfit_rules(key)),
        remarks=tuple(_remarks(key)),
    )


def shape(key: Key) -> tuple[object, ...]:
    """What is alike in every variant of a scenario: where which conflicts are met, and how many hunks."""
    return tuple(
        (
            step.task,
            step.label,
            conflict.path,
            conflict.kind,
            len(conflict.merged.hunks) if conflict.merged else 0,
        )
        for step in key.steps
        for conflict in step.meeting.conflicts
    )


def _uncovered(key: Key) -> Iterator[Problem]:
    for step in key.steps:
        for conflict in step.meeting.conflicts:
            if not step.accepted.get(conflict.path):
                where = f'at "{step.label}"' if step.label else f"in task {step.task}"
                yield Problem(
                    f"the key has no answer for {conflict.path}, which conflicts {where} ({conflict.kind})",
                    f'Add an [[answer]] with file = "{conflict.path}".',
                )


def _unfit_rules(key: Key) -> Iterator[Problem]:
    """Rules that the key's own solution breaks, or that take too long on it, on a side, or on a long text."""
    solved = key.steps[-1].solved if key.steps else {}
    for number, rule in enumerate(key.scenario.rule):
        blob = solved.get(rule.file)
        try:
            found = broken(rule, key.texts[blob.id] if blob else None)
            for data in _hard_on(rule, key):
                broken(rule, data)
        except Undecided as reason:
            hint = "Say it more simply, without repetitions within repetitions."
            yield Problem(f"this rule can't be checked in time: {reason}", hint, ("rule", number))
            continue
        if found is not None:
            yield Problem(f"the key's own solution breaks this rule: {found[0]}", key=("rule", number))


def _hard_on(rule: Rule, key: Key) -> Iterator[bytes]:
    """What a regular expression is tried on: the sides of the file, these over and over, and each of its
    letters over and over with something else at the end."""
    if rule.matches is None:
        return
    stages = [
        blob
        for step in key.steps
        if (conflict := step.meeting.conflict(rule.file)) is not None
        for blob in conflict.stages.values()
    ]
    texts = list(dict.fromkeys(key.texts[blob.id] for blob in stages if blob.id in key.texts))
    yield from texts
    yield from (text * (_LONG // max(1, len(text))) + b"\n~" for text in texts)
    letters = dict.fromkeys(letter for letter in rule.matches + " 0a" if letter.isalnum() or letter == " ")
    yield from (letter.encode() * _LONG + b"~" for letter in list(letters)[:12])


_LONG = 50_000


def _remarks(key: Key) -> Iterator[str]:
    for number, task in enumerate(key.scenario.task, start=1):
        steps = [step for step in key.steps if step.task == number]
        said = f"task {number} ({in_words(task)})"
        if not steps:
            yield f"{said} has nothing to do: everything is there already"
        elif not any(step.meeting.conflicts for step in steps):
            how = "is a fast-forward" if steps[0].fast_forward else "does not conflict"
            yield f"{said} {how}; that is right where it is meant as a control"
        for step in steps:
            if step.commit and becomes_empty(key, step):
                yield f'{said}: the commit "{key.commits[step.commit].subject}" becomes empty'


def becomes_empty(key: Key, step: Step) -> bool:
    """Whether nothing is left of a replayed commit when it is solved by the key."""
    return step.operation.do != "stash-pop" and step.solved == key.commits[step.ours].tree
