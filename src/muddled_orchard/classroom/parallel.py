"""Grade on several cores, each submission within bounds.

Workers are processes. A portion of submissions that takes too long, or takes its worker down, is graded
once more one by one, so that only the culprit is lost.
"""

from __future__ import annotations

import functools
import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from itertools import chain, islice
from pathlib import Path

from msgspec.structs import replace

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.exercise.scenario import MOST_SECONDS
from muddled_orchard.core.grading.assessment import Assessment, unreadable
from muddled_orchard.core.submission.file_source import FileSource
from muddled_orchard.files.archives.unpacking import unpacked
from muddled_orchard.files.stored_results import assessment_text
from muddled_orchard.system.processes import collect_seldom, limit_memory, share
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import Awaited, Workers, single_worker, workers
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.grading import FindScenario, Grader
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.reader import ExerciseVariant

_MOST_AT_ONCE = 32


def opened(path: Path, bounds: Bounds) -> FileSource:
    """The files of a submission, whatever its form. Raises Exceeded where they can't be had."""
    return DiskSource(path) if path.is_dir() else unpacked(path, bounds)


@contextmanager
def graded(
    paths: Iterator[Path],
    most: int,
    find: FindScenario,
    bounds: Bounds,
    jobs: int,
    handed_out: Mapping[str, ExerciseVariant] | None = None,
    *,
    run_rules: bool = False,
) -> Iterator[Iterator[str]]:
    """Grade on several cores, and give the assessments in order, as `files.stored` writes them.

    There is at least one path, and at most `most`; they are asked for as soon as the workers run. With
    `run_rules` the commands of rules are run, which may take longer than all else.
    """
    git.require()
    size = share(most, jobs, 4 if run_rules else _MOST_AT_ONCE)
    if run_rules:
        bounds = replace(bounds, seconds=bounds.seconds + size * (MOST_SECONDS + 1))
    portions = iter(lambda: list(islice(paths, size)), [])
    with temporary_folder() as folder:
        work = functools.partial(_grader, folder, find, bounds, handed_out, run_rules)
        crew = single_worker(work) if most <= size else workers(min(jobs, -(-most // size)), work)
        with crew as pool:
            submitted = (_submitted(pool, portion, bounds) for portion in portions)
            begun = list(islice(submitted, 1))  # it is being graded while the caller gets ready
            yield _results(pool, chain(begun, submitted), bounds)


_Pool = Workers[Sequence[Path], list[str]]
_Submitted = tuple[Sequence[Path], Awaited[list[str]]]


def _submitted(pool: _Pool, portion: Sequence[Path], bounds: Bounds) -> _Submitted:
    return portion, pool.submit(portion, bounds.seconds + len(portion) - 1)


def _results(pool: _Pool, submitted: Iterable[_Submitted], bounds: Bounds) -> Iterator[str]:
    for portion, future in list(submitted):
        found = _result(future, bounds)
        if isinstance(found, Assessment) and len(portion) > 1:
            for _, single in [_submitted(pool, [path], bounds) for path in portion]:
                again = _result(single, bounds)
                yield assessment_text(again) if isinstance(again, Assessment) else again[0]
        elif isinstance(found, Assessment):
            yield assessment_text(found)
        else:
            yield from found


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
