"""work: what was not committed when it was handed out is still there: committed, stashed, or where it was."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from muddled_orchard.core.git.lines import alike, lines_of
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.grading.assessment import Outcome, Place, met, partly, skipped, unseen
from muddled_orchard.core.grading.case import Case
from muddled_orchard.core.grading.criteria.criterion import Criterion
from muddled_orchard.core.grading.finding import few
from muddled_orchard.core.grading.kinds.finished import NotInBundle
from muddled_orchard.core.grading.kinds.work import NoWork, WorkKept, WorkLost
from muddled_orchard.core.submission.status import tracked


def judge(case: Case) -> Outcome:
    """The share of the files whose new lines are all somewhere."""
    work = case.scenario.start.work
    if not work:
        return skipped(NoWork())
    places = list(_places(case))
    lost = [path for path in work if not _is_kept(case, path, places)]
    if lost and case.evidence.commits_alone:
        return unseen(NotInBundle("working tree"))  # it may lie there uncommitted
    if not lost:
        return met(WorkKept(len(work)))
    share = 1 - len(lost) / len(work)
    return partly(WorkLost(few(lost), len(lost)), share, tuple(Place(path) for path in lost))


def _places(case: Case) -> Iterator[Tree]:
    """Wherever work can lie: the working tree, the index, the tips of branches, and every commit of the
    learner's that a ref leads to, as a stash is one."""
    evidence = case.evidence
    yield tracked(evidence)
    yield evidence.working or {}
    yield {entry.path: entry.blob for entry in evidence.index if entry.stage == 0}
    for name, id_ in evidence.refs.items():
        if name.startswith(BRANCHES) and id_ in case.commits:
            yield case.commits[id_].tree
    # Once each, however many refs lead there; below a commit that was handed out there is none of theirs.
    seen, waiting = set[str](), [*evidence.refs.values()]
    while waiting:
        id_ = waiting.pop()
        if id_ not in seen and id_ in evidence.commits:
            seen.add(id_)
            yield evidence.commits[id_].tree
            waiting.extend(evidence.commits[id_].parents)


def _is_kept(case: Case, path: str, places: list[Tree]) -> bool:
    """Whether the lines that the work adds to a file are all in one place."""
    form = alike(case.scenario.spacing)
    blobs = {tree.get(path) for tree in places}
    head = case.key.history.checked_out
    before = case.key.commits[case.key.refs[f"{BRANCHES}{head}"]].tree.get(path)
    added = Counter(form(lines_of(case.scenario.start.work[path])))
    added -= Counter(form(case.lines(before)))
    if not added:  # it only deletes lines: the file as a whole must be there
        whole = form(lines_of(case.scenario.start.work[path]))
        return any(form(case.lines(blob)) == whole for blob in blobs)
    return any(added <= Counter(form(case.lines(blob))) for blob in blobs)


CRITERION = Criterion(
    id="work",
    weight=2,
    judge=judge,
    question="Is the work that was not committed still there?",
    right="The work that was not committed is still there.",
    tells_reason=True,
    commands=("git stash list", "git log --oneline --all -- ."),
)
