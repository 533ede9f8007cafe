"""What learners leave in the files: a side, both, a whole file, too much, markers."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterator

from muddled_orchard.core.exercise.scenario import KEEP_WORDS, Task
from muddled_orchard.core.exercise.tasks import is_merge
from muddled_orchard.core.git.lines import Lines, alike, is_binary, lines_of
from muddled_orchard.core.git.trees import LINK
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.answers import side
from muddled_orchard.core.merging.conflict import STAGE, Conflict, Hunk
from muddled_orchard.rehearsal.behaviours.expecting import (
    conflicts,
    expect,
    has_hunks,
    knot_task,
    last_step,
    unfinished,
)
from muddled_orchard.rehearsal.session import Desk, knot, knots, solve


def keeps(word: str, desk: Desk) -> Expected:
    """Keep the same word in every hunk."""
    desk.carry_out(lambda desk, step: desk.keep_side(step, word))
    return expect(desk)


def one_hunk(file: str, number: int, at: tuple[int, str | None], word: str, desk: Desk) -> Expected:
    """Keep a word in one hunk, and what the key accepts in all the others."""

    def meet(desk: Desk, step: Step) -> None:
        if (step.task, step.commit) != at:
            by_the_key(desk, step)
            return

        def choice(conflict: Conflict | None, hunk_number: int, hunk: Hunk) -> Lines:
            if conflict is not None and (conflict.path, hunk_number) == (file, number):
                return side(hunk, word)
            return _as_accepted(step, conflict, hunk_number, hunk)

        desk.choose(step, choice)

    desk.carry_out(meet)
    return expect(desk)


def by_the_key(desk: Desk, step: Step) -> None:
    """Resolve hunk by hunk in the key's way, whatever Git shows by now."""
    desk.choose(step, lambda conflict, number, hunk: _as_accepted(step, conflict, number, hunk))


def _as_accepted(step: Step, conflict: Conflict | None, number: int, hunk: Hunk) -> Lines:
    ways = step.accepted.get(conflict.path, ()) if conflict else ()
    if not ways or number > len(ways[0].words):
        return hunk.ours
    word = ways[0].words[number - 1]
    return side(hunk, word) if word in KEEP_WORDS else ways[0].choices[number - 1]


def whole_file(word: str, desk: Desk) -> Expected:
    """Take a side's whole file, though only hunks of it were in question."""

    def meet(desk: Desk, step: Step) -> None:
        desk.keep_side(step, word)
        for conflict in step.meeting.conflicts:
            if conflict.merged is not None:
                blob = conflict.stages[STAGE[word]]
                desk.write(conflict.path, desk.key.texts[blob.id])

    desk.carry_out(meet)
    if desk.pending:  # a squash of which nothing is left can't be committed
        return unfinished(desk, may="rest resolution")
    if desk.log.emptied:  # what is gone with its commit costs `history`
        return expect(desk, may="rest rules history", some=frozenset({"rest", "history"}))
    return expect(desk, "rest", "rules resolution")


def differs_as_a_whole(word: str, key: Key) -> bool:
    """Whether a side's whole file is another text than its side of every hunk."""
    form = alike(key.scenario.spacing)
    for step in key.steps:
        for conflict in step.meeting.conflicts:
            if conflict.merged is not None:
                whole = form(lines_of(key.texts[conflict.stages[STAGE[word]].id]))
                hunks = [side(hunk, word) for hunk in conflict.merged.hunks]
                if form(conflict.merged.resolved(hunks)) != whole:
                    return True
    return False


def deleted_lines(desk: Desk) -> Expected:
    """Bring back what a side had deleted."""
    _change_last(desk, with_deleted_lines)
    return expect(desk, may="rules", some=frozenset({"resolution", "rest"}))


def with_deleted_lines(key: Key, step: Step) -> tuple[str, Lines] | None:
    """A file of the solution with the first lines that a side took out of the base put back."""
    for conflict in step.meeting.conflicts:
        if conflict.merged is None or 1 not in conflict.stages or conflict.path not in step.solved:
            continue
        base = lines_of(key.texts[conflict.stages[1].id])
        solved = lines_of(key.texts[step.solved[conflict.path].id])
        for tag, start, stop, at, _ in difflib.SequenceMatcher(None, base, solved, False).get_opcodes():
            if tag == "delete" and any(line.strip() for line in base[start:stop]):
                return conflict.path, solved[:at] + base[start:stop] + solved[at:]
    return None


def stray_edit(desk: Desk) -> Expected:
    """Change something in passing that has nothing to do with the conflict."""
    _change_last(desk, with_stray_line)
    return expect(desk, "rest", "rules")


def with_stray_line(key: Key, step: Step) -> tuple[str, Lines]:
    """A text that takes no part in the conflict, or a new one, with a line more."""
    conflicted = {conflict.path for conflict in step.meeting.conflicts}
    for path, blob in step.solved.items():
        data = key.texts.get(blob.id, b"")
        if path not in conflicted | step.mended and blob.mode != LINK and not is_binary(data):
            return path, (*lines_of(data), "Seen by the press.\n")
    return "passing-by.txt", ("Seen by the press.\n",)


def other_mode(desk: Desk) -> Expected:
    """Make a file executable that was not, or the other way round, in the last conflict's resolution."""
    last = last_step(desk.key)

    def meet(desk: Desk, step: Step) -> None:
        solve(desk, step)
        if step is last:
            path, mode = next(plain_files(step))
            (desk.work / path).chmod(0o644 if mode & 0o100 else 0o755)

    desk.carry_out(meet)
    return expect(desk, "rest", "rules")


def plain_files(step: Step) -> Iterator[tuple[str, int]]:
    """The files of the solution that take no part in a conflict, and their modes."""
    conflicted = {conflict.path for conflict in step.meeting.conflicts}
    for path, blob in step.solved.items():
        if path not in conflicted | step.mended and blob.mode != LINK:
            yield path, blob.mode


def has_plain_files(key: Key) -> bool:
    """Where there is such a file at the last conflict."""
    return conflicts(key) and any(plain_files(last_step(key)))


def _change_last(desk: Desk, changed: Callable[[Key, Step], tuple[str, Lines] | None]) -> None:
    """Solve all by the key, and change one file more in the last conflict's resolution."""
    last = last_step(desk.key)

    def meet(desk: Desk, step: Step) -> None:
        solve(desk, step)
        if step is last:
            path, lines = changed(desk.key, step) or ("", ())
            desk.write(path, "".join(lines).encode("utf-8", "surrogateescape"))

    desk.carry_out(meet)


def line_ends(desk: Desk) -> Expected:
    """Save every conflicted file with CRLF."""

    def meet(desk: Desk, step: Step) -> None:
        solve(desk, step)
        for conflict in step.meeting.conflicts:
            target = desk.work / conflict.path
            if conflict.merged is not None and target.is_file():
                target.write_bytes(target.read_bytes().replace(b"\r\n", b"\n").replace(b"\n", b"\r\n"))

    desk.carry_out(meet)
    exact = desk.scenario.spacing == "exact"
    return expect(desk, may="rules", some=frozenset({"resolution", "rest"} if exact else ()))


def mend_forgotten(desk: Desk) -> Expected:
    """Resolve the conflicts, and overlook what merged cleanly into something wrong."""

    def meet(desk: Desk, step: Step) -> None:
        solve(desk, step)
        desk.put(step.meeting.tree, step.mended)

    desk.carry_out(meet, mend=False)
    return expect(desk, "rest", "rules")


def markers(change: Callable[[Lines], Iterator[str]], desk: Desk) -> Expected:
    """Keep every hunk as Git shows it, but for what `change` does to its lines."""

    def meet(desk: Desk, step: Step) -> None:
        shown = {path for path, stages in desk.unmerged().items() if desk.merged(step, path, stages)}
        left = {path: tuple(change(desk.lines(path))) for path in shown}
        solve(desk, step)
        for path, lines in left.items():
            desk.write(path, "".join(lines).encode("utf-8", "surrogateescape"))

    desk.carry_out(meet)
    return expect(desk, "markers resolution", "rules rest")


def as_git_left_it(lines: Lines) -> Iterator[str]:
    """Nothing is changed."""
    yield from lines


def only_the_last(lines: Lines) -> Iterator[str]:
    """The markers above and between the sides are taken out, the one below stays."""
    yield from (line for line in lines if not line.startswith(("<<<<<<< ", "=======")))


def commented_out(lines: Lines) -> Iterator[str]:
    """A # before each marker."""
    for line in lines:
        yield f"# {line}" if line.startswith(("<<<<<<< ", "=======", ">>>>>>> ")) else line


def markers_mended(desk: Desk) -> Expected:
    """Commit the markers, and mend them in the next commit."""

    def instead(desk: Desk, task: Task) -> None:
        if not desk.is_begun(knot(desk.key)):
            desk.begin(task)
        desk.git("add", "--all")
        desk.git("commit", "-q", "--no-edit")
        solve(desk, next(knots(desk.key)))
        desk.git("add", "--all")
        desk.git("commit", "-q", "-m", "Clean up")

    desk.carry_out(instead=instead)
    return expect(desk, "markers")


def has_deleted_lines(key: Key) -> bool:
    """Where a side took lines out of a file that conflicts, and they stay out."""
    return conflicts(key) and with_deleted_lines(key, last_step(key)) is not None


def can_commit_twice(key: Key) -> bool:
    """Where the knot task ends in a commit that another one may follow."""
    task = knot_task(key)
    return has_hunks(key) and is_merge(task) and not task.push
