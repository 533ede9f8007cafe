"""How somebody worked, from the reflog: told to the instructor, never marked."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.base.phrases import counted, given_up_in_words, times
from muddled_orchard.core.git.commits import Commit, ancestry, short
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.submission.evidence import Evidence


def given_up(evidence: Evidence) -> tuple[int, int]:
    """How many rebases were aborted and how often it was reset to HEAD, as far as the reflog says so. The
    abort of a merge is a reset to HEAD there, and so is what leaves no other trace."""
    return _ended(evidence, "rebase (abort)"), _ended(evidence, "reset: moving to HEAD")


def aborted(evidence: Evidence) -> str:
    """The same in words; nothing where the reflog says nothing."""
    return given_up_in_words(*given_up(evidence))


def _ended(evidence: Evidence, what: str) -> int:
    """How many lines of the reflog begin so and lead back to where an operation was begun."""
    return sum(
        move.what.startswith(what) and move.new == _before(evidence, number)
        for number, move in enumerate(evidence.reflog)
    )


def _before(evidence: Evidence, number: int) -> str:
    """Where HEAD stood when the operation that a line ends was begun."""
    at = number
    while at > 0 and evidence.reflog[at - 1].what.startswith("rebase"):
        at -= 1
    return evidence.reflog[at].old


def notes_on(evidence: Evidence, key: Key) -> Iterator[str]:
    """What is worth telling: what was aborted, reset and amended, and results that no branch has."""
    if said := aborted(evidence):
        yield said
    resets = [
        move.what.removeprefix("reset: moving to ")
        for move in evidence.reflog
        if move.what.startswith("reset: moving to ") and move.what != "reset: moving to HEAD"
    ]
    if resets:
        yield f"reset {times(len(resets))}, last to {resets[-1]}"
    if count := sum(move.what.startswith("commit (amend)") for move in evidence.reflog):
        yield f"{counted(count, 'commit')} amended"
    yield from _out_of_time(evidence, key)
    held = {commit.id for tip in evidence.refs.values() for commit in ancestry(evidence.commits, tip)}
    held |= {commit.id for commit in ancestry(evidence.commits, evidence.head_commit)}
    lost = [move.new for move in evidence.reflog if move.new in evidence.commits and move.new not in held]
    lost = list(dict.fromkeys(lost))
    merges = [id_ for id_ in lost if len(evidence.commits[id_].parents) > 1]
    if merges:
        yield f"the merge commit {short(merges[-1])} is only in the reflog: no branch holds it"
    replays = [id_ for id_ in lost if id_ not in merges and _replays(evidence.commits[id_], key)]
    if replays:
        last = evidence.commits[replays[-1]]
        said = f"{counted(len(replays), 'replayed commit')} only in the reflog"
        yield f'{said}, the last {short(last.id)} "{last.subject}"'


def _out_of_time(evidence: Evidence, key: Key) -> Iterator[str]:
    """Commits that are dated before one that they grew from. A story may lie in the future, so one of its own
    counts only where another commit of the learner's is later."""
    own = evidence.commits
    latest = max((commit.time for commit in own.values()), default=0)
    for commit in own.values():
        parents = [own.get(id_) or key.commits.get(id_) for id_ in commit.parents]
        if any(one and commit.time < one.time and (one.id in own or one.time <= latest) for one in parents):
            yield f"{short(commit.id)} is dated before a commit that it grew from"


def _replays(commit: Commit, key: Key) -> bool:
    """Whether a commit says what one that was to be replayed says."""
    originals = (key.commits[step.commit] for step in key.steps if step.commit)
    return any((commit.author, commit.subject) == (one.author, one.subject) for one in originals)
