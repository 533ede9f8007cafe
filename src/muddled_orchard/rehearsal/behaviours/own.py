"""Learners who are to make a conflict: who does, who avoids it, who never parts, who stops on the way."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict
from muddled_orchard.core.grading.rehearsal import Expected
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.key.own_course import SIDE, Action, Edit, OwnCourse, Typed, own_course
from muddled_orchard.rehearsal.session import LearnerSession

_ALL = frozenset(
    ("finished", "markers", "bystanders", "tidy", "resolution", "rules", "message", "delivered", "work")
)


def is_own(key: Key) -> bool:
    """Where the learner makes the conflict."""
    return key.scenario.makes_own


def merges(key: Key) -> bool:
    """Where it is met by a merge, and two sides change lines."""
    return _course(key).by == "merge" and changes_lines(key)


def parts(key: Key) -> bool:
    """Where a branch is made for it."""
    return any(Typed(("switch", "-c", SIDE)) == action for action in _course(key).sides)


def changes_lines(key: Key) -> bool:
    """Where both sides change lines, and none deletes a file."""
    edits = (action for action in _course(key).sides if isinstance(action, Edit))
    return all(edit.data is not None for edit in edits)


def wants_words(key: Key) -> bool:
    """Where not every resolution is fine."""
    task = _task(key)
    return changes_lines(key) and bool(task.kept) and "blend" not in task.kept


def _task(key: Key) -> OwnConflict:
    return next(task for task in key.scenario.task if isinstance(task, OwnConflict))


def _course(key: Key) -> OwnCourse:
    return own_course(key, _task(key))


def _nothing_made() -> Expected:
    return Expected(state="open", must_lose=frozenset(("made",)), may_lose=_ALL)


def _without(actions: Sequence[Action], word: str) -> list[Action]:
    """The same without the commands that begin with a word."""
    return [action for action in actions if not (isinstance(action, Typed) and action.words[0] == word)]


def never_parted(session: LearnerSession) -> Expected:
    """Change one side alone, and bring it in: the branch is moved on."""
    course = _course(session.key)
    back = Typed(("switch", _task(session.key).on))
    here = course.sides.index(back) + 1 if back in course.sides else 0
    session.act((*course.sides[:here], Typed(("merge", SIDE))))
    return _nothing_made()


def other_lines(session: LearnerSession) -> Expected:
    """Change something else on each side: it merges cleanly."""
    course = _course(session.key)
    for action in course.sides:
        if isinstance(action, Edit):
            on = session.tree.branch() or ""
            session.write(f"{on}.txt", f"A file of {on}.\n".encode())
            session.git("add", "--all")
        else:
            session.act([action])
    session.act([Typed(("merge", "--no-edit", SIDE))])
    return _nothing_made()


def told_beforehand(session: LearnerSession, how: Sequence[str]) -> Expected:
    """Have Git decide before it is asked, so that nothing is met."""
    session.act((*_course(session.key).sides, Typed(("merge", "--no-edit", *how, SIDE))))
    return _nothing_made()


def edited_in_merge(session: LearnerSession) -> Expected:
    """Merge what does not conflict, and change it by hand in the merge."""
    course = _course(session.key)
    other_sides = [action for action in course.sides if not isinstance(action, Edit)]
    for action in other_sides:
        if isinstance(action, Typed) and action.words[0] == "commit":
            on = session.tree.branch() or ""
            session.write(f"{on}.txt", f"A file of {on}.\n".encode())
            session.git("add", "--all")
        session.act([action])
    session.act([Typed(("merge", "--no-commit", SIDE))])
    session.act((*course.resolved, Typed(("commit", "-a", "--no-edit"))))
    return _nothing_made()


def gave_up(session: LearnerSession) -> Expected:
    """Meet it, and go back."""
    course = _course(session.key)
    session.act((*course.sides, *course.together, Typed((course.by, "--abort"))))
    return _nothing_made()


def left_there(session: LearnerSession) -> Expected:
    """Meet it, and leave it as it is."""
    course = _course(session.key)
    session.act((*course.sides, *course.together))
    return Expected(state="open", must_lose=frozenset(("finished",)), may_lose=_ALL)


def not_committed(session: LearnerSession) -> Expected:
    """Resolve and stage it, and forget to complete it."""
    course = _course(session.key)
    session.act((*course.sides, *course.together, *course.resolved, Typed(("add", "--all"))))
    return Expected(state="open", must_lose=frozenset(("finished",)), may_lose=_ALL - {"markers"})


def markers_left(session: LearnerSession) -> Expected:
    """Commit it as Git left it."""
    course = _course(session.key)
    session.act((*course.sides, *course.together, *course.end))
    session.deliver(_task(session.key))
    return Expected(must_lose=frozenset(("markers",)), may_lose=frozenset(("resolution", "rules", "message")))


def wrote_another(session: LearnerSession) -> Expected:
    """Resolve it in words that are neither side's."""
    course = _course(session.key)
    other = [Edit(edit.path, b"Something else altogether.\n") for edit in course.resolved]
    session.act((*course.sides, *course.together, *other, *course.end))
    session.deliver(_task(session.key))
    return Expected(must_lose=frozenset(("resolution",)), may_lose=frozenset(("rules", "message")))


def made_another(session: LearnerSession) -> Expected:
    """Make a further one when it is done."""
    course = _course(session.key)
    session.carry_out(deliver=False)
    session.git("branch", "-D", SIDE)
    files = {edit.path: edit.data or b"" for edit in course.resolved}

    def changed(word: bytes) -> list[Action]:
        return [Edit(path, word + data) for path, data in files.items()]

    on = _task(session.key).on
    commit = Typed(("commit", "-a", "-m", "Change it once more"))
    session.act([Typed(("switch", "-c", SIDE)), *changed(b"First of mine\n"), commit])
    session.act([Typed(("switch", on)), *changed(b"First of all\n"), commit])
    session.act([*course.together, *changed(b"First\n"), *course.end])
    session.deliver(_task(session.key))
    return Expected(may_lose=frozenset(("resolution", "rules", "message")))


def begins_with_nothing(key: Key) -> bool:
    """Where the learner makes the repository."""
    return key.scenario.start.own


def named_otherwise(session: LearnerSession) -> Expected:
    """Have Git call the first branch otherwise than the brief does."""
    session.carry_out()
    session.git("branch", "-m", _task(session.key).on, "trunk")
    return Expected()


def claim_taken_out(session: LearnerSession) -> Expected:
    """Take the file out of the newest commit that says whose work it is."""
    session.carry_out()
    session.git("rm", "-q", CLAIM)
    session.git("commit", "-q", "-m", "What is this file?")
    return Expected()


def backup_left(session: LearnerSession) -> Expected:
    """Leave a merge tool's backup file."""
    session.carry_out()
    session.write("rows.txt.orig", b"as it was\n")
    return Expected(must_lose=frozenset(("tidy",)))
