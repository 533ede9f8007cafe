"""Grade on several cores, each submission within bounds.

Workers are processes. A portion of submissions that takes too long, or takes its worker down, is graded
once more one by one, so that only the culprit is lost.
"""

from __future__ import annotations

import atexit
import functools
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, TypeAlias

from msgspec.structs import replace

from muddled_orchard.classroom.versions import Scenarios
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.exercise.claim import NOTHING_KNOWN, Claims
from muddled_orchard.core.exercise.scenario import MOST_SECONDS
from muddled_orchard.core.grading.assessment import Assessment, unreadable
from muddled_orchard.core.submission.file_source import FileSource
from muddled_orchard.files.archives.unpacking import unpacked
from muddled_orchard.files.stored_results import assessment_text
from muddled_orchard.system.log import log
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import (
    Awaited,
    ClusterUnusable,
    Machines,
    Workers,
    begin_work,
    why_lost,
    workers_for,
)
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.grading import FindScenario, Grader
from muddled_orchard.vcs.read.disk import DiskSource

if TYPE_CHECKING:
    from muddled_orchard.classroom.shipping import Shipped


def opened(path: Path, bounds: Bounds) -> FileSource:
    """The files of a submission, whatever its form. Raises Exceeded where they can't be had."""
    return DiskSource(path, bounds.own) if path.is_dir() else unpacked(path, bounds)


@contextmanager
def graders(
    most: int,
    at_once: int,
    find: FindScenario,
    bounds: Bounds,
    jobs: int,
    claims: Claims = NOTHING_KNOWN,
    *,
    run_rules: bool = False,
) -> Iterator[Graders]:
    """Processes that grade portions of at most `at_once` submissions, `most` in all.

    With `run_rules` the commands of rules are run, which may take longer than all else.
    """
    git.require()
    with temporary_folder() as folder:
        work = functools.partial(_grader, folder, find, bounds, claims, run_rules=run_rules)
        with workers_for(-(-most // at_once), jobs, work) as pool:
            yield Graders(pool, _bounds_of(bounds, run_rules=run_rules))


@contextmanager
def graders_in_cluster(
    machines: Machines,
    scenarios: Scenarios,
    bounds: Bounds,
    claims: Claims = NOTHING_KNOWN,
    *,
    run_rules: bool = False,
) -> Iterator[Graders]:
    """The workers of a cluster; the texts of the scenarios travel there. Raises BadInput where the cluster
    can't be used."""
    # What travels needs much that work here does not.
    from muddled_orchard.classroom.shipping import ShippedScenarios, shipped
    from muddled_orchard.system.cluster import cluster

    travelling = ShippedScenarios(scenarios.texts(), scenarios.other_texts())
    there = functools.partial(_grader_there, travelling, bounds, claims, run_rules=run_rules)
    with cluster(machines.cluster or "", there) as pool:
        pack = functools.partial(shipped, bounds=bounds) if machines.ship else Path.absolute
        yield Graders(pool, _bounds_of(bounds, run_rules=run_rules), pack, pool.size)


def _bounds_of(bounds: Bounds, *, run_rules: bool) -> Bounds:
    """The bounds of a portion whose rules are run: they may take longer than all else."""
    return replace(bounds, seconds=bounds.seconds + _WITH_RULES * (MOST_SECONDS + 1)) if run_rules else bounds


_WITH_RULES = 4

Place: TypeAlias = "Path | Shipped"
_Pool = Workers[Sequence[Place], list[str]]


class Graders:
    """What portions are given to; `size` is how many of them are graded at once, as far as that is known."""

    def __init__(
        self, pool: _Pool, bounds: Bounds, pack: Callable[[Path], Place] | None = None, size: int = 0
    ) -> None:
        self._pool, self._bounds, self._pack, self.size = pool, bounds, pack, size

    def submit(self, portion: Sequence[Path]) -> Awaited[list[str]]:
        """Have submissions graded: their assessments, as `files.stored_results` writes them."""
        return _Portion(portion, self._submitted, self._bounds)

    def _submitted(self, paths: Sequence[Path]) -> Awaited[list[str]]:
        places = [self._pack(path) for path in paths] if self._pack else paths
        return self._pool.submit(places, self._bounds.seconds + len(paths) - 1)


class _Portion:
    """Submissions that are being graded. Where the portion fails, each of them is graded by itself."""

    def __init__(
        self,
        paths: Sequence[Path],
        submit: Callable[[Sequence[Path]], Awaited[list[str]]],
        bounds: Bounds,
    ) -> None:
        self._paths, self._submit, self._bounds = paths, submit, bounds
        self._sent = submit(paths)

    def result(self) -> list[str]:
        found = _result(self._sent, self._bounds, self._paths)
        if isinstance(found, list):
            return found
        if len(self._paths) == 1:
            return [assessment_text(found)]
        singles = [(path, self._submit([path])) for path in self._paths]
        again = [_result(single, self._bounds, [path]) for path, single in singles]
        return [one[0] if isinstance(one, list) else assessment_text(one) for one in again]


def _result(future: Awaited[list[str]], bounds: Bounds, about: Sequence[Path]) -> list[str] | Assessment:
    """What a worker found, or why it found nothing."""
    try:
        return future.result()
    except ClusterUnusable:
        raise
    except Exception as error:  # what is lost, and whatever a worker could not tell
        return unreadable(why_lost(error, "reading it", bounds, about))


def _grader(
    folder: Path,
    find: FindScenario,
    bounds: Bounds,
    claims: Claims,
    *,
    run_rules: bool,
) -> Callable[[Sequence[Place]], list[str]]:
    """What a worker does with a portion; made in the worker."""
    own = begin_work(folder, bounds)
    travelled: dict[Path, Shipped] = {}

    def open_place(path: Path) -> FileSource:
        if path not in travelled:
            return opened(path, bounds)
        from muddled_orchard.classroom.shipping import arrived

        return arrived(travelled[path], bounds)

    grader = Grader(own, find, open_place, claims, run_rules=run_rules)

    def grade(portion: Sequence[Place]) -> list[str]:
        travelled.clear()
        paths = []
        for number, place in enumerate(portion):
            paths.append(place if isinstance(place, Path) else Path(f"travelled-{number}"))
            if not isinstance(place, Path):
                travelled[paths[-1]] = place
        try:
            return [assessment_text(assessment) for assessment in grader.grade(paths)]
        except MemoryError:
            raise
        except BaseException as error:
            log().exception("grading failed")
            raise _Failed(type(error).__name__) from None

    return grade


def _grader_there(
    find: FindScenario,
    bounds: Bounds,
    claims: Claims,
    *,
    run_rules: bool,
) -> Callable[[Sequence[Place]], list[str]]:
    """The same in a process of a cluster's worker, which has a folder of its own until it ends."""
    git.require()
    kept = ExitStack()
    atexit.register(kept.close)
    return _grader(kept.enter_context(temporary_folder()), find, bounds, claims, run_rules=run_rules)


class _Failed(Exception):
    """Something left a worker's grading that was not meant to; it can be sent, whatever it was."""
