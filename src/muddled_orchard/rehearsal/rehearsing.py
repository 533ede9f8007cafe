"""Rehearse scenarios: act out every behaviour that applies, grade it, and compare with what it must get.

All cores work side by side: a portion of one scenario's behaviours is one piece of work, which a process
plants, acts out and grades in a folder of its own.
"""

from __future__ import annotations

import glob
import io
import shutil
import tarfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.rehearsal import RIGHT, Acted, Expected, Rehearsal, surprises
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.rehearsal.behaviours import Behaviour, behaviours_for
from muddled_orchard.rehearsal.moments import Moments
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.system.cluster import cluster
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import Awaited, Machines, Workers, workers
from muddled_orchard.vcs.ask.git import GitFailed
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.grading import grader
from muddled_orchard.vcs.planting import plant_example
from muddled_orchard.vcs.write.practice import ORIGIN

BEHAVIOURS_AT_ONCE = 16
ACTING_LEARNER = "ilse"


class _ToAct(Struct, frozen=True):
    """A portion of a scenario's behaviours: those from `start` on."""

    scenario: Scenario
    code: str
    start: int
    run_rules: bool


VARIANTS = (PLAIN_VARIANT, "1", "2")
"""The variants that behaviours are spread over where none is asked for."""


@contextmanager
def rehearsed(
    scenarios: Sequence[Scenario],
    codes: Sequence[str],
    keep: Path,
    machines: Machines,
    *,
    all_in_each: bool = False,
    run_rules: bool = False,
) -> Iterator[Iterator[Rehearsal]]:
    """Rehearse each scenario, in order, a portion of the behaviours in each of these variants (`all_in_each`:
    all behaviours in each); with `run_rules` the commands of rules are run.

    Raises BadInput where there is no key for one. The repository of a surprise is left in
    `keep`/SCENARIO/BEHAVIOUR, which is made only then; what an earlier rehearsal left there goes.
    """
    crew = workers(machines.jobs, _acts) if machines.cluster is None else cluster(machines.cluster, _acts)
    with temporary_folder() as folder, crew as pool:
        scratch = ScratchRepository(folder / "scratch.git")
        yield _in_order(scenarios, codes, keep, scratch, pool, all_in_each=all_in_each, run_rules=run_rules)


_Packed = tuple[Acted, bytes]
"""What was acted out, and where it surprised its repository, packed."""


def _acts() -> Callable[[_ToAct], list[_Packed]]:
    return _acted_and_graded


def _in_order(
    scenarios: Sequence[Scenario],
    codes: Sequence[str],
    keep: Path,
    scratch: ScratchRepository,
    pool: Workers[_ToAct, list[_Packed]],
    *,
    all_in_each: bool,
    run_rules: bool,
) -> Iterator[Rehearsal]:
    begun: list[tuple[Key, list[Awaited[list[_Packed]]]]] = []
    for scenario in scenarios:
        # Without values all variants are alike.
        own = codes if scenario.values else codes[:1]
        key = make_key(scratch, scenario, own[0])
        behaviours = behaviours_for(key)
        _forget(keep / scenario.id, behaviours)
        starts = range(0, len(behaviours), BEHAVIOURS_AT_ONCE)
        if all_in_each:
            pieces = [_ToAct(scenario, code, start, run_rules) for code in own for start in starts]
        else:
            pieces = [_ToAct(scenario, own[n % len(own)], start, run_rules) for n, start in enumerate(starts)]
        begun.append((key, [pool.submit(piece) for piece in pieces]))
    for key, futures in begun:
        place = keep / key.scenario.id
        acted = tuple(_kept(place, *one) for future in futures for one in future.result())
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
        name = _file_name(behaviour.name)
        for kept in (folder / name, *folder.glob(f"{glob.escape(name)}.*")):
            shutil.rmtree(kept, ignore_errors=True)
    for empty in (folder, folder.parent):
        with suppress(OSError):
            empty.rmdir()


def _file_name(behaviour: str) -> str:
    return behaviour.replace("/", "_").replace(" ", "-")


def _acted_and_graded(piece: _ToAct) -> list[_Packed]:
    """Act and grade one portion, in a process of its own."""
    scenario = piece.scenario
    with temporary_folder() as folder:
        key = make_key(ScratchRepository(folder / "scratch.git"), scenario, piece.code)
        plant_example(scenario, folder / "planted", piece.code)
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
        moments = Moments(folder / ORIGIN, key) if any(one.arrives for one in key.scenario.story) else None
        session = LearnerSession(folder / "work", key, ACTING_LEARNER, moments=moments)
        session.runner.push_first(key.scenario.task[0])
        if not behaviour.keeps_work:
            session.commit_work()
        expected = behaviour.act(session)
        if moments is not None:
            moments.end()
        return expected
    except (GitFailed, OSError) as error:
        return f"it can't be acted out: {error}"


def _compared(
    piece: _ToAct, behaviour: Behaviour, folder: Path, expected: Expected | str, got: Assessment
) -> _Packed:
    if isinstance(expected, str):
        found: tuple[str, ...] = (expected,)
    else:
        found = tuple(surprises(behaviour.name, expected, got))
    acted = Acted(
        behaviour=behaviour.name, said=behaviour.said, assessment=got, surprises=found, variant=piece.code
    )
    if not found:
        return acted, b""
    packed = io.BytesIO()
    with tarfile.open(fileobj=packed, mode="w") as archive:
        archive.add(folder, "")
    return acted, packed.getvalue()


def _kept(place: Path, acted: Acted, packed: bytes) -> Acted:
    """What was acted out, with its repository in a folder of `place` where it is wanted."""
    if not packed:
        return acted
    # The same behaviour may be acted out in several variants.
    own = "" if acted.variant == PLAIN_VARIANT else f".{acted.variant}"
    target = place / f"{_file_name(acted.behaviour)}{own}"
    shutil.rmtree(target, ignore_errors=True)
    target.mkdir(parents=True)
    with tarfile.open(fileobj=io.BytesIO(packed)) as archive:
        archive.extraction_filter = getattr(tarfile, "tar_filter", lambda member, _: member)
        archive.extractall(target)  # noqa: S202 - a worker of ours has packed it
    return replace(acted, repository=str(target))
