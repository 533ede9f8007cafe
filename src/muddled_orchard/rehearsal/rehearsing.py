"""Rehearse scenarios: act out every behaviour that applies, grade it, and compare with what it must get.

All cores work side by side: a portion of one scenario's behaviours is one piece of work, which a process
plants, acts out and grades in a folder of its own.
"""

from __future__ import annotations

import glob
import shutil
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.rehearsal import RIGHT, Acted, Expected, Rehearsal, surprises
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.rehearsal.behaviours import Behaviour, behaviours_for
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import Awaited, Workers, workers
from muddled_orchard.vcs.ask.git import GitFailed
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.grading import grader
from muddled_orchard.vcs.planting import plant

BEHAVIOURS_AT_ONCE = 16
ACTING_LEARNER = "ilse"


class _Piece(Struct, frozen=True):
    """A portion of a scenario's behaviours: those from `start` on."""

    scenario: Scenario
    code: str
    start: int
    keep: Path
    run_rules: bool


VARIANTS = (PLAIN_VARIANT, "1", "2")
"""The variants that behaviours are spread over where none is asked for."""


@contextmanager
def rehearsed(
    scenarios: Sequence[Scenario],
    codes: Sequence[str],
    keep: Path,
    jobs: int,
    *,
    all_in_each: bool = False,
    run_rules: bool = False,
) -> Iterator[Iterator[Rehearsal]]:
    """Rehearse each scenario, in order, a portion of the behaviours in each of these variants (`all_in_each`:
    all behaviours in each); with `run_rules` the commands of rules are run.

    Raises BadInput where there is no key for one. The repository of a surprise is left in
    `keep`/SCENARIO/BEHAVIOUR, which is made only then; what an earlier rehearsal left there goes.
    """
    with temporary_folder() as folder, workers(jobs, _acts) as pool:
        scratch = ScratchRepository(folder / "scratch.git")
        yield _in_order(scenarios, codes, keep, scratch, pool, all_in_each, run_rules)


def _acts() -> Callable[[_Piece], list[Acted]]:
    return _acted_and_graded


def _in_order(
    scenarios: Sequence[Scenario],
    codes: Sequence[str],
    keep: Path,
    scratch: ScratchRepository,
    pool: Workers[_Piece, list[Acted]],
    all_in_each: bool,
    run_rules: bool,
) -> Iterator[Rehearsal]:
    begun: list[tuple[Key, list[Awaited[list[Acted]]]]] = []
    for scenario in scenarios:
        # Without values all variants are alike.
        own = codes if scenario.values else codes[:1]
        key = make_key(scratch, scenario, own[0])
        behaviours = behaviours_for(key)
        _forget(keep / scenario.id, behaviours)
        starts = range(0, len(behaviours), BEHAVIOURS_AT_ONCE)
        if all_in_each:
            pieces = [_Piece(scenario, code, start, keep, run_rules) for code in own for start in starts]
        else:
            pieces = [
                _Piece(scenario, own[n % len(own)], start, keep, run_rules) for n, start in enumerate(starts)
            ]
        begun.append((key, [pool.submit(piece) for piece in pieces]))
    for key, futures in begun:
        acted = tuple(one for future in futures for one in future.result())
        model = next(act.assessment for act in acted if act.behaviour == RIGHT)
        yield Rehearsal(
            exercise=key.scenario.id,
            title=key.scenario.title,
            variants=tuple(dict.fromkeys(act.variant for act in acted)),
            acted=acted,
            hunks=model.hunks,
        )


def _forget(folder: Path, behaviours: Sequence[Behaviour]) -> None:
    """Remove what an earlier rehearsal left of these behaviours, and the folder when it is empty then."""
    for behaviour in behaviours:
        name = _file_name(behaviour)
        for kept in (folder / name, *folder.glob(f"{glob.escape(name)}.*")):
            shutil.rmtree(kept, ignore_errors=True)
    for empty in (folder, folder.parent):
        with suppress(OSError):
            empty.rmdir()


def _file_name(behaviour: Behaviour) -> str:
    return behaviour.name.replace("/", "_").replace(" ", "-")


def _acted_and_graded(piece: _Piece) -> list[Acted]:
    """Act and grade one portion, in a process of its own."""
    scenario = piece.scenario
    with temporary_folder() as folder:
        key = make_key(ScratchRepository(folder / "scratch.git"), scenario, piece.code)
        plant(scenario, folder / "planted", piece.code)
        portion = behaviours_for(key)[piece.start : piece.start + BEHAVIOURS_AT_ONCE]
        sessions = [folder / str(number) for number in range(len(portion))]
        expected = [
            _acted(key, behaviour, folder / "planted", session)
            for behaviour, session in zip(portion, sessions, strict=True)
        ]
        with grader(lambda _: scenario, run_rules=piece.run_rules) as grading:
            graded = list(grading.grade(sessions))
        return [
            _compared(piece, behaviour, session, expects, got)
            for behaviour, session, expects, got in zip(portion, sessions, expected, graded, strict=True)
        ]


def _acted(key: Key, behaviour: Behaviour, planted: Path, folder: Path) -> Expected | str:
    """Act one behaviour out; why it could not be acted, where it couldn't."""
    shutil.copytree(planted, folder, symlinks=True)
    try:
        session = LearnerSession(folder / "work", key, ACTING_LEARNER)
        if not behaviour.keeps_work:
            session.commit_work()
        return behaviour.act(session)
    except (GitFailed, OSError) as error:
        return f"it can't be acted out: {error}"


def _compared(
    piece: _Piece, behaviour: Behaviour, folder: Path, expected: Expected | str, got: Assessment
) -> Acted:
    if isinstance(expected, str):
        found: tuple[str, ...] = (expected,)
    else:
        found = tuple(surprises(behaviour.name, expected, got))
    kept = None
    if found:
        # The same behaviour may be acted out in another variant at the same moment.
        place = piece.keep / piece.scenario.id
        own = "" if piece.code == PLAIN_VARIANT else f".{piece.code}"
        target = place / f"{_file_name(behaviour)}{own}"
        shutil.rmtree(target, ignore_errors=True)
        shutil.copytree(folder, target, symlinks=True)
        kept = str(target)
    return Acted(
        behaviour=behaviour.name,
        said=behaviour.said,
        assessment=got,
        surprises=found,
        repository=kept,
        variant=piece.code,
    )
