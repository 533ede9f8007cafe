"""bystanders: other branches, tags and the handed-out commits stand where they stood."""

from __future__ import annotations

from muddled_orchard.core.exercise.tasks import is_rebase, source_of
from muddled_orchard.core.git.commits import contains, short
from muddled_orchard.core.git.refs import BRANCHES, REMOTE_TRACKING, TAGS, branch_ref
from muddled_orchard.core.grading.assessment import Outcome, Place, met, missed, partly
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.remote import overwritten


def judge(case: Case) -> Outcome:
    """Compare every handed-out ref with where it stands now."""
    receiving = {branch_ref(task.step.operation.on) for task in case.tasks}
    # Merging the wrong way round moves the other branch; that costs `history`, and costs once.
    excused = {
        branch_ref(source_of(task.step.operation)) for task in case.tasks if task.result.shape == "reversed"
    }
    # A rebase is there to rewrite its branch; a branch may be asked to be deleted; what origin has is
    # `delivered`'s to judge.
    rewriting = {branch_ref(task.task.on) for task in case.tasks if is_rebase(task.task)}
    deleted = {branch_ref(task.task.delete) for task in case.tasks}
    moved: list[tuple[str, str | None]] = []
    rewritten: list[tuple[str, str | None]] = []
    for ref, before in case.key.refs.items():
        name = ref.removeprefix(BRANCHES).removeprefix(TAGS)
        now = case.evidence.refs.get(ref)
        if now == before or ref.startswith(REMOTE_TRACKING) or ref in rewriting:
            continue
        if now is None and ref in deleted:
            continue
        if now is None:
            other = _renamed_to(case, before)
            what = f"was renamed to {other}" if other else "was deleted"
            rewritten.append((f"{name} {what}.", before))
        elif not contains(case.commits, now, before):
            rewritten.append((f"{name} was rewritten: {short(before)} is no longer in it.", before))
        elif ref not in receiving and ref not in excused:
            moved.append((f"{name} was moved on from {short(before)} to {short(now)}.", now))
    rewritten += overwritten(case)
    if rewritten:
        said = rewritten + moved
        return missed(" ".join(text for text, _ in said), tuple(Place(commit=id_) for _, id_ in said))
    if moved:
        them = "It was" if len(moved) == 1 else "They were"
        return partly(
            f"{' '.join(text for text, _ in moved)} {them} to be left alone.",
            where=tuple(Place(commit=id_) for _, id_ in moved),
        )
    return met("Everything else stands where it stood.")


def _renamed_to(case: Case, before: str) -> str | None:
    """A branch that was not handed out and has what a deleted branch had."""
    for ref, now in case.evidence.refs.items():
        is_new = ref.startswith(BRANCHES) and ref not in case.key.refs
        if is_new and contains(case.commits, now, before):
            return ref.removeprefix(BRANCHES)
    return None


CRITERION = Criterion(
    id="bystanders",
    weight=1,
    judge=judge,
    question="Do all other branches stand where they stood?",
    right="All other branches stand where they stood.",
    tells_reason=True,
    commands=("git branch -avv",),
)
