"""A conflict made on purpose: a way through a task that asks for one, as somebody would type it.

The walkthrough shows it, and the learner who does everything right takes it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.exercise.operations.merge import Merge
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict, OwnOperation
from muddled_orchard.core.exercise.tasks import example_message
from muddled_orchard.core.git.lines import Lines, by_lines, lines_of
from muddled_orchard.core.git.trees import PLAIN_FILE
from muddled_orchard.core.git.under_way import Words
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.merging.conflict import Hunk
from muddled_orchard.core.merging.keep import KEEP, lines_kept

SIDE = "my-side"
"""The branch that is made for it."""

_APART = 8
"""So many lines lie between two places, so that Git does not take them together."""

Part = Literal["sides", "conflict", "end"]


class Told(Struct, frozen=True):
    """A sentence on what comes next."""

    text: str


class Typed(Struct, frozen=True):
    """A command, without `git`. `conflicts`: it stops at the conflict."""

    words: Words
    conflicts: bool = False


class Edit(Struct, frozen=True):
    """A file as it is made (None: it is deleted)."""

    path: str
    data: bytes | None


Action = Told | Typed | Edit


class OwnCourse(Struct, frozen=True):
    """How a conflict is made: what is done so that two sides change the same, what brings them together, and
    what comes after it was resolved; the files as they are resolved."""

    by: OwnOperation
    sides: tuple[Action, ...]
    together: tuple[Action, ...]
    resolved: tuple[Edit, ...]
    end: tuple[Action, ...]


def own_course(key: Key, task: OwnConflict) -> OwnCourse:
    """The way through. Raises BadInput where nobody can be shown one: the files have too few places, or only
    kinds count that take more than two changes of one file."""
    deletes = bool(task.kinds) and "contents" not in task.kinds
    if deletes and "modify/delete" not in task.kinds:
        raise _no_way(key, task, f"conflicts of the kind {listed(list(task.kinds))} take more than an edit")
    places = _places(key, task, whole=deletes)
    if sum(map(len, places.values())) < task.conflicts:
        raise _no_way(key, task, "its files have too few lines that lie apart")
    course = _deleted(key, task, places) if deletes else _changed(key, task, places)
    return replace(course, sides=(*_before(task), *course.sides))


def _before(task: OwnConflict) -> Iterator[Action]:
    """What is asked besides the conflict, done first."""
    if "fast-forward" in task.steps:
        yield Told(f"A branch goes on alone, and {task.on} is only moved on by it:")
        yield from _new_file("quick", "quick.txt")
        yield from (Typed(("switch", task.on)), Typed(("merge", "quick")))
    if "clean merge" in task.steps:
        yield Told("Two branches go on with files of their own: that merges without a conflict.")
        yield from _new_file("other", "other.txt")
        yield Typed(("switch", task.on))
        yield Edit("own.txt", b"Something of its own\n")
        yield from (Typed(("add", "--all")), Typed(("commit", "-m", "A file of its own")))
        yield Typed(("merge", "--no-edit", "other"))


def _new_file(branch: str, path: str) -> Iterator[Action]:
    yield Typed(("switch", "-c", branch))
    yield Edit(path, f"Something of {branch}\n".encode())
    yield from (Typed(("add", "--all")), Typed(("commit", "-m", f"A file of {branch}")))


_MORE_LINES = "Give the story a text file with lines to change."


def _no_way(key: Key, task: OwnConflict, why: str, hint: str = _MORE_LINES) -> BadInput:
    number = key.scenario.task.index(task)
    return BadInput(Problem(f"no way through task {number + 1} can be shown: {why}", hint, ("task", number)))


def _operation(key: Key, task: OwnConflict, *, deletes: bool = False) -> OwnOperation:
    """The first that counts and can be shown: a revert in which a side deletes a file is another matter."""
    fitting = [one for one in task.by if not (deletes and one == "revert")]
    if example_message(task) is not None:
        # In other words nothing says any more what was copied or taken back.
        fitting = [one for one in fitting if one in ("merge", "rebase")]
    if not fitting:
        what = "where a side deletes a file" if deletes else "with a message in other words than Git's"
        told = listed([f"a {name}" for name in task.by])
        raise _no_way(key, task, f"{told} {what} is not told apart", "Add another operation to by.")
    return fitting[0]


_Places = dict[str, list[int]]


def _places(key: Key, task: OwnConflict, *, whole: bool) -> _Places:
    """Lines to be changed, from 0, by file: as many as are asked for. Of a file that is taken as a whole it
    is its first."""
    tree = key.commits[key.solved_tips[task.on]].tree
    found: _Places = {}
    left = task.conflicts
    for path, blob in sorted(tree.items(), key=lambda item: (item[0] not in task.files, item[0])):
        data = key.texts.get(blob.id, b"")
        if (
            path == CLAIM
            or blob.mode != PLAIN_FILE
            or not by_lines(data)
            or (task.files and path not in task.files)
        ):
            continue
        lines = lines_of(data)
        filled = [number for number, line in enumerate(lines) if line.strip()]
        middle = filled[len(filled) // 2 :] if left == 1 else filled
        taken: list[int] = []
        for number in middle:
            if left and (not taken or (not whole and number - taken[-1] >= _APART)):
                taken.append(number)
                left -= 1
        if taken:
            found[path] = taken
    return found


def _changed(key: Key, task: OwnConflict, places: _Places) -> OwnCourse:
    """Both sides change the same lines."""
    by = _operation(key, task)
    tree = key.commits[key.solved_tips[task.on]].tree
    before = {path: lines_of(key.texts[tree[path].id]) for path in places}
    word = next((one for one in task.kept if one in KEEP), "ours+theirs")

    def edits(*, of: str) -> tuple[Edit, ...]:
        return tuple(
            Edit(path, "".join(_with(before[path], numbers, of, word, by)).encode("utf-8", "surrogateescape"))
            for path, numbers in places.items()
        )

    names = listed(list(places))
    if by == "revert":
        sides: tuple[Action, ...] = (
            Told(f"A change in {names}:"),
            *edits(of="theirs"),
            Typed(("commit", "-a", "-m", "Change it once")),
            Told("And another one of the same lines, on top of it:"),
            *edits(of="ours"),
            Typed(("commit", "-a", "-m", "Change it again")),
        )
        together: tuple[Action, ...] = (
            Told("The first of the two is taken back, though the second stands on it:"),
            Typed(("revert", "--no-edit", "HEAD~1"), conflicts=True),
        )
        return OwnCourse(by, sides, together, edits(of="both"), _completed(by, task))
    sides = (
        Told(f"A branch of its own changes {names}:"),
        Typed(("switch", "-c", SIDE)),
        *edits(of="theirs"),
        Typed(("commit", "-a", "-m", "Change it on my side")),
        Told(f"Back on {task.on} nothing of that is there. The same lines are changed here, too:"),
        Typed(("switch", task.on)),
        *edits(of="ours"),
        Typed(("commit", "-a", "-m", f"Change it on {task.on}")),
        Told("Now both have parted, and both have changed the same:"),
        Typed(("log", "--oneline", "--graph", "--all")),
    )
    return OwnCourse(by, sides, _together(by, task), edits(of="both"), _completed(by, task))


def _deleted(key: Key, task: OwnConflict, places: _Places) -> OwnCourse:
    """One side deletes what the other one changes."""
    by = _operation(key, task, deletes=True)
    names = listed(list(places))
    gone = "ours" not in task.kept and not {"gone", "theirs"}.isdisjoint(task.kept)
    more = b"One more line.\n"
    sides: tuple[Action, ...] = (
        Told(f"A branch of its own deletes {names}:"),
        Typed(("switch", "-c", SIDE)),
        *(Edit(path, None) for path in places),
        # Of a copy that only deletes nothing is left where the file stays.
        *((Edit("instead.txt", b"Something instead\n"),) if by != "merge" else ()),
        Typed(("add", "--all")),
        Typed(("commit", "-m", "Delete it on my side")),
        Told(f"Back on {task.on} it is there still, and is changed:"),
        Typed(("switch", task.on)),
        *(Edit(path, more) for path in places),
        Typed(("commit", "-a", "-m", f"Change it on {task.on}")),
        Typed(("log", "--oneline", "--graph", "--all")),
    )
    kept = tuple(Edit(path, None if gone else more) for path in places)
    return OwnCourse(by, sides, _together(by, task), kept, _completed(by, task))


def _together(by: OwnOperation, task: OwnConflict) -> tuple[Action, ...]:
    if by == "rebase":
        return (
            Told(f"My side is put on top of {task.on}: ours is {task.on} now, and theirs is my own commit."),
            Typed(("switch", SIDE)),
            Typed(("rebase", task.on), conflicts=True),
        )
    if by == "cherry-pick":
        told = Told("The commit of the other side is copied:")
        return (told, Typed(("cherry-pick", "-x", SIDE), conflicts=True))
    return (Told("They are brought together:"), Typed(("merge", SIDE), conflicts=True))


def _completed(by: OwnOperation, task: OwnConflict) -> tuple[Action, ...]:
    said = example_message(Merge(do="merge", on=task.on, bring=SIDE, message=task.message))
    add = Typed(("add", "--all"))
    commit = Typed(("commit", "--no-edit") if said is None else ("commit", "-m", said))
    if by == "merge":
        return (add, commit)
    done = (add, *((commit,) if said is not None else ()), Typed((by, "--continue")))
    if by == "rebase":
        told = Told(f"{SIDE} stands on {task.on} now, so that {task.on} only has to be moved on:")
        return (*done, told, Typed(("switch", task.on)), Typed(("merge", SIDE)))
    return done


def _with(before: Lines, numbers: Sequence[int], side: str, word: str, by: OwnOperation) -> Iterator[str]:
    """A text with these lines changed by a side, or resolved (`both`)."""
    for number, line in enumerate(before):
        if number not in numbers:
            yield line
            continue
        text = line.rstrip("\r\n")
        end = line[len(text) :]
        ours, theirs = (f"{text} ({who}){end}" for who in ("here", "my side"))
        if side in ("ours", "theirs"):
            yield ours if side == "ours" else theirs
            continue
        # What comes in by a revert is how it was; what was there before is the change that is taken back.
        met = Hunk((ours,), (line,), (theirs,)) if by == "revert" else Hunk((ours,), (theirs,), (line,))
        yield from lines_kept(met, word)
