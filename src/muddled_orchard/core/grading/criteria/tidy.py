"""tidy: the right branch is checked out, the working tree is clean, nothing was left lying about."""

from __future__ import annotations

from collections.abc import Iterator

from muddled_orchard.core.exercise.tasks import branch_at_end, most_stashes
from muddled_orchard.core.grading.assessment import Outcome, Place, met, partly, unseen
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import Kind, few
from muddled_orchard.core.grading.kinds.finished import NotInBundle
from muddled_orchard.core.grading.kinds.tidy import (
    BackupsCommitted,
    Detached,
    LeftUntracked,
    NotClean,
    OtherCheckedOut,
    StashLeft,
    Tidy,
)
from muddled_orchard.core.submission.status import is_backup


def judge(case: Case) -> Outcome:
    """One flaw costs half, two cost all."""
    if case.evidence.commits_alone:
        return unseen(NotInBundle("working tree"))
    flaws = list(_flaws(case))
    if not flaws:
        return met(Tidy())
    share = 0.5 if len(flaws) == 1 else 0.0
    return partly([kind for kind, _ in flaws], share, tuple(p for _, places in flaws for p in places))


def _flaws(case: Case) -> Iterator[tuple[Kind, tuple[Place, ...]]]:
    evidence = case.evidence
    last = case.tasks[-1] if case.tasks else None
    wanted = branch_at_end(case.scenario.task)
    # Who merged the wrong way round is where that leads to; `history` has the cost.
    elsewhere = last is not None and last.result.sides_swapped and evidence.head == last.result.branch
    if evidence.head is None and (evidence.pending is None or evidence.pending.kind != "rebase"):
        yield Detached(wanted), ()
    elif (
        evidence.head != wanted
        and not elsewhere
        and evidence.pending is None
        and evidence.working is not None
    ):
        yield OtherCheckedOut(evidence.head, wanted), ()
    leftovers = [change.path for change in case.uncommitted if change.how == "untracked"]
    committed = [path for path in (case.final_tree or {}) if is_backup(path) and not _handed_out(case, path)]
    if committed:
        yield BackupsCommitted(few(committed), len(committed)), _places(committed)
    if leftovers:
        backups = all(map(is_backup, leftovers))
        yield LeftUntracked(few(leftovers), len(leftovers), backups), _places(leftovers)
    under_way = evidence.pending or any(task.result.in_working_tree for task in case.tasks)
    changed = [change.path for change in case.uncommitted if change.how != "untracked"]
    if changed and not under_way:
        yield NotClean(few(changed), len(changed)), _places(changed)
    scenario, handed_out = case.scenario, len(case.key.history.stashes)
    if evidence.stashes > most_stashes(handed_out, scenario.task, work=bool(scenario.start.work)):
        yield StashLeft(), ()


def _handed_out(case: Case, path: str) -> bool:
    return any(path in case.key.commits[id_].tree for id_ in case.key.handed_out)


def _places(paths: list[str]) -> tuple[Place, ...]:
    return tuple(Place(path) for path in paths)


CRITERION = Criterion(
    id="tidy",
    weight=1,
    judge=judge,
    question="Is the right branch checked out, and nothing left lying about?",
    right="The right branch is checked out, and nothing is left lying about.",
    tells_reason=True,
    commands=("git status", "git stash list"),
)
