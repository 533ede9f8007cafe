"""Where the results lie of what is to leave no merge behind: an operation that is to be given up again, and a
branch that is to be set back."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.git.commits import ancestors, ancestry, contains
from muddled_orchard.core.grading.locating.gone import last_places
from muddled_orchard.core.grading.locating.results import Result, Shape
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.submission.reflog import given_up
from muddled_orchard.core.submission.submission import Submission


def locate_without_commit(submission: Submission, step: Step, on_tip: str) -> Result:
    """The result of such a step; `on_tip` is where its branch stood before it."""
    shape = _set_back(submission, step, on_tip) if step.operation.sets_back else _given_up(submission, step)
    return Result(
        shape=shape,
        ours=on_tip,
        theirs=step.theirs,
        result_commit=step.theirs if shape == "set back" else None,
        branch=step.operation.on,
        pending=submission.evidence.pending.kind if submission.evidence.pending else "",
        leaves_commit=False,
    )


def _given_up(submission: Submission, step: Step) -> Shape:
    evidence, key = submission.evidence, submission.key
    asked = [other.operation for other in key.steps if other.given_up and other.task <= step.task]
    counts = given_up(evidence, len(key.history.stashes))
    if counts.enough_for([task.result for task in asked]):
        return "given up"
    pending = evidence.pending is not None and evidence.pending.kind == step.operation.under_way
    if _is_last(step, key.steps):
        if pending:
            return "pending"
        if _is_carried_out(submission, step):
            return "carried out"
    return "none" if evidence.shows_doing else "not seen"


def _is_carried_out(submission: Submission, step: Step) -> bool:
    """Whether the branch has what the operation brings, or no longer has what it had."""
    commits, now = submission.commits, submission.evidence.branch(step.operation.on)
    if now is None or now == step.ours:
        return False
    if step.operation.joins:
        return contains(commits, now, step.theirs)
    if step.operation.replays_own:
        return not contains(commits, now, step.ours)
    own = (commit for commit in ancestry(commits, now) if commit.id in submission.evidence.commits)
    return any(step.operation.shows(commit, commits[step.theirs]) for commit in own)


def _is_last(step: Step, steps: Sequence[Step]) -> bool:
    """Whether no later task is about the same branch."""
    later = (other for other in steps if other.task > step.task)
    return not any(other.operation.on == step.operation.on for other in later)


def _set_back(submission: Submission, step: Step, on_tip: str) -> Shape:
    commits = submission.commits
    on, target = step.operation.on, step.theirs
    now = submission.evidence.branch(on) or next(last_places(submission, on), None)
    if now is None or now == on_tip:
        return "none"
    if contains(commits, now, on_tip):
        return "undone" if commits[now].tree == commits[target].tree else "none"
    gone = ancestors(commits, on_tip) - ancestors(commits, target)
    names = {(commits[id_].author, commits[id_].subject) for id_ in gone}
    moved_on = not any(c.id in gone or (c.author, c.subject) in names for c in ancestry(commits, now))
    later = not _is_last(step, submission.key.steps)
    if now == target or (moved_on and later):
        return "set back"
    # With the same files it was only reworded.
    return "none" if commits[now].tree == commits[on_tip].tree else "other"
