"""What a task asks for, in the words of its operation."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from muddled_orchard.core.exercise.task import MessageRules, Task
from muddled_orchard.core.exercise.text_rules import in_words as in_words_of
from muddled_orchard.core.exercise.text_rules import several
from muddled_orchard.core.git.commits import LONGEST_SUBJECT, Commit


def place_of(task: Task, tasks: Sequence[Task]) -> int:
    """The place of a task among those of its exercise, from 0: of itself, since another may ask the same."""
    return next(place for place, one in enumerate(tasks) if one is task)


def branch_at_end(tasks: Sequence[Task]) -> str:
    """The branch that is to be checked out in the end: that of the last task."""
    return tasks[-1].on


def most_stashes(handed_out: int, tasks: Sequence[Task], *, work: bool) -> int:
    """How many stashes may be there in the end: those that were handed out but for one that is popped, and
    one with the `work` that was handed out uncommitted."""
    popped = any(task.stays_uncommitted for task in tasks)
    return handed_out - popped + work


def asks_for_commit(task: Task) -> bool:
    """Whether a merge is to leave a commit of its own even where its branch could just be moved on."""
    return bool(task.squash) or task.fast_forward == "never"


def in_words(task: Task, name: Callable[[str], str] = str) -> str:
    """What is asked, in a few words: `merge night-shift into main`. `name` writes a branch's name."""
    words = task.phrase(name(task.on), name(task.source))
    words += ", and give it up again at the first conflict" if task.abort else ""
    words += f", {message_in_words(task)}" if task.message else ""
    after = [*(["push"] if task.push else []), *([f"delete {name(task.delete)}"] if task.delete else [])]
    return words + (f", then {' and '.join(after)}" if after else "")


def message_in_words(task: Task) -> str:
    """What the message of a task's commits is to be."""
    if task.message == "own":
        return "with a message in your own words"
    if task.message == "proposed":
        return "with the message that Git proposes"
    return f"with a message {in_words_of(task.message)}" if task.message else ""


def example_message(task: Task, original: Commit | None = None) -> str | None:
    """A message that is as a task asks, or None where the one that Git proposes is."""
    if task.message in (None, "proposed"):
        return None
    made = f"Bring in what {task.source or (original.subject if original else 'was asked')} has"
    if isinstance(task.message, MessageRules):
        wanted = (*several(task.message.has), *several(task.message.once))
        said = f"{made}: {', '.join(wanted)}" if wanted else made
        if len(said.split("\n", 1)[0]) > LONGEST_SUBJECT:
            said = "\n".join(("Bring in what was asked", "", *wanted))
        return task.message.text or said
    said = f"{made}, as the brief says"
    return said if len(said) <= LONGEST_SUBJECT else "Bring in what was asked, as the brief says"
