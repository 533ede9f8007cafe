"""What learners leave in the files: a side, both, a whole file, too much, markers."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterator

from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.lines import Lines, alike, is_binary, lines_of
from muddled_orchard.core.git.trees import LINK
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.merging.conflict import STAGE, Conflict, Hunk
from muddled_orchard.core.merging.keep import KEEP, lines_kept
from muddled_orchard.rehearsal.behaviours.expecting import (
    conflicts,
    expect,
    hardest_task,
    has_hunks,
    last_step,
    unfinished,
)
from muddled_orchard.rehearsal.session import LearnerSession, hardest_steps, hardest_task_number, solve


def keeps(word: str, session: LearnerSession) -> Expected:
    """Keep the same word in every hunk."""
    session.carry_out(lambda session, step: session.keep_side(step, word))
    return expect(session)


def one_hunk(
    file: str, number: int, at: tuple[int, str | None], word: str, session: LearnerSession
) -> Expected:
    """Keep a word in one hunk, and what the key accepts in all the others."""

    def resolve(session: LearnerSession, step: Step) -> None:
        if (step.task, step.commit) != at:
            by_the_key(session, step)
            return

        def choice(conflict: Conflict | None, hunk_number: int, hunk: Hunk) -> Lines:
            if conflict is not None and (conflict.path, hunk_number) == (file, number):
                return lines_kept(hunk, word)
            return _as_accepted(step, conflict, hunk_number, hunk)

        session.choose(step, choice)

    session.carry_out(resolve)
    return expect(session)


def by_the_key(session: LearnerSession, step: Step) -> None:
    """Resolve hunk by hunk in the key's way, whatever Git shows by now."""
    session.choose(step, lambda conflict, number, hunk: _as_accepted(step, conflict, number, hunk))


def _as_accepted(step: Step, conflict: Conflict | None, number: int, hunk: Hunk) -> Lines:
    ways = step.accepted.get(conflict.path, ()) if conflict else ()
    if not ways or number > len(ways[0].choices):
        return hunk.ours
    choice = ways[0].choices[number - 1][0]
    return lines_kept(hunk, choice.word) if choice.word in KEEP else choice.text


def whole_file(word: str, session: LearnerSession) -> Expected:
    """Take a side's whole file, though only hunks of it were in question."""

    def resolve(session: LearnerSession, step: Step) -> None:
        session.keep_side(step, word)
        for conflict in step.merge.conflicts:
            if conflict.merged is not None:
                blob = conflict.stages[STAGE[word]]
                session.write(conflict.path, session.key.texts[blob.id])

    session.carry_out(resolve)
    if session.pending:  # a squash of which nothing is left can't be committed
        return unfinished(session, may_lose="rest resolution")
    if session.log.emptied:  # what is gone with its commit costs `history`
        return expect(session, may_lose="rest rules history", at_least_one=frozenset({"rest", "history"}))
    return expect(session, "rest", "rules resolution")


def differs_as_a_whole(word: str, key: Key) -> bool:
    """Whether a side's whole file is another text than its side of every hunk."""
    form = alike(key.scenario.spacing)
    for step in key.steps:
        for conflict in step.merge.conflicts:
            if conflict.merged is not None:
                whole = form(lines_of(key.texts[conflict.stages[STAGE[word]].id]))
                hunks = [lines_kept(hunk, word) for hunk in conflict.merged.hunks]
                if form(conflict.merged.resolved(hunks)) != whole:
                    return True
    return False


def deleted_lines(session: LearnerSession) -> Expected:
    """Bring back what a side had deleted."""
    _change_last(session, with_deleted_lines)
    return expect(session, may_lose="rules", at_least_one=frozenset({"resolution", "rest"}))


def with_deleted_lines(key: Key, step: Step) -> tuple[str, Lines] | None:
    """A file of the solution with the first lines that a side took out of the base put back."""
    for conflict in step.merge.conflicts:
        if conflict.merged is None or 1 not in conflict.stages or conflict.path not in step.solved:
            continue
        base = lines_of(key.texts[conflict.stages[1].id])
        solved = lines_of(key.texts[step.solved[conflict.path].id])
        for tag, start, stop, at, _ in difflib.SequenceMatcher(
            a=base, b=solved, autojunk=False
        ).get_opcodes():
            if tag == "delete" and any(line.strip() for line in base[start:stop]):
                return conflict.path, solved[:at] + base[start:stop] + solved[at:]
    return None


def stray_edit(session: LearnerSession) -> Expected:
    """Change something in passing that has nothing to do with the conflict."""
    _change_last(session, with_stray_line)
    return expect(session, "rest", "rules")


def with_stray_line(key: Key, step: Step) -> tuple[str, Lines]:
    """A text that takes no part in the conflict, or a new one, with a line more."""
    conflicted = {conflict.path for conflict in step.merge.conflicts}
    for path, blob in step.solved.items():
        data = key.texts.get(blob.id, b"")
        if path not in {*conflicted, *step.clean_merge_fixes} and blob.mode != LINK and not is_binary(data):
            return path, (*lines_of(data), "Seen by the press.\n")
    return "passing-by.txt", ("Seen by the press.\n",)


def other_mode(session: LearnerSession) -> Expected:
    """Make a file executable that was not, or the other way round, in the last conflict's resolution."""
    last = last_step(session.key)

    def resolve(session: LearnerSession, step: Step) -> None:
        solve(session, step)
        if step is last:
            path, mode = next(plain_files(step))
            (session.work / path).chmod(0o644 if mode & 0o100 else 0o755)

    session.carry_out(resolve)
    return expect(session, "rest", "rules")


def plain_files(step: Step) -> Iterator[tuple[str, int]]:
    """The files of the solution that take no part in a conflict, and their modes."""
    conflicted = {conflict.path for conflict in step.merge.conflicts}
    for path, blob in step.solved.items():
        if path not in {*conflicted, *step.clean_merge_fixes} and blob.mode != LINK:
            yield path, blob.mode


def has_plain_files(key: Key) -> bool:
    """Where there is such a file at the last conflict."""
    return conflicts(key) and any(plain_files(last_step(key)))


def _change_last(session: LearnerSession, changed: Callable[[Key, Step], tuple[str, Lines] | None]) -> None:
    """Solve all by the key, and change one file more in the last conflict's resolution."""
    last = last_step(session.key)

    def resolve(session: LearnerSession, step: Step) -> None:
        solve(session, step)
        if step is last:
            path, lines = changed(session.key, step) or ("", ())
            session.write(path, "".join(lines).encode("utf-8", "surrogateescape"))

    session.carry_out(resolve)


def line_ends(session: LearnerSession) -> Expected:
    """Save every conflicted file with CRLF."""

    def resolve(session: LearnerSession, step: Step) -> None:
        solve(session, step)
        for conflict in step.merge.conflicts:
            target = session.work / conflict.path
            if conflict.merged is not None and target.is_file():
                target.write_bytes(target.read_bytes().replace(b"\r\n", b"\n").replace(b"\n", b"\r\n"))

    session.carry_out(resolve)
    exact = session.scenario.spacing == "exact"
    return expect(session, may_lose="rules", at_least_one=frozenset({"resolution", "rest"} if exact else ()))


def mend_forgotten(session: LearnerSession) -> Expected:
    """Resolve the conflicts, and overlook what merged cleanly into something wrong."""

    def resolve(session: LearnerSession, step: Step) -> None:
        solve(session, step)
        session.put(step.merge.tree, step.clean_merge_fixes)

    session.carry_out(resolve, mend=False)
    return expect(session, "rest", "rules")


def markers(change: Callable[[Lines], Iterator[str]], session: LearnerSession) -> Expected:
    """Keep every hunk as Git shows it, but for what `change` does to its lines."""

    def resolve(session: LearnerSession, step: Step) -> None:
        shown = {path for path, stages in session.unmerged().items() if session.merged(step, path, stages)}
        left = {path: tuple(change(session.lines(path))) for path in shown}
        solve(session, step)
        for path, lines in left.items():
            session.write(path, "".join(lines).encode("utf-8", "surrogateescape"))

    session.carry_out(resolve)
    return expect(session, "markers resolution", "rules rest")


_TOOL = (
    *("merge.tool=mine", "mergetool.mine.cmd=true"),
    *("mergetool.mine.trustExitCode=true", "mergetool.keepBackup=false"),
)
"""A merge tool that is closed at once, and believed."""


def closed_unsaved(session: LearnerSession) -> Expected:
    """Close the merge tool without saving, and have Git take the file as resolved."""

    def resolve(session: LearnerSession, step: Step) -> None:
        shown = [path for path, stages in session.unmerged().items() if session.merged(step, path, stages)]
        left = {path: session.lines(path) for path in shown}
        for path in shown:
            given = [word for setting in _TOOL for word in ("-c", setting)]
            session.git(*given, "mergetool", "--", path)
        solve(session, step)
        for path, lines in left.items():
            session.write(path, "".join(lines).encode("utf-8", "surrogateescape"))

    session.carry_out(resolve)
    return expect(session, "markers resolution", "rules rest")


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


def markers_mended(session: LearnerSession) -> Expected:
    """Commit the markers, and mend them in the next commit."""

    def instead(session: LearnerSession, task: Task) -> None:
        if not session.is_begun(hardest_task_number(session.key)):
            session.begin(task)
        session.git("add", "--all")
        session.git("commit", "-q", "--no-edit")
        solve(session, next(hardest_steps(session.key)))
        session.git("add", "--all")
        session.git("commit", "-q", "-m", "Clean up")

    session.carry_out(instead=instead)
    return expect(session, "markers")


def has_deleted_lines(key: Key) -> bool:
    """Where a side took lines out of a file that conflicts, and they stay out."""
    return conflicts(key) and with_deleted_lines(key, last_step(key)) is not None


def can_commit_twice(key: Key) -> bool:
    """Where the hardest task ends in a commit that another one may follow."""
    task = hardest_task(key)
    return has_hunks(key) and task.joins and not task.push
