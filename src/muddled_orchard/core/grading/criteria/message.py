"""message: commits say what the task asks their messages to say."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator
from itertools import groupby

from muddled_orchard.core.exercise.task import MessageRules, Task
from muddled_orchard.core.exercise.tasks import asks_for_commit
from muddled_orchard.core.exercise.text_rules import Undecided, flaw_in
from muddled_orchard.core.git.commits import LONGEST_SUBJECT, Commit
from muddled_orchard.core.grading.assessment import Outcome, Place, missed, partly, skipped
from muddled_orchard.core.grading.case import Case, TaskCase
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.message import (
    MessageBreaks,
    MessageIsGits,
    MessageNotGits,
    MessagesAsAsked,
    MessageTooLong,
    MessageTooShort,
    NoCommitLeft,
    NoMessageAsked,
    NoMessageYet,
)

_FEWEST_WORDS = 2
_NO_COMMIT = ("none", "pending", "by hand", "not reached", "other", "moved", "fast-forward")


def judge(case: Case) -> Outcome:
    """The share of the commits whose messages are as asked; a first line that is too long costs half."""
    asked = list(_asked(case))
    if not asked:
        wanted = any(task.task.message is not None for task in case.judged)
        return skipped(NoCommitLeft() if wanted else NoMessageAsked())
    share, kinds, where = 0.0, list[Kind](), list[Place]()
    made = 0
    for task, commit in asked:
        if commit is None:
            kinds.append(NoMessageYet(task.task.on))
            continue
        made += 1
        original = case.commits.get(task.step.commit or "")
        worth, flaw = _judged(task.task, commit, original)
        share += worth
        if flaw is not None:
            kinds.append(flaw)
            where.append(Place(commit=commit.id))
    if not made:
        return missed(kinds[:1])
    return partly(kinds or [MessagesAsAsked(made)], share / len(asked), tuple(where))


def _asked(case: Case) -> Iterator[tuple[TaskCase, Commit | None]]:
    """Each step whose message matters, with the commit that it made: of a replay those at which it stopped,
    where Git asks for the message, or all where it never stops."""
    for _, group in groupby(case.judged, key=lambda task: task.step.task):
        steps = [step for step in group if step.task.message is not None]
        stops = [step for step in steps if step.merge.conflicts]  # for this learner
        for step in stops or steps:
            shape = step.result.shape
            # What was skipped costs `history`, or `resolution` where nothing was kept of it.
            moved_on = shape == "fast-forward" and not asks_for_commit(step.task)
            if (
                moved_on
                or shape in ("nothing to do", "skipped", "squashed")
                or (step.step.commit is not None and step.step.becomes_empty(case.commits))
            ):
                continue
            there = shape not in _NO_COMMIT
            yield step, case.commits.get(step.result.result_commit or "") if there else None


def _judged(task: Task, commit: Commit, original: Commit | None) -> tuple[float, Kind | None]:
    """The share that a message earns, and what is wrong with it."""
    own = task.own_words(commit.message, original)
    if isinstance(task.message, MessageRules):
        try:
            flaw = flaw_in(task.message, commit.message, "the message")
        except Undecided:
            return 1.0, None
        return _of_length(commit) if flaw is None else (0.0, MessageBreaks(commit.id, commit.subject, flaw))
    if task.message == "proposed":
        return (0.0, MessageNotGits(commit.id, commit.subject, task.joins)) if own else (1.0, None)
    if not own:
        return 0.0, MessageIsGits(commit.id, commit.subject, task.joins)
    if _words_in(own) < _FEWEST_WORDS:
        return 0.0, MessageTooShort(commit.id, commit.subject)
    return _of_length(commit)


def _of_length(commit: Commit) -> tuple[float, Kind | None]:
    if len(commit.subject) > LONGEST_SUBJECT:
        return 0.5, MessageTooLong(commit.id, len(commit.subject), LONGEST_SUBJECT)
    return 1.0, None


def _words_in(text: str) -> int:
    """How many words a text has. Chinese and Japanese put no blanks between words: each sign counts."""
    signs = sum(letter.isalpha() and unicodedata.east_asian_width(letter) in "WF" for letter in text)
    others = "".join(" " if unicodedata.east_asian_width(letter) in "WF" else letter for letter in text)
    return signs + len(re.findall(r"\w+", others))


CRITERION = Criterion(
    id="message",
    weight=1,
    judge=judge,
    of_tasks=True,
    question="Do the commits say what they were asked to say?",
    right="The commits say what they were asked to say.",
    kind="A commit's message is not as the brief asks.",
    commands=("git log -3",),
)
