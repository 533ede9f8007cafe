"""Prove keys: the solution of each, and every other accepted way, is carried out with real Git and graded."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from functools import partial
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.phrases import brief, listed
from muddled_orchard.core.base.problems import BadInput, KeyPath, Problem
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.proof import OtherWay, Proof, other_ways
from muddled_orchard.core.key.solution import blob_mode, solved_conflict
from muddled_orchard.rehearsal.rehearsing import ACTING_LEARNER
from muddled_orchard.rehearsal.session import LearnerSession, StopsWorking, solve
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import Machines, workers
from muddled_orchard.vcs.ask.git import GitFailed
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.grading import grader
from muddled_orchard.vcs.peeking import peek_at
from muddled_orchard.vcs.planting import plant_example

MOST_WAYS = 40
"""So many other ways of one key are tried at most."""

_BY_CHOICE = ("resolution", "rest", "rules")
_OURS = (
    "The file is well formed, so this is likely a fault of Muddled Orchard: please report it with the file."
)


class _ToProve(Struct, frozen=True):
    scenario: Scenario
    code: str
    run_rules: bool


def prove(
    scenarios: Sequence[Scenario], code: str, machines: Machines, *, run_rules: bool = False
) -> Iterator[Proof]:
    """The proof of each scenario's variant, in order; all of them must have keys. `run_rules`: the commands
    of rules are run, too."""
    pieces = [_ToProve(scenario, code, run_rules) for scenario in scenarios]
    if len(pieces) < 2:
        yield from map(_proved, pieces)
        return
    with workers(machines.jobs, _proves) as pool:
        for future in [pool.submit(piece) for piece in pieces]:
            yield future.result()


def _proves() -> Callable[[_ToProve], Proof]:
    return _proved


def _proved(piece: _ToProve) -> Proof:
    with temporary_folder() as folder:
        key = make_key(ScratchRepository(folder / "scratch.git"), piece.scenario, piece.code)
        plant_example(piece.scenario, folder / "planted", piece.code)
        others = list(other_ways(key))
        ways = others[:MOST_WAYS]
        rooms = [folder / str(number) for number in range(len(ways) + 1)]
        try:
            answer = _carried_out(key, None, folder / "planted", rooms[0])
        except BadInput as bad:  # nobody can be shown a way through it
            return Proof(earned=0, possible=0, ways=0, faults=tuple(bad.problems))
        for way, room in zip(ways, rooms[1:], strict=True):
            _carried_out(key, way, folder / "planted", room)
        with grader(lambda _: piece.scenario, run_rules=piece.run_rules) as grading:
            own, *graded = grading.grade(rooms)
        faults = list(_faults(key, own, rooms[0], answer))
        for way, assessment in zip(ways, graded, strict=True):
            faults += _faults_of_way(key, way, assessment)
        return Proof(earned=own.points, possible=own.possible, ways=len(ways), faults=tuple(faults))


def _carried_out(key: Key, way: OtherWay | None, planted: Path, room: Path) -> str:
    """Carry the solution out in a folder of its own, in one conflict another way; what Git answered last."""
    shutil.copytree(planted, room, symlinks=True)
    session = LearnerSession(room / "work", key, ACTING_LEARNER)
    with suppress(GitFailed, StopsWorking):
        session.commit_work()
        session.carry_out(solve if way is None else partial(_resolved_by, way))
    return session.log.answer


def _resolved_by(way: OtherWay, session: LearnerSession, step: Step) -> None:
    solve(session, step)
    if step is way.step:
        conflict = way.conflict
        data = solved_conflict(conflict, [way.way], session.key.texts)
        merged = step.merge.tree.get(conflict.path)
        session.write(conflict.path, data, blob_mode(conflict, [way.way], merged))


def _faults(key: Key, assessment: Assessment, room: Path, answer: str) -> Iterator[Problem]:
    lacking = _lacking(assessment)
    if lacking:
        said = (
            f" Git's last answer: {brief(answer, 160)}" if answer and assessment.state != "finished" else ""
        )
        what = f"the key's own solution earns {_points(assessment)}: {'; '.join(lacking)}{said}"
        yield Problem(what, _whose(assessment), _place(key, assessment))
    peek = peek_at(room)[0]
    if not peek.done:
        left = listed([f"{item.where} {item.what}".strip() for item in peek.left if item.work])
        yield Problem(f"after the key's own solution peek still says: {brief(left, 200)}", _OURS)


def _whose(assessment: Assessment) -> str:
    """Whose a fault is: a rule that the file's own solution breaks is the file's."""
    broken = {
        criterion.id for criterion in assessment.criteria if criterion.outcome.verdict in ("partly", "missed")
    }
    return "Mend the rule, or the answer." if broken == {"rules"} else _OURS


def _place(key: Key, assessment: Assessment) -> KeyPath:
    """The task that is not done, where a single one is to blame."""
    tasks = {hunk.task for hunk in assessment.hunks if hunk.outcome in ("partly", "missed")}
    return ("task", tasks.pop() - 1) if len(tasks) == 1 else ("task", len(key.scenario.task) - 1)


def _faults_of_way(key: Key, way: OtherWay, assessment: Assessment) -> Iterator[Problem]:
    number = key.steps.index(way.step)
    where = _answer(key, way)
    own = [hunk for hunk in assessment.hunks if (hunk.step, hunk.file) == (number, way.conflict.path)]
    if len(own) == len(way.worths):
        for hunk, worth in zip(own, way.worths, strict=True):
            if hunk.worth < worth - 1e-9:
                earned = f"{100 * hunk.worth:g} %, and is worth {100 * worth:g} %"
                yield Problem(f"the key accepts {way}, which earns {earned}", _OURS, where)
    # Work that was handed out uncommitted in the same file is not in the text that is accepted.
    by_choice = min(way.worths, default=1) < 1 or way.conflict.path in key.scenario.start.work
    lacking = _lacking(assessment, without=_BY_CHOICE if by_choice else ("resolution",))
    if lacking and way.empties(key):
        lost = way.step.label or way.step.operation.source
        what = f'the key accepts {way}: then nothing is left of "{lost}"'
        hint = "Nobody would see that it was done: leave this out, or let more be brought in."
        yield Problem(what, hint, where)
    elif lacking:
        what = f"the key accepts {way}, which costs something else: {'; '.join(lacking)}"
        yield Problem(what, _whose(assessment), where)


def _answer(key: Key, way: OtherWay) -> KeyPath:
    """The first answer that may be the one for a way."""
    for number, answer in enumerate(key.scenario.answer):
        asked = answer.task in (None, way.step.task) and answer.commit in (None, way.step.label)
        if answer.file == way.conflict.path and asked:
            return ("answer", number)
    return ()


def _lacking(assessment: Assessment, without: Sequence[str] = ()) -> list[str]:
    return [
        f"{criterion.id}: {criterion.outcome.because}"
        for criterion in assessment.criteria
        if criterion.outcome.verdict in ("partly", "missed") and criterion.id not in without
    ]


def _points(assessment: Assessment) -> str:
    return f"{assessment.points:g} of {assessment.possible:g} points"
