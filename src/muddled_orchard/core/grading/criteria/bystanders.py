"""bystanders: other branches, tags and the handed-out commits stand where they stood."""

from __future__ import annotations

from muddled_orchard.core.git.commits import contains
from muddled_orchard.core.git.refs import BRANCHES, REMOTE_TRACKING, TAGS, branch_ref
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.bystanders import (
    BranchGone,
    BranchMoved,
    BranchRewritten,
    ToBeLeftAlone,
    Undisturbed,
)
from muddled_orchard.core.grading.locating.gone import to_be_deleted
from muddled_orchard.core.grading.remote import overwritten


def judge(case: Case) -> Outcome:
    """Compare every handed-out ref with where it stands now."""
    receiving = {branch_ref(task.step.operation.on) for task in case.tasks}
    if case.is_own:  # wherever the learner likes
        receiving |= case.key.refs.keys()
    # Merging the wrong way round moves the other branch; that costs `history`, and costs once.
    excused = {
        branch_ref(task.step.operation.source) for task in case.tasks if task.result.shape == "reversed"
    }
    if case.scenario.start.work:  # it may be committed where it is
        excused.add(branch_ref(case.key.history.checked_out))
    # A rebase or a reset is there to rewrite its branch; a branch may be asked to be deleted; what origin
    # has is `delivered`'s to judge.
    rewriting = {branch_ref(task.task.on) for task in case.tasks if task.task.rewrites_branch}
    deleted = set(map(branch_ref, to_be_deleted(case.key)))
    moved: list[tuple[Kind, str | None]] = []
    rewritten: list[tuple[Kind, str | None]] = []
    for ref, before in case.key.refs.items():
        name = ref.removeprefix(BRANCHES).removeprefix(TAGS)
        now = case.evidence.refs.get(ref)
        if now == before or ref.startswith(REMOTE_TRACKING) or ref in rewriting:
            continue
        if now is None and ref in deleted:
            continue
        if now is None:
            rewritten.append((BranchGone(name, _renamed_to(case, before)), before))
        elif not contains(case.commits, now, before):
            rewritten.append((BranchRewritten(name, before), before))
        elif ref not in receiving and ref not in excused:
            moved.append((BranchMoved(name, before, now), now))
    rewritten += overwritten(case)
    if rewritten:
        found = rewritten + moved
        return missed([kind for kind, _ in found], tuple(Place(commit=id_) for _, id_ in found))
    if moved:
        found = moved
        return partly(
            [*(kind for kind, _ in found), ToBeLeftAlone(len(found))],
            where=tuple(Place(commit=id_) for _, id_ in found),
        )
    return met(Undisturbed())


def _renamed_to(case: Case, before: str) -> str | None:
    """A branch that was not handed out and has gone on where a deleted branch stood."""
    for ref, now in case.evidence.refs.items():
        is_new = ref.startswith(BRANCHES) and ref not in case.key.refs
        if is_new and _is_line_of(case, now, before):
            return ref.removeprefix(BRANCHES)
    return None


def _is_line_of(case: Case, tip: str, before: str) -> bool:
    """Whether first parents lead from a commit to an earlier one: what was merged into a branch is not it."""
    at: str | None = tip
    while at is not None and at != before and at in case.evidence.commits:
        at = next(iter(case.commits[at].parents), None)
    return at == before


CRITERION = Criterion(
    id="bystanders",
    weight=1,
    judge=judge,
    question="Do all other branches stand where they stood?",
    right="All other branches stand where they stood.",
    tells_reason=True,
    commands=("git branch -avv",),
)
