"""Where the results of a rebase, a cherry-pick, a revert or a stash pop lie.

Each replayed commit is a step of its own with a three-way merge of its own. The learner's commits are matched
to the originals by author, message and patch (`matching`); what has no match was skipped, or not reached
yet.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from muddled_orchard.core.git.commits import Commit, Commits, ancestors, contains
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.grading.locating.attempts import (
    brings_only_conflicts,
    brings_part,
    squashed_into,
    uncommitted_step,
)
from muddled_orchard.core.grading.locating.gone import last_places
from muddled_orchard.core.grading.locating.matching import Matches, matched, subject_of
from muddled_orchard.core.grading.locating.results import Result, Shape
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.status import tracked
from muddled_orchard.core.submission.submission import Submission


class _Line(Struct, frozen=True):
    """The learner's own commits on a line of first parents, the oldest first, and what they stand on.

    `merges` are the places of those before which another task's merge was made.
    """

    base_commit: str
    own: tuple[Commit, ...]
    branch: str | None
    merges: tuple[int, ...] = ()

    @property
    def tip(self) -> str:
        return self.own[-1].id if self.own else self.base_commit

    @property
    def has_merges(self) -> bool:
        return any(len(commit.parents) > 1 for commit in self.own)

    def without(self, merges: set[str | None], work: set[str]) -> _Line:
        """The line without the merges of other tasks, of which it knows before which of its commits they
        were, and without what only commits handed-out work."""
        line = [commit for commit in self.own if commit.id not in work]
        own = tuple(commit for commit in line if commit.id not in merges)
        places = [place for place, commit in enumerate(line) if commit.id in merges]
        before = tuple(place - number for number, place in enumerate(places))
        return _Line(self.base_commit, own, self.branch, before)

    def end_of(self, last: Commit | None) -> str:
        """Where what follows a commit ends: at the next merge of another task, or at the tip."""
        at = self.own.index(last) + 1 if last in self.own else 0
        stop = next((place for place in self.merges if place >= at), len(self.own))
        return self.own[stop - 1].id if stop else self.base_commit


def locate_replays(
    submission: Submission,
    steps: Sequence[Step],
    on_tip: str,
    used: set[str],
    merged: Sequence[tuple[Step, Result]] = (),
) -> list[Result]:
    """The result of each step of one such task. `on_tip` is where the branch stood before it, `used` what
    earlier tasks left, `merged` are the merges of other tasks."""
    task = steps[0].operation
    evidence, commits = submission.evidence, submission.commits
    pending = evidence.pending is not None and evidence.pending.kind == task.under_way
    if task.stays_uncommitted:
        return [_popped(submission, steps[0], on_tip)]
    gone = last_places(submission, task.on, merged)
    line = _line(evidence, commits, task.on, on_tip, used, pending=pending, gone=next(gone, None))
    merges = {result.result_commit for _, result in merged if result.shape != "fast-forward"}
    work = {commit.id for commit in line.own if submission.is_the_work(commit)}
    here = _walked(evidence, commits, evidence.head, evidence.head_commit or on_tip, used)
    left = uncommitted_step(submission, steps) if evidence.head in (None, task.on) else None
    if (
        left is not None
        and matched(commits, submission.texts, steps, here.own).made[left.commit or ""] is None
    ):
        return list(_matched(submission, steps, here, pending=False, uncommitted=left.commit))
    if not pending and not _is_attempt(submission, steps, line, on_tip, used):
        return [_result("none", step, line, None, line.base_commit, line.base_commit) for step in steps]
    line = line.without(merges, work)
    if line.has_merges or not line.own:
        # The branch may have been moved on to where it had been merged into another one.
        tips = [other.theirs for step, other in merged if step.operation.source == task.on]
        if any(one.merges_branches and one.operation.source == task.on for one in submission.key.steps):
            tips += [commit.parents[1] for commit in line.own if len(commit.parents) > 1]
        moved_on = [_walked(evidence, commits, task.on, tip, used).without(merges, work) for tip in tips]
        line = next(
            (one for one in moved_on if one.own and not any(len(c.parents) > 1 for c in one.own)), line
        )
    if line.has_merges:
        return [_result("other", step, line, line.tip, step.ours, line.tip) for step in steps]
    return list(_matched(submission, steps, line, pending=pending))


def _is_attempt(
    submission: Submission, steps: Sequence[Step], line: _Line, on_tip: str, used: set[str]
) -> bool:
    """Whether a line has grown from what was handed out, or from an earlier task's result, and has a part of
    what was asked: of a rebase the new base, else the change of a commit, or a commit that says that it
    brings it."""
    commits = submission.commits
    if line.base_commit not in {*submission.key.handed_out, *used} or line.tip == on_tip:
        return False
    wanted = {step.commit for step in steps if step.commit}
    if steps[0].operation.replays_own:
        wanted = ancestors(commits, steps[0].ours)
        if line.base_commit in used:  # an earlier task moved the new base on
            wanted.add(line.base_commit)
    wanted -= ancestors(commits, on_tip)
    if not wanted.isdisjoint(ancestors(commits, line.tip)):
        return True
    subjects = {subject_of(commits, step) for step in steps}
    if not steps[0].operation.replays_own and any(commit.subject in subjects for commit in line.own):
        return True
    return any(
        brings_part(commits, submission.texts, steps, commits[before].tree, commits[after].tree)
        for before, after in _spans(submission, steps, line, on_tip)
        if before in commits
    )


def _spans(
    submission: Submission, steps: Sequence[Step], line: _Line, on_tip: str
) -> Iterator[tuple[str, str]]:
    """The pairs of commits between which something may have come in: all of a line; then each of its commits,
    since what one brings another task's may take back again. One that only says something else brings
    nothing."""
    yield on_tip, line.tip
    if not steps[0].operation.replays_own:
        key, commits = submission.key, submission.commits
        for commit in line.own:
            # Who goes back to what an earlier commit had has that one still behind them.
            alike = {id_ for id_ in key.handed_out if commits[id_].tree == commit.tree}
            reworded = alike and alike.isdisjoint(ancestors(commits, commit.id))
            if len(commit.parents) == 1 and not reworded:
                yield commit.parents[0], commit.id


def _line(
    evidence: Evidence,
    commits: Commits,
    on: str,
    on_tip: str,
    used: set[str],
    *,
    pending: bool,
    gone: str | None,
) -> _Line:
    """The line that holds the result: HEAD's while the operation is under way, else the branch's (`gone`:
    where it stood, if it was to be deleted and is), else another place that has commits of the learner's."""
    places: list[tuple[str | None, str | None]] = [(on, evidence.branch(on))]
    if pending:
        places = [(on, evidence.head_commit)]
    elif gone is not None:
        places = [(on, gone)]
    else:
        places.append((evidence.head, evidence.head_commit))
        places += [
            (name.removeprefix(BRANCHES), id_)
            for name, id_ in evidence.refs.items()
            if name.startswith(BRANCHES)
        ]
    lines = [_walked(evidence, commits, branch, tip, used) for branch, tip in places if tip is not None]
    moved = [line for line in lines if line.own or line.base_commit != on_tip]
    if pending or (lines and lines[0] in moved):
        return lines[0] if lines else _Line(on_tip, (), on)
    return next((line for line in moved if line.own), lines[0] if lines else _Line(on_tip, (), on))


def _walked(evidence: Evidence, commits: Commits, branch: str | None, tip: str, used: set[str]) -> _Line:
    own: list[Commit] = []
    at: str | None = tip
    while at is not None and at in evidence.commits and at not in used:
        own.append(commits[at])
        at = commits[at].parents[0] if commits[at].parents else None
    return _Line(at or tip, tuple(reversed(own)), branch)


def _matched(
    submission: Submission,
    steps: Sequence[Step],
    line: _Line,
    *,
    pending: bool,
    uncommitted: str | None = None,
) -> Iterator[Result]:
    """The result of each step on a line; `uncommitted` is the commit whose change lies in the working tree
    alone."""
    evidence = submission.evidence
    matches = matched(submission.commits, submission.texts, steps, line.own)
    made = matches.made
    ids = [step.commit or "" for step in steps]
    holders = _holders(submission, steps, matches)
    now = evidence.pending.brings[0] if pending and evidence.pending and evidence.pending.brings else None
    unmatched = [id_ for id_ in ids if made[id_] is None]
    upcoming = None  # where the operation goes on, at a commit that nothing was done of yet
    if pending and now not in unmatched:
        now = unmatched[0] if unmatched else None
        if not submission.changed_paths:
            now, upcoming = None, now
    done = [id_ for id_ in ids if made[id_] is not None]
    # What was committed on top of the last one mends it.
    last = max(done, key=lambda id_: _place(line, made[id_]), default=None)
    on, task = steps[0].operation.on, steps[0].task
    goes_on = any(one.task > task and one.operation.on == on for one in submission.key.steps)
    end = line.end_of(made[last] if last is not None else None)
    before, reached = line.base_commit, True
    open_ends = ids.index(done[-1]) + 1 if done else 0
    for number, (id_, step) in enumerate(zip(ids, steps, strict=True)):
        commit = made[id_]
        if commit is not None:
            final = end if id_ == last and not pending else commit.id
            yield _result("replayed", step, line, commit.id, commit.parents[0], final, matches=matches)
            before = commit.id
        elif reached and id_ == uncommitted:
            reached = False
            yield _result("by hand", step, line, None, line.tip, None, matches=matches)
        elif pending and id_ == now:
            reached = False
            kind = evidence.pending.kind if evidence.pending else ""
            yield _result("pending", step, line, None, line.tip, None, kind, matches)
        elif pending and id_ == upcoming:
            reached = False
            yield _result("not reached", step, line, None, before, None, matches=matches)
        elif reached and id_ in holders:
            holder = holders[id_]
            final = end if last is not None and made[last] is holder and not pending else holder.id
            yield _result("squashed", step, line, holder.id, step.ours, final, matches=matches)
        elif reached:
            # Commits without a match, behind all that have one, may hold what this one brought.
            # Where nothing need be left of it, and a later task goes on there, those are that one's.
            gone = goes_on and step.becomes_empty(submission.commits)
            final = end if number >= open_ends and not gone else before
            yield _result("skipped", step, line, None, before, final, matches=matches)
        else:
            yield _result("not reached", step, line, None, before, None, matches=matches)


def _holders(submission: Submission, steps: Sequence[Step], matches: Matches) -> dict[str, Commit]:
    """For steps without a commit of their own the commit of another one that they became a part of: the one
    that has their change, or a part of it and comes before (or, where none does, after)."""
    empty = {step.commit for step in steps if step.becomes_empty(submission.commits)}
    made = matches.made.values()
    holders = {id_: held for id_, held in matches.into.items() if held in made and id_ not in empty}
    order = list(steps)
    for place, step in enumerate(order):
        id_ = step.commit or ""
        if matches.made[id_] is not None or id_ in holders or step.becomes_empty(submission.commits):
            continue
        for other in (*reversed(order[:place]), *order[place + 1 :]):
            commit = matches.made[other.commit or ""]
            if commit is not None:
                later = order[place + 1 : order.index(other) + 1]
                if squashed_into(submission.commits, submission.texts, step, other, commit, later):
                    holders[id_] = commit
                break
    return holders


def _place(line: _Line, commit: Commit | None) -> int:
    return line.own.index(commit) if commit in line.own else -1


def _popped(submission: Submission, step: Step, on_tip: str) -> Result:
    evidence, key = submission.evidence, submission.key
    commits, texts = submission.commits, submission.texts
    line = _walked(evidence, commits, step.operation.on, evidence.branch(step.operation.on) or on_tip, set())
    if evidence.unmerged:
        return _result("pending", step, line, None, line.tip, None, "stash-pop")
    before = commits[on_tip].tree
    changed = any(submission.changes)
    gone = evidence.stashes < len(key.history.stashes)
    if changed and (gone or brings_part(commits, texts, [step], before, tracked(evidence))):
        return _result("popped", step, line, None, line.tip, None)
    if line.own and brings_part(commits, texts, [step], before, commits[line.tip].tree):
        return _result("replayed", step, line, line.tip, line.base_commit, line.tip)
    if not evidence.shows_doing:
        return _result("not seen", step, line, None, line.base_commit, None)
    if gone and brings_only_conflicts(step.merge, before, texts):
        # Who kept ours in all of it has the same as who threw it away.
        return _result("popped", step, line, None, line.tip, None)
    if gone:
        return _result("dropped", step, line, None, line.tip, line.tip)
    return _result("none", step, line, None, line.base_commit, None)


def _result(
    shape: Shape,
    step: Step,
    line: _Line,
    made: str | None,
    ours: str,
    final: str | None,
    pending: str = "",
    matches: Matches | None = None,
) -> Result:
    return Result(
        shape=shape,
        ours=ours,
        theirs=step.theirs,
        result_commit=made,
        judged_commit=final,
        branch=line.branch,
        pending=pending,
        base_commit=line.base_commit,
        matches=matches,
    )


def stands_on(commits: Commits, result: Result, base: str) -> bool:
    """Whether the replayed commits stand on this commit (or further on)."""
    return result.base_commit is not None and contains(commits, result.base_commit, base)
