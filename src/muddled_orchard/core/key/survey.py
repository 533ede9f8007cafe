"""What a scenario does, seen before anybody works on it."""

from __future__ import annotations

import difflib
from collections.abc import Iterator
from contextlib import suppress

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import brief, listed
from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.exercise.file_rules import broken
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict
from muddled_orchard.core.exercise.scenario import KeepHunk, Rule
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.exercise.text_rules import TextRules, Undecided, flaw_in, several
from muddled_orchard.core.git.lines import lines_of
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.chains import unseen_tasks
from muddled_orchard.core.key.difficulty import difficulty
from muddled_orchard.core.key.exercise_summary import ExerciseSummary
from muddled_orchard.core.key.proof import Proof
from muddled_orchard.core.merging.markers import judged


class Survey(ExerciseSummary, frozen=True, kw_only=True):
    """A key with what an instructor wants to know of it: `errors` must be mended, `remarks` are worth
    knowing; `proof` is what its solution earns, None where that was not tried."""

    key: Key
    errors: tuple[Problem, ...]
    remarks: tuple[str, ...]
    proof: Proof | None = None


def survey(key: Key) -> Survey:
    """Look at a key from all sides."""
    conflicts = [conflict for step in key.steps for conflict in step.merge.conflicts]
    return Survey(
        id=key.scenario.id,
        title=key.scenario.title,
        key=key,
        difficulty=difficulty(key),
        operations=tuple(dict.fromkeys(task.do for task in key.scenario.task)),
        kinds=tuple(dict.fromkeys((*(conflict.kind for conflict in conflicts), *_own_kinds(key)))),
        hunks=sum(len(conflict.merged.hunks) for conflict in conflicts if conflict.merged),
        errors=(
            *_uncovered(key),
            *unseen_tasks(key),
            *rules_against(key),
            *_slow_rules(key),
            *_slow_text_rules(key),
            *_markers_in_answers(key),
        ),
        remarks=tuple(_remarks(key)),
    )


def _own_kinds(key: Key) -> Iterator[str]:
    """The kinds of conflicts that the learner is to make."""
    for task in key.scenario.task:
        if isinstance(task, OwnConflict):
            yield from task.kinds or ("contents",)


def shape(key: Key) -> tuple[object, ...]:
    """What is alike in every variant of a scenario: in which steps which kinds of conflicts are met, with how
    many hunks. Files, branches and labels may have other names."""
    return tuple(
        (
            step.task,
            sorted(
                (conflict.kind, len(conflict.merged.hunks) if conflict.merged else 0)
                for conflict in (step.given_up or step).merge.conflicts
            ),
        )
        for step in key.steps
    )


def _uncovered(key: Key) -> Iterator[Problem]:
    for step in key.steps:
        for conflict in step.merge.conflicts:
            if not step.accepted.get(conflict.path):
                where = f'at "{step.label}"' if step.label else f"in task {step.task}"
                yield Problem(
                    f"the key has no answer for {conflict.path}, which conflicts {where} ({conflict.kind})",
                    f'Add an [[answer]] with file = "{conflict.path}".',
                )


def rules_against(key: Key) -> Iterator[Problem]:
    """Rules that the key's own solution breaks, or that are for a file which it does not have. Of conflicts
    that learners make only the proof can tell."""
    if key.scenario.makes_own:
        return
    solved = key.steps[-1].solved if key.steps else {}
    for number, rule in enumerate(key.scenario.rule):
        if rule.runs is not None:
            continue
        if rule.file not in solved:
            what = f"this rule is for {rule.file}, and the key's own solution has no such file"
            yield Problem(what, likely(rule.file, solved), ("rule", number, "file"))
            continue
        with suppress(Undecided):
            if (found := broken(rule, key.texts[solved[rule.file].id])) is not None:
                said = f"the key's own solution breaks this rule: in {rule.file} {found[0]}"
                yield Problem(said, "Mend the rule, or the answer.", ("rule", number))


def _slow_rules(key: Key) -> Iterator[Problem]:
    """Rules that take too long on the key's solution, on a side, or on a long text."""
    solved = key.steps[-1].solved if key.steps else {}
    for number, rule in enumerate(key.scenario.rule):
        own = [key.texts[solved[rule.file].id]] if rule.file in solved else []
        try:
            for data in (*own, *_hard_on(rule, key)):
                broken(rule, data)
        except Undecided as reason:
            hint = "Say it more simply, without repetitions within repetitions."
            yield Problem(f"this rule can't be checked in time: {reason}", hint, ("rule", number))


def _markers_in_answers(key: Key) -> Iterator[Problem]:
    """Conflict markers in an answer's text that no version of its file has."""
    for number, answer in enumerate(key.scenario.answer):
        keys: list[tuple[str, KeyPath]] = [(answer.text or "", ("answer", number, "text"))]
        for table, place in answer.tables():
            word = "text" if isinstance(table, KeepHunk) else "put"
            keys.append((getattr(table, word) or "", ("answer", number, *place, word)))
        for text, where in keys:
            there = None
            for line in text.splitlines():
                marker = judged(line, 0, ())
                if marker is None or marker.sure != "sure":
                    continue
                there = there if there is not None else _lines_of_versions(key, answer.file)
                if line not in there:
                    what = f'the answer has {marker.sign}: "{brief(line, 40)}"'
                    yield Problem(what, "Take it out; a learner would lose points for it.", where)
                    break


def _lines_of_versions(key: Key, path: str) -> set[str]:
    ids = {
        blob.id
        for step in key.steps
        for conflict in step.merge.conflicts
        if conflict.path == path
        for blob in conflict.stages.values()
    }
    ids |= {step.merge.tree[path].id for step in key.steps if path in step.merge.tree}
    texts = (key.texts.get(id_, b"").decode("utf-8", "replace") for id_ in ids)
    return {line for text in texts for line in text.splitlines()}


def _slow_text_rules(key: Key) -> Iterator[Problem]:
    """The same for rules of answers, on the sides of their file."""
    for number, answer in enumerate(key.scenario.answer):
        for table, place in answer.tables():
            try:
                for pattern in several(table.matches):
                    for data in _hard_texts(pattern, answer.file, key):
                        flaw_in(TextRules(matches=pattern), data.decode("utf-8", "replace"), "it")
            except Undecided as reason:
                hint = "Say it more simply, without repetitions within repetitions."
                what = f"this rule can't be checked in time: {reason}"
                yield Problem(what, hint, ("answer", number, *place, "matches"))


def _hard_on(rule: Rule, key: Key) -> Iterator[bytes]:
    """What a regular expression is tried on."""
    if rule.matches is not None:
        yield from _hard_texts(rule.matches, rule.file, key)


def _hard_texts(pattern: str, file: str, key: Key) -> Iterator[bytes]:
    """The sides of the file, these over and over, and each of the pattern's letters over and over with
    something else at the end."""
    stages = [
        blob
        for step in key.steps
        if (conflict := step.merge.conflict(file)) is not None
        for blob in conflict.stages.values()
    ]
    texts = list(dict.fromkeys(key.texts[blob.id] for blob in stages if blob.id in key.texts))
    yield from texts
    yield from (text * (_LONG // max(1, len(text))) + b"\n~" for text in texts)
    letters = dict.fromkeys(letter for letter in pattern + " 0a" if letter.isalnum() or letter == " ")
    yield from (letter.encode() * _LONG + b"~" for letter in list(letters)[:12])


_LONG = 50_000


def without_commit(key: Key, step: Step) -> str:
    """What becomes of a step that leaves no new commit, as a sentence; empty where it leaves one."""
    if not step.makes_no_commit:
        return ""
    if step.given_up is None:
        return f'It ends at "{key.commits[step.theirs].subject}".'
    paths = [f"{conflict.path} ({conflict.kind})" for conflict in step.given_up.merge.conflicts]
    return f"It stops at {listed(paths)}, and all is to be as before."


def _remarks(key: Key) -> Iterator[str]:
    for number, task in enumerate(key.scenario.task, start=1):
        steps = [step for step in key.steps if step.task == number]
        task_name = f"task {number} ({in_words(task)})"
        if any(step.makes_no_commit for step in steps):
            continue
        if steps and not any(step.merge.conflicts or step.clean_merge_fixes for step in steps):
            if not steps[0].fast_forward:
                yield f"{task_name} does not conflict; that is right where it is meant as a control"
            elif steps[0].operation.fast_forward in (None, "allowed") and not steps[0].operation.squash:
                yield f"{task_name} is a fast-forward: the branches have not diverged"
        for step in steps:
            if step.commit and becomes_empty(key, step):
                yield f'{task_name}: the commit "{key.commits[step.commit].subject}" becomes empty'


def as_fast_forward(task: Task) -> str:
    """What becomes of a merge that could be a fast-forward."""
    if task.squash:
        return "only copies what is new there into one commit"
    if task.fast_forward == "never":
        return "could be a fast-forward, and a merge commit is asked for"
    return "is a fast-forward"


def outside_changes(key: Key, step: Step, path: str) -> list[str]:
    """What the key's first answer for a file wants beyond its hunks, as the lines of a diff
    against what Git merges by itself, from its first `@@` on."""
    ways = step.accepted.get(path, ())
    conflict = step.merge.conflict(path)
    if conflict is not None and conflict.merged is not None and ways and ways[0].clean:
        merged = replace(ways[0], clean=conflict.merged.clean)
        before, after = merged.text, ways[0].text
    elif path in step.clean_merge_fixes:
        there = step.merge.tree.get(path)
        before = lines_of(key.texts.get(there.id, b"")) if there else ()
        after = lines_of(key.texts[step.solved[path].id])
    else:
        return []
    return [line.rstrip("\r\n") for line in list(difflib.unified_diff(before, after, n=1))[2:]]


def becomes_empty(key: Key, step: Step) -> bool:
    """Whether nothing is left of a replayed commit when it is solved by the key."""
    return not step.operation.stays_uncommitted and step.becomes_empty(key.commits)
