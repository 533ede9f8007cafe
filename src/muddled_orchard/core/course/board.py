"""Where everybody stands right now, who needs help first, and what most of them get wrong at the moment."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.phrases import counted, listed, times
from muddled_orchard.core.course.pushes import Arrived
from muddled_orchard.core.course.tally import OUTCOMES, outcome_of
from muddled_orchard.core.git.refs import tracking_ref
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.summary import got_it, not_made, standing
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.left_to_do import LeftToDo
from muddled_orchard.core.submission.peek import Peek

Stage = Literal[
    "nothing begun",
    "in a conflict",
    "not staged",
    "not committed",
    "not pushed",
    "not right",
    "unreadable",
    "done",
    "excused",
]

STAGES: Mapping[Stage, str] = {
    "unreadable": "can't be read",
    "nothing begun": "nothing begun",
    "in a conflict": "in a conflict",
    "not staged": "resolved, not staged",
    "not committed": "not committed",
    "not right": "not right yet",
    "not pushed": "not pushed",
    "done": "done",
    "excused": "excused",
}
"""How each is said, in the order in which learners with it are shown."""

_STUCK = 2
"""From how many pushes with the same fault on somebody is shown before the others."""

_COMMON = 2
"""From how many learners on a mistake is common."""


class Seen(Struct, frozen=True, kw_only=True):
    """One exercise of a learner as it is seen: how far it is, a few words on it, since when (in seconds since
    1970; None: that is not known), what it has earned, how often it was pushed, how many of the newest pushes
    in a row had the same fault, and what is wrong (`exercise: what`), each thing once. `practice`: it is of a
    drill; `team`: all who share it, where several do."""

    exercise: str
    title: str
    stage: Stage
    detail: str = ""
    since: float | None = None
    points: float = 0.0
    possible: float = 0.0
    pushes: int = 0
    repeated: int = 0
    mistakes: tuple[str, ...] = ()
    practice: bool = False
    team: tuple[str, ...] = ()

    @property
    def shown(self) -> str:
        """How the exercise is called on a board."""
        return f"{self.exercise} (practice)" if self.practice else self.exercise

    @property
    def percent(self) -> float:
        """What it is worth, in percent, to a tenth."""
        return round(100 * self.points / self.possible, 1) if self.possible else 0.0


class BoardRow(Struct, frozen=True, kw_only=True):
    """A learner, or a team at what they share: the exercise at hand, how many of how many are done, and since
    when a hand is raised (None: it isn't); how many learners it is."""

    learner: str
    name: str
    seen: Seen
    done: int
    of: int
    hand: float | None = None
    learners: int = 1


class CommonMistake(Struct, frozen=True):
    """What most of those got wrong who are not done: in words, and whose it is."""

    what: str
    learners: tuple[str, ...]


class Board(Struct, frozen=True):
    """The class: who needs help first, how many are at each stage, and the common mistake of the moment."""

    rows: tuple[BoardRow, ...]
    counts: Mapping[Stage, int]
    common: CommonMistake | None

    @property
    def learners(self) -> int:
        """How many there are."""
        return sum(row.learners for row in self.rows)


def board(seen: Mapping[str, Sequence[Seen]], names: Mapping[str, str], hands: Mapping[str, float]) -> Board:
    """The board of what is seen of each learner, their exercises in the order of the course. `hands` tells
    since when each hand is raised."""
    rows = [
        BoardRow(
            learner=learner,
            name=names.get(learner, learner),
            seen=_at_hand(theirs),
            done=sum(one.stage == "done" and not one.practice for one in theirs),
            of=sum(one.stage != "excused" and not one.practice for one in theirs),
            hand=hands.get(learner),
        )
        for learner, theirs in seen.items()
        if theirs
    ]
    rows = _together(rows)
    rows.sort(key=_need)
    counts: Counter[Stage] = Counter()
    for row in rows:
        counts[row.seen.stage] += row.learners
    return Board(tuple(rows), {stage: counts[stage] for stage in STAGES if counts[stage]}, _common(rows))


def _together(rows: Iterable[BoardRow]) -> list[BoardRow]:
    """The same with one row for those of a team who are at what they share: with all names, and the first
    raised hand of theirs."""
    found: dict[tuple[str, ...], BoardRow] = {}
    for row in rows:
        key = (row.seen.exercise, *row.seen.team) if row.seen.team else (row.learner,)
        before = found.setdefault(key, row)
        if before is not row:
            hands = [one.hand for one in (before, row) if one.hand is not None]
            name = f"{before.name}, {row.name}"
            learners = before.learners + row.learners
            found[key] = replace(before, name=name, hand=min(hands, default=None), learners=learners)
    return list(found.values())


def _at_hand(theirs: Sequence[Seen]) -> Seen:
    """The exercise that a learner is at: that of the newest news which is not done, else the first that is
    not done, else the last. Practice is shown where they are at it, or where there is nothing else."""
    open_ = [seen for seen in theirs if seen.stage not in ("done", "excused")]
    begun = [seen for seen in open_ if seen.stage != "nothing begun" and seen.since is not None]
    if begun:
        return max(begun, key=lambda seen: seen.since or 0.0)
    theirs = [seen for seen in theirs if not seen.practice] or theirs
    left = [seen for seen in open_ if seen in theirs]
    finished = [seen.since for seen in theirs if seen.stage == "done" and seen.since is not None]
    if not left:
        return next((seen for seen in reversed(theirs) if seen.stage == "done"), theirs[-1])
    # Who goes on to the next one has waited since the last was done.
    return replace(left[0], since=max([*finished, left[0].since or 0.0])) if finished else left[0]


def _need(row: BoardRow) -> tuple[bool, float, bool, int, int, float, str]:
    """What rows are sorted by: raised hands in the order in which they were raised, then who makes the same
    mistake again and again, then how far they are, then who has done least and has waited longest."""
    seen = row.seen
    stuck = seen.repeated >= _STUCK and seen.stage not in ("done", "excused")
    waiting = row.hand if row.hand is not None else 0.0
    return (
        row.hand is None,
        waiting,
        not stuck,
        list(STAGES).index(seen.stage),
        row.done,
        seen.since or 0.0,
        row.learner,
    )


def _common(rows: Iterable[BoardRow]) -> CommonMistake | None:
    whose: dict[str, list[str]] = {}
    for row in rows:
        for what in row.seen.mistakes if row.seen.stage != "done" else ():
            whose.setdefault(what, []).append(row.learner)
    if not whose:
        return None
    what = max(whose, key=lambda what: len(whose[what]))
    return CommonMistake(what, tuple(whose[what])) if len(whose[what]) >= _COMMON else None


# -- What is seen of one exercise -------------------------------------------------------------------------


def seen_of_pushes(
    exercise: str, title: str, given: float | None, pushes: Sequence[tuple[float, Assessment | None]]
) -> Seen:
    """An exercise by its pushes, the oldest first: when each came, and what was found (None: it is not graded
    yet). `given` is when it was handed out."""
    graded = [(at, assessment) for at, assessment in pushes if assessment is not None]
    if not graded:
        waiting = "pushed, not graded yet" if pushes else ""
        since = pushes[-1][0] if pushes else given
        stage: Stage = "not right" if pushes else "nothing begun"
        return Seen(
            exercise=exercise, title=title, stage=stage, detail=waiting, since=since, pushes=len(pushes)
        )
    at, newest = graded[-1]
    repeated = 1
    for earlier_at, earlier in reversed(graded[:-1]):
        if not same_fault(newest, earlier):
            break
        at, repeated = earlier_at, repeated + 1
    seen = _of_assessment(exercise, title, newest)
    detail = f"{seen.detail}; the same fault {times(repeated)}" if repeated >= _STUCK else seen.detail
    return Seen(
        exercise=exercise,
        title=title,
        stage=seen.stage,
        detail=detail,
        since=at,
        points=seen.points,
        possible=seen.possible,
        pushes=len(pushes),
        repeated=repeated if seen.stage != "done" else 0,
        mistakes=seen.mistakes,
    )


def in_team(seen: Seen, team: Sequence[str], waiting: Sequence[Arrived], last: str, turn: str) -> Seen:
    """The same with what somebody else did: those of a `team` who share it (one alone is none), what
    teammates have pushed that is not fetched yet, who of the team pushed last, and whose turn it is."""
    shared = tuple(sorted(team)) if len(team) > 1 else ()
    pushed = f"{last} pushed last" if shared and last else ""
    parts = (seen.detail, *(one.waiting for one in waiting), pushed, turn)
    if seen.stage == "nothing begun" and waiting:  # a push was tried, and refused
        seen = replace(seen, stage="not pushed", since=waiting[-1].at)
    return replace(seen, detail="; ".join(part for part in parts if part), team=shared)


def seen_of_folder(
    exercise: str, title: str, assessment: Assessment, looked: Peek, evidence: Evidence
) -> Seen:
    """An exercise by the folder in which a learner works at it: as it is graded, and what is under way in
    it."""
    graded = _of_assessment(exercise, title, assessment)
    stage, detail = _under_way(looked, evidence) or (graded.stage, graded.detail)
    if stage == "done" and _is_unpushed(evidence):
        stage, detail = "not pushed", "all is right here, and the remote has not got it"
    return Seen(
        exercise=exercise,
        title=title,
        stage=stage,
        detail=detail,
        points=graded.points,
        possible=graded.possible,
        mistakes=graded.mistakes if stage in ("not right", "not pushed") else (),
    )


def excused_seen(exercise: str, title: str) -> Seen:
    """An exercise that a learner is excused from."""
    return Seen(exercise=exercise, title=title, stage="excused")


def unread(assessment: Assessment) -> Seen:
    """What is seen of a work that can't be read."""
    return _of_assessment(assessment.exercise or "?", assessment.title or "?", assessment)


def _of_assessment(exercise: str, title: str, assessment: Assessment) -> Seen:
    where = standing(assessment)
    stage: Stage
    if where == "unreadable":
        stage, detail = "unreadable", assessment.reason
    elif where == "not started":
        stage, detail = "nothing begun", ""
    elif where == "got it":
        stage, detail = "done", ""
    else:
        stage, detail = "not right", _why(assessment, almost=where == "almost")
    return Seen(
        exercise=exercise,
        title=title,
        stage=stage,
        detail=detail.rstrip("."),
        points=assessment.points,
        possible=assessment.possible,
        mistakes=tuple(dict.fromkeys(_mistakes(exercise, assessment))) if stage == "not right" else (),
    )


def _why(assessment: Assessment, *, almost: bool) -> str:
    """What a work falls short in, in a few words: where every conflict is right, the criteria."""
    if missing := not_made(assessment):
        return missing.rstrip(".")
    if almost:
        return (
            listed(
                [criterion.id for criterion in assessment.criteria if criterion.outcome.verdict in _LACKING]
            )
            + " not met"
        )
    wrong = sum(hunk.outcome in _LACKING for hunk in assessment.hunks)
    markers = any(
        criterion.id == "markers" and criterion.outcome.verdict == "missed"
        for criterion in assessment.criteria
    )
    parts = ["not finished"] if assessment.state == "open" else []
    parts += ["conflict markers left"] if markers and assessment.state == "finished" else []
    parts += [f"{counted(wrong, 'conflict')} not resolved as accepted"] if wrong else []
    parts += [f"{counted(assessment.unmet, 'conflict')} never met"] if assessment.unmet else []
    return ", ".join(parts) or "nothing of what was asked is there"


_LACKING = ("partly", "missed")


def _mistakes(exercise: str, assessment: Assessment) -> Iterable[str]:
    for hunk in assessment.hunks:
        if hunk.outcome in _LACKING:
            place = f"{hunk.file}, hunk {hunk.hunk}" if hunk.hunk else hunk.file
            yield f"{exercise}: {place}: {OUTCOMES[outcome_of(hunk)]}"
    for criterion in assessment.criteria:
        if criterion.id != "resolution" and criterion.outcome.verdict == "missed":
            yield f"{exercise}: {criterion.id} missed"


def same_fault(assessment: Assessment, other: Assessment) -> bool:
    """Whether two works fell short in the same: the same criteria, and the same conflicts left alike."""
    return not got_it(assessment) and _fault(assessment) == _fault(other)


def _fault(assessment: Assessment) -> tuple[object, ...]:
    criteria = tuple(
        criterion.id for criterion in assessment.criteria if criterion.outcome.verdict in _LACKING
    )
    conflicts = tuple(
        (hunk.file, hunk.hunk, hunk.kept) for hunk in assessment.hunks if hunk.outcome in _LACKING
    )
    return (assessment.state, criteria, conflicts)


def _under_way(looked: Peek, evidence: Evidence) -> tuple[Stage, str] | None:
    """How far an operation, or uncommitted work, is; None where nothing is under way."""
    left: dict[str, list[LeftToDo]] = {}
    for item in looked.left:
        left.setdefault(item.kind, []).append(item)
    pending = evidence.pending
    step = f", step {pending.number} of {pending.total}" if pending and pending.total > 1 else ""
    if evidence.unmerged:
        marked = Counter(item.file for item in left.get("marker", ()) if item.detail.startswith("<"))
        whole = [path for path in evidence.unmerged if path not in (evidence.working or {})]
        if not marked and not _undecided(evidence):
            files = listed(evidence.unmerged)
            return "not staged", f"{files}{step}"
        parts = [f"{path} ({counted(number, 'hunk')} left)" for path, number in marked.items()]
        parts += [f"{path} (gone on one side)" for path in whole if path not in marked]
        return "in a conflict", f"{listed(parts) or listed(evidence.unmerged)}{step}"
    if pending is not None:
        return "not committed", f"the {pending.kind} is not completed{step}"
    changed = [item.file for kind in ("changed", "staged") for item in left.get(kind, ()) if item.work]
    if changed:
        return "not committed", f"{listed(list(dict.fromkeys(changed)))} changed"
    return None


def _is_unpushed(evidence: Evidence) -> bool:
    """Whether the branch that is checked out is not what its remote has, as far as that is known here."""
    there = evidence.refs.get(tracking_ref(evidence.head or ""))
    return there is not None and there != evidence.head_commit


def _undecided(evidence: Evidence) -> bool:
    """Whether a path is unmerged as a whole, so that nothing in a file shows whether it is decided."""
    stages: dict[str, set[int]] = {}
    for entry in evidence.index:
        if entry.stage:
            stages.setdefault(entry.path, set()).add(entry.stage)
    return any(not {2, 3} <= found for found in stages.values())
