"""The conflicts that a learner made: found in their commits and their reflog, and asked of Git again.

What conflicted becomes steps of a key, with the learner's own commits as results, so that every criterion
reads them as it reads what was handed out.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import chain

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.exercise.operations.cherry_pick import CherryPick
from muddled_orchard.core.exercise.operations.merge import Merge
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict, OwnOperation
from muddled_orchard.core.exercise.operations.rebase import Rebase
from muddled_orchard.core.exercise.operations.revert import Revert
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.commits import Commit, Commits, ancestry, contains, short
from muddled_orchard.core.git.copies import copied_from, side_that_stays
from muddled_orchard.core.git.refs import BRANCHES, REMOTE_TRACKING, branch_ref
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.grading.locating.locate import MergeRequest
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.key.accepted import Accepted, HunkChoice
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.merging.conflict import STAGE, Conflict, MergeResult
from muddled_orchard.core.merging.keep import KEEP, lines_kept
from muddled_orchard.core.merging.markers import has_signs
from muddled_orchard.core.submission.own import changed_by_both
from muddled_orchard.core.submission.reflog import Went, first_said, how_it_went, kept_commits, rebased
from muddled_orchard.core.submission.submission import Submission

MOST_ASKED = 200
"""So many operations of a learner are asked again at most, the newest."""


class OwnAttempt(Struct, frozen=True, kw_only=True):
    """An operation of a learner's that may have conflicted: which, the commit in which it ended (None: it is
    under way), both sides, what they are measured by (None: what they have in common), the commit that was
    copied, and what the reflog says of how it went and of which branches (empty: nothing). `thrown_away`:
    nothing leads to what came of it any more; `likely`: nothing but its content says that it is one."""

    how: OwnOperation
    commit: str | None
    ours: str
    theirs: str
    base: str | None = None
    original: str | None = None
    went: Went = "unknown"
    on: str = ""
    source: str = ""
    thrown_away: bool = False
    likely: bool = False

    @property
    def place(self) -> tuple[str, ...]:
        """What Git's answer is kept under."""
        return self.ours, self.theirs, self.base or ""


def own_task(key: Key) -> OwnConflict | None:
    """The task that asks for a conflict of the learner's own, where one does."""
    return next((task for task in key.scenario.task if isinstance(task, OwnConflict)), None)


def own_attempts(submission: Submission) -> list[OwnAttempt]:
    """Every operation of the learner's that can be asked again, in the order of their commits, then what is
    under way."""
    found = [*_merges(submission), *_copies(submission), *_rebased(submission)]
    found += _squashed(submission, {one.commit for one in found})
    place = {id_: number for number, id_ in enumerate(_in_order(submission))}
    found.sort(key=lambda one: place.get(one.commit or "", 0))
    kept = _kept(submission, found)
    last: dict[tuple[str, ...], OwnAttempt] = {}
    for one in (replace(attempt, thrown_away=attempt.commit not in kept) for attempt in found):
        # What was amended, or made once more, is one conflict: the last of its surest results counts.
        before = last.pop(one.place, one)
        last[one.place] = one if _sureness(one) >= _sureness(before) else before
    return [*last.values(), *_under_way(submission)][-MOST_ASKED:]


def _sureness(attempt: OwnAttempt) -> tuple[bool, bool]:
    return not attempt.thrown_away, not attempt.likely


def _kept(submission: Submission, attempts: Sequence[OwnAttempt]) -> set[str]:
    """The commits that are not thrown away; the work of one is kept where another one has all of it, as after
    a reset and a new commit of the same."""
    commits = submission.commits
    kept = kept_commits(submission.evidence, commits)
    others = {one.commit for one in attempts if one.commit is not None} - kept
    if others:
        trees = {frozenset(commits[id_].tree.items()) for id_ in kept & submission.evidence.commits.keys()}
        kept |= {id_ for id_ in others if frozenset(commits[id_].tree.items()) in trees}
    return kept


def _in_order(submission: Submission) -> list[str]:
    """The learner's commits, each after its parents; of others the older one first."""
    own = submission.evidence.commits
    order: list[str] = []
    seen: set[str] = set()
    for start in sorted(own.values(), key=lambda commit: (commit.time, commit.id)):
        stack = [start.id]
        while stack:
            waiting = [one for one in own[stack[-1]].parents if one in own and one not in seen]
            if waiting and stack[-1] not in seen:
                stack.extend(waiting)
                continue
            at = stack.pop()
            if at not in seen:
                seen.add(at)
                order.append(at)
    return order


def requests_of(attempts: Sequence[OwnAttempt]) -> list[MergeRequest]:
    """What Git is asked of them, each pair of commits once."""
    labels = ("HEAD", "theirs")
    asked = {one.place: MergeRequest(one.ours, one.theirs, one.base, labels, one.place) for one in attempts}
    return list(asked.values())


def _merges(submission: Submission) -> Iterator[OwnAttempt]:
    evidence, commits = submission.evidence, submission.commits
    said = first_said(evidence)
    for commit in evidence.commits.values():
        if len(commit.parents) != 2 or any(parent not in commits for parent in commit.parents):
            continue
        ours, theirs = commit.parents
        went = how_it_went(commit, said.get(commit.id, ""))
        yield OwnAttempt(how="merge", commit=commit.id, ours=ours, theirs=theirs, went=went)


def _copies(submission: Submission) -> Iterator[OwnAttempt]:
    commits = submission.commits
    said = first_said(submission.evidence)
    for commit in submission.evidence.commits.values():
        copied = copied_from(commit.message)
        source = commits.get(copied[1]) if copied is not None else None
        stays = side_that_stays(commit.message, source.parents) if source is not None else None
        if copied is None or source is None or stays is None or stays not in commits:
            continue
        if len(commit.parents) != 1:
            continue
        how, went = copied[0], how_it_went(commit, said.get(commit.id, ""))
        theirs, base = (source.id, stays) if how == "cherry-pick" else (stays, source.id)
        yield OwnAttempt(
            how=how, commit=commit.id, ours=commit.parents[0], theirs=theirs, base=base,
            original=source.id, went=went,
        )  # fmt: skip


def _rebased(submission: Submission) -> Iterator[OwnAttempt]:
    """The commits that a rebase put on another base."""
    commits = submission.commits
    for one in rebased(submission.evidence, commits):
        old, made = one.old, one.made
        if len(old.parents) == 1 and len(made.parents) == 1 and made.parents[0] in commits:
            yield OwnAttempt(
                how="rebase", commit=made.id, ours=made.parents[0], theirs=old.id, base=old.parents[0],
                original=old.id, went="conflict" if one.stopped else "clean", on=one.on, source=one.onto,
            )  # fmt: skip


def _squashed(submission: Submission, known: set[str | None]) -> Iterator[OwnAttempt]:
    """The commits that are likely a squashed merge, of which Git notes nothing: they have what another branch
    has, in other files as it is there and in those that both sides changed in part."""
    commits, evidence = submission.commits, submission.evidence
    heads = {id_ for ref, id_ in evidence.refs.items() if ref.startswith(BRANCHES) and id_ in commits}
    sides = sorted(heads - submission.key.handed_out)[:_MOST_BRANCHES]
    single = [one for one in evidence.commits.values() if len(one.parents) == 1 and one.id not in known]
    for commit in sorted(single, key=lambda one: one.time)[-MOST_ASKED:]:
        before = commit.parents[0]
        for side in sides:
            apart = not contains(commits, side, before) and not contains(commits, commit.id, side)
            if apart and _has_work_of(submission, commit, before, side):
                yield OwnAttempt(how="merge", commit=commit.id, ours=before, theirs=side, likely=True)


def _has_work_of(submission: Submission, commit: Commit, before: str, side: str) -> bool:
    commits = submission.commits
    both = changed_by_both(commits, before, side)
    base = next((one for one in ancestry(commits, side) if contains(commits, before, one.id)), None)
    if base is None:
        return False
    was, theirs, ours = base.tree, commits[side].tree, commits[before].tree
    alone = {path for path in {*was, *theirs} if was.get(path) != theirs.get(path)} - both
    if any(commit.tree.get(path) != theirs.get(path) for path in alone):
        return False

    def new_lines(path: str) -> set[str]:
        return set(submission.lines_at(theirs, path)) - set(submission.lines_at(ours, path))

    return any(new_lines(path) & set(submission.lines_at(commit.tree, path)) for path in both)


def _under_way(submission: Submission) -> Iterator[OwnAttempt]:
    evidence, commits = submission.evidence, submission.commits
    pending, here = evidence.pending, evidence.head_commit
    if pending is None or here is None or here not in commits or len(pending.brings) != 1:
        return
    other = commits.get(pending.brings[0])
    if other is None:
        return
    if pending.kind == "merge":
        yield OwnAttempt(how="merge", commit=None, ours=here, theirs=other.id)
    elif pending.kind in ("cherry-pick", "revert", "rebase") and len(other.parents) == 1:
        theirs, base = other.id, other.parents[0]
        how: OwnOperation = "rebase" if pending.kind == "rebase" else "cherry-pick"
        if pending.kind == "revert":
            how, theirs, base = "revert", base, theirs
        if base in commits and theirs in commits:
            yield OwnAttempt(how=how, commit=None, ours=here, theirs=theirs, base=base, original=other.id)


# -- As steps of a key ---------------------------------------------------------------------------------------


def with_own_steps(
    submission: Submission, attempts: Sequence[OwnAttempt]
) -> tuple[Submission, tuple[Result, ...]]:
    """The submission beside a key with a step for each of the learner's operations that conflicts when Git is
    asked again, and where the result of each lies."""
    task = own_task(submission.key)
    branches = _Branches(submission)
    steps: list[Step] = []
    results: list[Result] = []
    for attempt in attempts:
        merge = submission.evidence.merges.get(attempt.place)
        if task is None or merge is None or not merge.conflicts:
            continue
        if attempt.went == "clean" or attempt.thrown_away or attempt.likely:
            continue
        steps.append(_step(submission, branches, task, attempt, merge))
        results.append(_result(submission, branches, attempt, merge))
    # A step's commits are the key's elsewhere.
    named = {id_ for step in steps for id_ in (step.ours, step.theirs, step.base, step.commit) if id_}
    commits = {**submission.key.commits, **{id_: submission.commits[id_] for id_ in named}}
    key = replace(submission.key, steps=tuple(steps), commits=commits)
    return Submission(submission.evidence, key), tuple(results)


def _step(
    submission: Submission, branches: _Branches, task: OwnConflict, attempt: OwnAttempt, merge: MergeResult
) -> Step:
    operation = _operation(submission, branches, task, attempt)
    original = submission.commits.get(attempt.original or "")
    ours_name, theirs_name = operation.sides(original.subject if original else None)
    result = submission.commits.get(attempt.commit or "")
    return Step(
        task=submission.key.scenario.task.index(task) + 1,
        operation=operation,
        commit=attempt.original,
        ours=attempt.ours,
        theirs=attempt.theirs,
        base=attempt.base,
        ours_name=ours_name,
        theirs_name=theirs_name,
        merge=merge,
        accepted={conflict.path: ways for conflict in merge.conflicts if (ways := _fine(task, conflict))},
        solved=result.tree if result is not None else merge.tree,
    )


def _operation(submission: Submission, branches: _Branches, task: OwnConflict, attempt: OwnAttempt) -> Task:
    """The operation as it would have been asked for, with the branches by their names."""
    on = attempt.on or branches.of(attempt.commit or attempt.ours) or task.on
    source = branches.of(attempt.theirs, other=on) or short(attempt.theirs)
    message = task.message
    if attempt.how == "merge":
        return Merge(do="merge", on=on, bring=source, message=message)
    if attempt.how == "rebase":
        refs = {branch_ref(attempt.source), REMOTE_TRACKING + attempt.source}
        named = attempt.source if refs & submission.evidence.refs.keys() else ""
        onto = named or branches.of(attempt.ours, other=on) or short(attempt.ours)
        return Rebase(do="rebase", on=on, onto=onto, message=message)
    if attempt.how == "revert":
        return Revert(do="revert", on=on, undo=short(attempt.original), message=message)
    return CherryPick(do="cherry-pick", on=on, pick=(short(attempt.original),), message=message)


class _Branches:
    """Which branch of a submission has a commit."""

    def __init__(self, submission: Submission) -> None:
        self._commits = submission.commits
        heads = {
            name.removeprefix(BRANCHES): id_
            for name, id_ in submission.evidence.refs.items()
            if name.startswith(BRANCHES)
        }
        # Those that were handed out come first.
        names = sorted(heads, key=lambda name: (branch_ref(name) not in submission.key.refs, name))
        self._heads = {name: heads[name] for name in names}
        looked_at = names[:_MOST_BRANCHES]
        self._along = {name: _first_parents(self._commits, heads[name]) for name in looked_at}

    def of(self, commit: str, other: str = "") -> str:
        """A branch that has a commit: one that stands there, else one by whose first parents it is reached,
        else any; not the `other` one where there is a choice. Empty where there is none."""
        named = (name for name, id_ in self._heads.items() if id_ == commit and name != other)
        along = (name for name, ids in self._along.items() if name != other and commit in ids)
        having = (
            name
            for name in self._along
            if name != other and contains(self._commits, self._heads[name], commit)
        )
        return next(chain(named, along, having), "")

    def tip_with(self, commit: str) -> str | None:
        """Where a branch stands that has a commit."""
        return self._heads.get(self.of(commit))


_MOST_BRANCHES = 20
"""So many branches are looked through for a commit that none of them stands at."""


def _first_parents(commits: Commits, tip: str) -> set[str]:
    seen: set[str] = set()
    at: Commit | None = commits.get(tip)
    while at is not None and at.id not in seen:
        seen.add(at.id)
        at = commits.get(at.parents[0]) if at.parents else None
    return seen


def _fine(task: OwnConflict, conflict: Conflict) -> tuple[Accepted, ...]:
    """What is fine in a conflict: any of the words, in each hunk; nothing where all is that is resolved."""
    if not task.kept:
        return ()
    merged = conflict.merged
    if merged is None:
        sides = {word: STAGE[word] in conflict.stages for word in task.kept if word in STAGE}
        # Who keeps a side that has deleted the file, has nothing there.
        gone = "gone" in task.kept or not all(sides.values())
        return (
            *(Accepted(word=word, whole=True) for word, is_there in sides.items() if is_there),
            *([Accepted(gone=True, word="gone")] if gone else []),
        )
    words = [word for word in task.kept if word in KEEP]
    if not words:
        return ()
    choices = tuple(
        tuple(HunkChoice(word=word, text=lines_kept(hunk, word)) for word in words) for hunk in merged.hunks
    )
    return (Accepted(choices=choices, clean=merged.clean),)


def _result(submission: Submission, branches: _Branches, attempt: OwnAttempt, merge: MergeResult) -> Result:
    commits = submission.commits
    if attempt.commit is None:
        pending = submission.evidence.pending
        kind = pending.kind if pending is not None else ""
        head = submission.evidence.head
        return Result(shape="pending", ours=attempt.ours, theirs=attempt.theirs, branch=head, pending=kind)
    judged = attempt.commit
    tip = branches.tip_with(judged)
    paths = [conflict.path for conflict in merge.conflicts]
    if tip is not None and _has_signs(submission, commits[judged].tree, paths):
        judged = tip  # markers that were mended later are told as that
    return Result(
        shape="merge" if attempt.how == "merge" else "replayed",
        ours=attempt.ours,
        theirs=attempt.theirs,
        result_commit=attempt.commit,
        judged_commit=judged,
        branch=branches.of(attempt.commit) or None,
    )


def _has_signs(submission: Submission, tree: Tree, paths: Sequence[str]) -> bool:
    return any(has_signs(submission.lines_at(tree, path)) for path in paths)
