"""How somebody worked: told to the instructor, never marked."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.git.commits import Commit, ancestors
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.worked import (
    Aborted,
    Amended,
    DatedBefore,
    MergeInReflog,
    ReplaysInReflog,
    ResetElsewhere,
)
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.reflog import given_up, resets_elsewhere
from muddled_orchard.core.submission.submission import Submission


def notes_on(submission: Submission) -> Iterator[Kind]:
    """What is worth telling: what was aborted, reset and amended, and results that no branch has."""
    evidence, key = submission.evidence, submission.key
    if counts := given_up(evidence, len(key.history.stashes)):
        yield Aborted(counts.rebases, counts.resets, counts.patches)
    if resets := resets_elsewhere(evidence):
        yield ResetElsewhere(len(resets), resets[-1])
    if count := sum(move.what.startswith("commit (amend)") for move in evidence.reflog):
        yield Amended(count)
    yield from _out_of_time(evidence, key)
    held = ancestors(evidence.commits, *evidence.refs.values(), evidence.head_commit)
    lost = [move.new for move in evidence.reflog if move.new in evidence.commits and move.new not in held]
    lost = list(dict.fromkeys(lost))
    merges = [id_ for id_ in lost if len(evidence.commits[id_].parents) > 1]
    if merges:
        yield MergeInReflog(merges[-1])
    replays = [id_ for id_ in lost if id_ not in merges and _replays(evidence.commits[id_], key)]
    if replays:
        last = evidence.commits[replays[-1]]
        yield ReplaysInReflog(len(replays), last.id, last.subject)


def _out_of_time(evidence: Evidence, key: Key) -> Iterator[Kind]:
    """Commits that are dated before one that they grew from. A story may lie in the future, so one of its own
    counts only where another commit of the learner's is later."""
    own = evidence.commits
    latest = max((commit.time for commit in own.values()), default=0)
    for commit in own.values():
        parents = [own.get(id_) or key.commits.get(id_) for id_ in commit.parents]
        if any(
            parent and commit.time < parent.time and (parent.id in own or parent.time <= latest)
            for parent in parents
        ):
            yield DatedBefore(commit.id)


def _replays(commit: Commit, key: Key) -> bool:
    """Whether a commit says what one that was to be replayed says."""
    originals = (key.commits[step.commit] for step in key.steps if step.commit)
    return any(
        (commit.author, commit.subject) == (original.author, original.subject) for original in originals
    )
