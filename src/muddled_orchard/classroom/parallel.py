"""Grade on several cores, each submission within bounds.

Workers are processes. A portion of submissions that takes too long, or takes its worker down, is graded
once more one by one, so that only the culprit is lost.
"""

from __future__ import annotations

import functools
import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path

from msgspec.structs import replace

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.exercise.scenario import MOST_SECONDS
from muddled_orchard.core.grading.assessment import Assessment, unreadable
from muddled_orchard.core.submission.file_source import FileSource
from muddled_orchard.files.archives.unpacking import unpacked
from muddled_orchard.files.stored_results import assessment_text
from muddled_orchard.system.processes import collect_seldom, limit_memory
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import Awaited, Workers, single_worker, workers
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.grading import FindScenario, Grader
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.reader import ExerciseVariant


def opened(path: Path, bounds: Bounds) -> FileSource:
    """The files of a submission, whatever its form. Raises Exceeded where they can't be had."""
    return DiskSource(path) if path.is_dir() else unpacked(path, bounds)


@contextmanager
def graders(
    most: int,
    at_once: int,
    find: FindScenario,
    bounds: Bounds,
    jobs: int,
    handed_out: Mapping[str, ExerciseVariant] | None = None,
    *,
    run_rules: bool = False,
) -> Iterator[Graders]:
    """Processes that grade portions of at most `at_once` submissions, `most` in all.

    With `run_rules` the commands of rules are run, which may take longer than all else.
    """
    git.require()
    if run_rules:
        bounds = replace(bounds, seconds=bounds.seconds + at_once * (MOST_SECONDS + 1))
    with temporary_folder() as folder:
        work = functools.partial(_grader, folder, find, bounds, handed_out, run_rules)
        crew = single_worker(work) if most <= at_once else workers(min(jobs, -(-most // at_once)), work)
        with crew as pool:
            yield Graders(pool, bounds)


class Graders:
    """What portions are given to."""

    def __init__(self, pool: Workers[Sequence[Path], list[str]], bounds: Bounds) -> None:
        self._pool, self._bounds = pool, bounds

    def submit(self, portion: Sequence[Path]) -> Awaited[list[str]]:
        """Have submissions graded: their assessments, as `files.stored_results` writes them."""
        return _Portion(self._pool, portion, self._bounds)


class _Portion:
    """Submissions that are being graded. Where the portion fails, each of them is graded by itself."""

    def __init__(
        self, pool: Workers[Sequence[Path], list[str]], paths: Sequence[Path], bounds: Bounds
    ) -> None:
        self._pool, self._paths, self._bounds = pool, paths, bounds
        self._sent = self._submitted(paths)

    def result(self) -> list[str]:
        found = _result(self._sent, self._bounds)
        if isinstance(found, list):
            return found
        if len(self._paths) == 1:
            return [assessment_text(found)]
        singles = [self._submitted([path]) for path in self._paths]
        again = [_result(single, self._bounds) for single in singles]
        return [one[0] if isinstance(one, list) else assessment_text(one) for one in again]

    def _submitted(self, paths: Sequence[Path]) -> Awaited[list[str]]:
        return self._pool.submit(paths, self._bounds.seconds + len(paths) - 1)


def _result(future: Awaited[list[str]], bounds: Bounds) -> list[str] | Assessment:
    """What a worker found, or why it found nothing."""
    try:
        return future.result()
    except TimeoutError:
        return unreadable(f"reading it took more than {counted(bounds.seconds, 'second')}")
    except MemoryError:
        return unreadable(f"reading it takes more than {bounds.memory >> 20} MiB of memory")
    except Exception:  # ProcessExpired, and whatever a worker could not tell
        return unreadable("reading it took the grader down; a person has to look")


def _grader(
    folder: Path,
    find: FindScenario,
    bounds: Bounds,
    handed_out: Mapping[str, ExerciseVariant] | None,
    run_rules: bool,
) -> Callable[[Sequence[Path]], list[str]]:
    """What a worker does with a portion; made in the worker."""
    collect_seldom()
    limit_memory(bounds.memory)
    own = folder / str(os.getpid())
    own.mkdir()
    grader = Grader(own, find, functools.partial(opened, bounds=bounds), handed_out, run_rules=run_rules)

    def grade(portion: Sequence[Path]) -> list[str]:
        try:
            return [assessment_text(assessment) for assessment in grader.grade(portion)]
        except MemoryError:
            raise
        except BaseException as error:
            raise _Failed(type(error).__name__) from None

    return grade


class _Failed(Exception):
    """Something left a worker's grading that was not meant to; it can be sent, whatever it was."""
