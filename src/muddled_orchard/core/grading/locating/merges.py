"""Where the result of each asked merge lies, and how it was made.

A learner may have merged as asked, the wrong way round, squashed, copied, rebased, stopped half way, on
another branch or on none. This module looks at the graph, and at contents only to tell an attempt from what
has nothing to do with the task (`attempts`); what the result contains is judged elsewhere.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby

from msgspec.structs import replace

from muddled_orchard.core.git.commits import Commit, Commits, ancestors, ancestry, contains
from muddled_orchard.core.git.refs import BRANCHES, REMOTE, branch_ref, is_on_remote
from muddled_orchard.core.grading.locating.attempts import brings_part, step_parts, uncommitted_step
from muddled_orchard.core.grading.locating.gone import last_places, to_be_deleted
from muddled_orchard.core.grading.locating.matching import alike, commit_patch
from muddled_orchard.core.grading.locating.results import Result, Shape
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.submission import Submission

_JOINED = ("merge", "reversed", "stale")


class MergeLocator:
    """The results of merges. First each task gets the merge commit that joins just its two branches, or the
    fast-forward, in whatever order they were made; then those that are left get a merge commit that joins
    them in another way; only then is looked what else may be the result of those that have none."""

    def __init__(self, submission: Submission, replays: Sequence[Result]) -> None:
        self._submission = submission
        self._evidence, self._key = submission.evidence, submission.key
        self._commits, self._texts = submission.commits, submission.texts
        self._merged: dict[int, Result] = {}
        self._pending_is_taken = False
        for find in (self._as_asked, self._exactly, self._roughly):
            before: list[Result] = []
            for place, step in enumerate(self._key.steps):
                merges = step.merges_branches
                if merges and step.task not in self._merged and (result := find(step, before)) is not None:
                    self._merged[step.task] = result
                replay = replays[place] if replays and not merges else None
                known = self._merged.get(step.task) if merges else replay
                before.append(known or _nothing(step, expected_tip(step.operation.on, self._key, before)))

    @property
    def merged(self) -> list[tuple[Step, Result]]:
        """The tasks that were merged, each with its result, the last first."""
        steps = {step.task: step for step in self._key.steps}
        return [(steps[task], self._merged[task]) for task in sorted(self._merged, reverse=True)]

    def of(self, step: Step, before: list[Result]) -> Result:
        """The result of a merge; `before` are those of the steps before."""
        key, commits = self._key, self._commits
        on, bring = step.operation.on, step.operation.source
        on_tip, bring_tip = expected_tip(on, key, before), expected_tip(bring, key, before)
        # What an earlier task left by a replay was not known yet when all merges were looked at.
        found = self._merged.get(step.task) or self._exactly(step, before) or self._roughly(step, before)
        if found is not None:
            return found
        if contains(commits, on_tip, bring_tip) and self._is_all_there(step, on_tip, bring_tip):
            return Result(
                shape="nothing to do",
                ours=on_tip,
                theirs=bring_tip,
                result_commit=on_tip,
                judged_commit=on_tip,
                branch=on,
            )
        under_way = None if self._pending_is_taken else self._under_way(step, on_tip, bring_tip)
        if under_way is not None:
            self._pending_is_taken = True
            return under_way
        return self._without_second_parent(
            step, on_tip, bring_tip, {result.result_commit for result in before}
        )

    def _is_all_there(self, step: Step, on_tip: str, bring_tip: str) -> bool:
        """Whether a branch that has another one's commits has all that the task asks for, and the other one
        does not just lack what an earlier task should have brought it."""
        if step.theirs in self._key.handed_out:
            return contains(self._commits, on_tip, step.theirs)
        moved = bring_tip not in self._key.handed_out
        return moved or contains(self._commits, step.ours, step.theirs)

    def _under_way(self, step: Step, on_tip: str, bring_tip: str) -> Result | None:
        pending, head, commits = self._evidence.pending, self._evidence.head_commit, self._commits
        if pending is None or head is None:
            return None
        sides_swapped = contains(commits, head, bring_tip) and not contains(commits, head, on_tip)
        ours, theirs = (on_tip, bring_tip)
        if pending.kind == "merge" and pending.brings:
            brings = pending.brings[0]
            if not sides_swapped and not self._is_for(step, brings, bring_tip):
                return None
            ours, theirs = (brings, head) if sides_swapped else (head, brings)
            ours = _before_any(commits, ours, on_tip, bring_tip)
        return Result(
            shape="pending",
            ours=ours,
            theirs=theirs,
            branch=self._evidence.head,
            pending=pending.kind,
            sides_swapped=sides_swapped,
        )

    def _is_for(self, step: Step, brings: str, bring_tip: str) -> bool:
        """Whether the merge that is under way is the one that a step asks for, and not another's."""
        if contains(self._commits, brings, bring_tip):
            return True
        others = (one.theirs for one in self._key.steps if one.task != step.task and one.merges_branches)
        return not any(contains(self._commits, brings, other) for other in others)

    def _without_second_parent(
        self, step: Step, on_tip: str, bring_tip: str, used: set[str | None]
    ) -> Result:
        evidence, commits = self._evidence, self._commits
        on, bring = step.operation.on, step.operation.source
        nothing = _nothing(step, on_tip)
        others = {result.result_commit for result in self._merged.values()}
        for branch, tip in self._places_of_merges(on, bring):
            if evidence.branch(on) is None and branch != on and on in to_be_deleted(self._key):
                continue  # it is looked for where it stood
            own = [commit for commit in ancestry(commits, tip) if commit.id in evidence.commits]
            own = [one for one in own if one.id not in others and not _below_used(commits, one.id, used)]
            own = [one for one in own if not self._submission.is_the_work(one)]
            if any(used):  # after an earlier task, a commit may as well mend that task's result
                own = [commit for commit in own if _brings(commits, commit, bring_tip)]
            if branch == bring and evidence.branch(on) is not None and not contains(commits, tip, on_tip):
                continue  # what it has of its own is what is to be brought
            if not own:
                continue
            before = on_tip if branch == on else self._grown_on(own[-1], on_tip, tip)
            # What one commit brings, a later one may take back again.
            each = ((commit.parents[0], commit.id) for commit in own if len(commit.parents) == 1)
            grown = step.operation.squash and contains(commits, tip, on_tip)
            spans = [(before, tip), *(each if grown else ())]
            if not any(self._brings_part(step, *span) for span in spans if span[0] in commits):
                continue
            shape: Shape = "squash"
            if _replayed(self._submission, own[-1:], bring_tip, on_tip) or (
                contains(commits, tip, bring_tip) and branch == on and not contains(commits, tip, on_tip)
            ):
                shape = "rebase"
            made = own[-1]
            if shape == "squash":  # what it brought is the branch as an earlier task left it
                plain = [commit for commit in own if len(commit.parents) == 1 and step.operation.squash]
                made, nothing = self._most_of(step, plain or own), replace(nothing, theirs=bring_tip)
            return replace(nothing, shape=shape, result_commit=made.id, judged_commit=tip, branch=branch)
        if evidence.pending is None and _touched(self._submission, step):
            return replace(
                nothing, shape="by hand", branch=evidence.head, sides_swapped=evidence.head == bring
            )
        now = evidence.branch(on)
        if (
            now is not None
            and now in commits
            and not contains(commits, now, on_tip)
            and self._brings_part(step, on_tip, now)
        ):
            return replace(nothing, shape="moved", result_commit=now, judged_commit=now)
        return nothing

    def _most_of(self, step: Step, own: Sequence[Commit]) -> Commit:
        """Which of these commits, the newest first, is most like a merge; of equals the oldest."""
        parts = list(step_parts(self._commits, self._texts, step))

        def likeness(commit: Commit) -> float:
            made = commit_patch(self._commits, self._texts, commit)
            return max(alike(part, made) for part in parts)

        return max(reversed(own), key=likeness)

    def _grown_on(self, first: Commit, on_tip: str, tip: str) -> str:
        """What another branch is compared with: where the branch stood, or where its first commit began, if
        that was before: it lacks what the branch got since, and has taken nothing of it out."""
        begun = first.parents[0] if first.parents else on_tip
        return on_tip if contains(self._commits, tip, on_tip) or begun not in self._commits else begun

    def _has_grown(self, id_: str) -> bool:
        """Whether a commit has grown from what was handed out, by parents alone."""
        return not self._key.handed_out.isdisjoint(ancestors(self._commits, id_))

    def _brings_part(self, step: Step, before: str, after: str) -> bool:
        """Whether a commit has grown from what was handed out, and has a part of what a merge brings."""
        commits = self._commits
        if not self._has_grown(after):
            return False
        if contains(commits, after, step.theirs):
            return True
        return brings_part(commits, self._texts, [step], commits[before].tree, commits[after].tree)

    def _as_asked(self, step: Step, before: list[Result]) -> Result | None:
        """A merge commit whose first side has grown from the branch by the learner's own commits, or the
        fast-forward that the task comes to."""
        if step.operation.squash:
            tips = (
                expected_tip(step.operation.on, self._key, before),
                expected_tip(step.operation.source, self._key, before),
            )
            plain = self._without_second_parent(
                step, tips[0], tips[1], {result.result_commit for result in before}
            )
            if plain.shape == "squash" and self._is_plain(plain, tips[1]):
                return plain
        result = self._exactly(step, before)
        return result if result is not None and result.shape != "reversed" else None

    def _is_plain(self, result: Result, bring_tip: str) -> bool:
        """Whether a result is one commit with a single parent, which does not have the other branch's own."""
        made = self._commits[result.result_commit or ""]
        return len(made.parents) == 1 and not contains(self._commits, made.id, bring_tip)

    def _exactly(self, step: Step, before: list[Result]) -> Result | None:
        """The same, or one with its sides turned round."""
        for on_tip, bring_tip in self._tips(step, before):
            result = self._of_merge_commit(step, on_tip, bring_tip, before, exactly=True)
            if result is None or result.branch != step.operation.on:
                # A later merge into another branch may join the two as well.
                result = self._fast_forward(step, on_tip, bring_tip) or result
            if result is not None:
                return result
        return None

    def _roughly(self, step: Step, before: list[Result]) -> Result | None:
        """Any other merge commit that joins the two: of an older commit, on another branch, of a branch that
        was rewritten or that has come with another one."""
        stale: Result | None = None
        for on_tip, bring_tip in self._tips(step, before):
            result = self._of_merge_commit(step, on_tip, bring_tip, before, exactly=False)
            if result is not None and result.shape != "stale":
                return result
            stale = stale or result
        return stale

    def _tips(self, step: Step, before: list[Result]) -> Iterator[tuple[str, str]]:
        """Where the two branches may have stood: where the tasks before have left them; where the key has
        them, if those commits were handed out; as they were handed out, since the merges of a row may have
        been made in another order; and at the base of an earlier replay of which nothing was to be left."""
        key, on, bring = self._key, step.operation.on, step.operation.source
        left = (expected_tip(on, key, before), expected_tip(bring, key, before))
        asked = (left[0], step.theirs if step.theirs in key.handed_out else left[1])
        emptied = [(base, left[1]) for base in self._emptied_bases(step)]
        for on_tip, bring_tip in dict.fromkeys((left, asked, (expected_tip(on, key, []), left[1]), *emptied)):
            if not contains(self._commits, on_tip, bring_tip):
                yield on_tip, bring_tip

    def _emptied_bases(self, step: Step) -> Iterator[str]:
        """The new base of each earlier replay of the branch that by the key leaves no commit of it."""
        key = self._key
        earlier = [one for one in key.steps if one.task < step.task and one.operation.on == step.operation.on]
        for _, group in groupby(earlier, key=lambda one: one.task):
            steps = list(group)
            if steps[0].operation.replays_own and all(one.becomes_empty(key.commits) for one in steps):
                yield steps[0].ours

    def _fast_forward(self, step: Step, on_tip: str, bring_tip: str) -> Result | None:
        on, commits = step.operation.on, self._commits
        now = self._evidence.branch(on)
        if now is None:
            now = next(last_places(self._submission, on), None)
        if now is None or not contains(commits, bring_tip, on_tip) or not contains(commits, now, bring_tip):
            return None
        return Result(
            shape="fast-forward",
            ours=on_tip,
            theirs=bring_tip,
            result_commit=bring_tip,
            judged_commit=now,
            branch=on,
        )

    def _of_merge_commit(
        self, step: Step, on_tip: str, bring_tip: str, before: list[Result], *, exactly: bool
    ) -> Result | None:
        evidence, commits = self._evidence, self._commits
        on, bring = step.operation.on, step.operation.source
        taken = {
            result.result_commit for result in (*before, *self._merged.values()) if result.shape in _JOINED
        }
        stale: Result | None = None
        for branch, tip in self._places_of_merges(on, bring):
            for merge in _merges(commits, evidence, tip):
                # A branch that was to be deleted afterwards has its merge where it went.
                gone = branch != on and evidence.branch(on) is None and on in to_be_deleted(self._key)
                ends = (merge.id, on) if gone else (tip, branch)
                found = _joined(commits, merge, on_tip, bring_tip, *ends)
                if found is None or not self._has_grown(found.ours):
                    continue
                if merge.id in taken and (exactly or found.shape != "merge"):
                    continue
                if exactly and not self._joins_its_own(found, merge, on_tip):
                    continue
                if found.shape == "stale":
                    stale = stale or found
                    continue
                if not exactly and found.shape == "merge" and not self._may_be(merge, on_tip):
                    continue
                return found
        return stale

    def _places_of_merges(self, on: str, bring: str) -> Iterator[tuple[str | None, str]]:
        """Where a branch stood that was to be deleted and is gone; then the branches and their tips."""
        yield from ((on, tip) for tip in last_places(self._submission, on))
        yield from _places(self._evidence, on, bring)

    def _joins_its_own(self, result: Result, merge: Commit, on_tip: str) -> bool:
        """Whether the side that a merge was made on has grown from a branch's commit by the learner's own
        commits, and not since both come from it."""
        side = merge.parents[0] if result.shape != "reversed" else merge.parents[1]
        return result.shape in ("merge", "reversed") and on_tip in self._own_line(side)

    def _may_be(self, merge: Commit, on_tip: str) -> bool:
        """Whether a merge may have been made on a branch at all: on another branch that has all of it, or on
        commits of the learner's own, which are that branch rewritten."""
        first = merge.parents[0]
        return contains(self._commits, first, on_tip) or first in self._evidence.commits

    def _own_line(self, tip: str) -> set[str]:
        """The learner's own commits that a commit has grown from, and those of the hand-out that they stand
        on."""
        seen: set[str] = set()
        waiting = [tip]
        while waiting:
            id_ = waiting.pop()
            if id_ not in seen:
                seen.add(id_)
                own = self._evidence.commits.get(id_)
                waiting.extend(own.parents if own else ())
        return seen


def expected_tip(branch: str, key: Key, before: list[Result]) -> str:
    """Where a branch should stand before a task: at its last result, or as it was handed out."""
    for result, step in zip(reversed(before), reversed(key.steps[: len(before)]), strict=True):
        if step.operation.on == branch and result.result_commit is not None:
            return result.result_commit
    if is_on_remote(branch):
        return key.ids[key.history.remote[branch.removeprefix(REMOTE)]]
    return key.refs[branch_ref(branch)]


def _places(evidence: Evidence, on: str, bring: str) -> Iterator[tuple[str | None, str]]:
    """Branches and their tips, the likeliest first; a detached HEAD is a place too."""
    names = sorted(
        (name.removeprefix(BRANCHES) for name in evidence.refs if name.startswith(BRANCHES)),
        key=lambda name: (name != on, name != bring, name),
    )
    for name in names:
        yield name, evidence.refs[branch_ref(name)]
    if evidence.head is None and evidence.head_commit is not None:
        yield None, evidence.head_commit


def _merges(commits: Commits, evidence: Evidence, tip: str) -> list[Commit]:
    """The learner's own merge commits below a tip, the oldest first."""
    own = [commit for commit in ancestry(commits, tip) if commit.id in evidence.commits]
    return [commit for commit in reversed(own) if len(commit.parents) > 1]


def _joined(
    commits: Commits, merge: Commit, on_tip: str, bring_tip: str, tip: str, branch: str | None
) -> Result | None:
    """How a merge commit brings the two branches together, if it does."""
    first = merge.parents[0]
    second = next((one for one in merge.parents[1:] if contains(commits, one, bring_tip)), merge.parents[1])
    sides = [
        (contains(commits, side, on_tip), contains(commits, side, bring_tip)) for side in (first, second)
    ]
    ours = _before_any(commits, first, on_tip, bring_tip)
    merged = Result(
        shape="merge", ours=ours, theirs=second, result_commit=merge.id, judged_commit=tip, branch=branch
    )
    if sides[0] == (True, False) and sides[1][1]:
        return merged
    if sides == [(False, True), (True, False)]:
        ours = _before_any(commits, second, on_tip, bring_tip)
        return replace(merged, shape="reversed", ours=ours, theirs=first, sides_swapped=True)
    if sides == [(False, False), (False, True)]:  # the branch was rewritten before it was merged into
        return merged
    older = contains(commits, bring_tip, second) and not contains(commits, on_tip, second)
    if sides[0] == (True, False) and older:
        return replace(merged, shape="stale")
    return None


def _before_any(commits: Commits, start: str, on_tip: str, bring_tip: str) -> str:
    """Where a line of first parents stood before any commit came in of what is to be brought: who merges an
    older commit of it first has resolved a part of the same conflicts, and is judged for all of them."""
    if start == on_tip:
        return start
    brought = ancestors(commits, bring_tip) - ancestors(commits, on_tip)
    at = start
    while at in commits and commits[at].parents and not brought.isdisjoint(ancestors(commits, at)):
        at = commits[at].parents[0]
    return at if at in commits else start


def _nothing(step: Step, on_tip: str) -> Result:
    return Result(shape="none", ours=on_tip, theirs=step.theirs, branch=step.operation.on)


def _below_used(commits: Commits, id_: str, used: set[str | None]) -> bool:
    return any(result is not None and contains(commits, result, id_) for result in used)


def _brings(commits: Commits, commit: Commit, bring_tip: str) -> bool:
    """Whether a commit changes a file towards what the other branch has in it."""
    theirs = commits[bring_tip].tree
    before = commits[commit.parents[0]].tree if commit.parents and commit.parents[0] in commits else {}
    changed = {path for path in {*commit.tree, *before} if commit.tree.get(path) != before.get(path)}
    return any(theirs.get(path) != before.get(path) for path in changed)


def _replayed(submission: Submission, own: list[Commit], bring_tip: str, on_tip: str) -> bool:
    """Whether the new commits are copies of handed-out commits of one of the branches."""
    commits, handed_out = submission.commits, submission.key.handed_out
    theirs = ancestors(commits, bring_tip)
    ours = ancestors(commits, on_tip)
    originals = {(commits[id_].author, commits[id_].subject) for id_ in (theirs ^ ours) & handed_out}
    return any((commit.author, commit.subject) in originals for commit in own)


def _touched(submission: Submission, step: Step) -> bool:
    """Whether a file that takes part in the conflict was changed in the working tree or the index, or a part
    of what the merge brings lies there."""
    evidence = submission.evidence
    if evidence.unmerged:
        return True
    changed = {change.path for change in submission.changes}
    if any(conflict.path in changed for conflict in step.merge.conflicts):
        return True
    return uncommitted_step(submission, [step]) is not None
