"""Grade on several cores, each submission within bounds.

Workers are processes. A portion of submissions that takes too long, or takes its worker down, is graded
once more one by one, so that only the culprit is lost.
"""

from __future__ import annotations

import functools
import os
from collections.abc import Callable, Generator, Iterable, Iterator, Sequence
from concurrent.futures import TimeoutError as TookTooLong
from contextlib import ExitStack
from itertools import chain, islice
from pathlib import Path

from pebble import CONSTS, ProcessExpired, ProcessFuture, ProcessPool

from muddled_orchard.core.assessment import Assessment, unreadable
from muddled_orchard.core.bounds import Bounds
from muddled_orchard.core.places import Place
from muddled_orchard.files.checked import assessment_text
from muddled_orchard.files.unpacking import unpacked
from muddled_orchard.vcs import git
from muddled_orchard.vcs.disk import DiskPlace
from muddled_orchard.vcs.folders import temporary_folder
from muddled_orchard.vcs.grading import FindScenario, Grader
from muddled_orchard.vcs.workers import (
    collect_seldom,
    context,
    leave_stopping_to_the_parent,
    limit_memory,
    share,
)

# How long the pool sleeps between two looks, in seconds; as it comes, its end alone would take a tenth.
CONSTS.sleep_unit = 0.01

_MOST_AT_ONCE = 32


def opened(path: Path, bounds: Bounds) -> Place:
    """The files of a submission, whatever its form. Raises Exceeded where they can't be had."""
    return DiskPlace(path) if path.is_dir() else unpacked(path, bounds)


def graded(
    paths: Iterator[Path], most: int, find: FindScenario, bounds: Bounds, jobs: int
) -> Generator[str, None, None]:
    """Begin grading on several cores, and give the assessments in order, as `files.checked` writes them.

    There is at least one path, and at most `most`; they are asked for as soon as the workers run.
    """
    git.require()
    rooms = ExitStack()
    folder = rooms.enter_context(temporary_folder())
    size = share(most, jobs, _MOST_AT_ONCE)
    portions = iter(lambda: list(islice(paths, size)), [])
    pool = ProcessPool(
        min(jobs, -(-most // size)),
        initializer=_prepare,
        initargs=(folder, find, bounds),
        context=context(),
    )
    # Begun here and not at the first result: nothing else may be running in threads by then.
    first = _scheduled(pool, next(portions), bounds)
    return _results(pool, rooms, chain([first], (_scheduled(pool, p, bounds) for p in portions)), bounds)


_Scheduled = tuple[Sequence[Path], ProcessFuture[list[str]]]


def _scheduled(pool: ProcessPool, portion: Sequence[Path], bounds: Bounds) -> _Scheduled:
    time = bounds.seconds + len(portion) - 1
    return portion, pool.schedule(_portion, args=[portion], timeout=time)


def _results(
    pool: ProcessPool, rooms: ExitStack, scheduled: Iterable[_Scheduled], bounds: Bounds
) -> Generator[str, None, None]:
    try:
        for portion, future in list(scheduled):
            found = _result(future, bounds)
            if isinstance(found, Assessment) and len(portion) > 1:
                for _, single in [_scheduled(pool, [path], bounds) for path in portion]:
                    again = _result(single, bounds)
                    yield assessment_text(again) if isinstance(again, Assessment) else again[0]
            elif isinstance(found, Assessment):
                yield assessment_text(found)
            else:
                yield from found
        pool.close()  # type: ignore[no-untyped-call]
    finally:
        pool.stop()  # type: ignore[no-untyped-call]
        pool.join()
        rooms.close()


def _result(future: ProcessFuture[list[str]], bounds: Bounds) -> list[str] | Assessment:
    """What a worker found, or why it found nothing."""
    try:
        return future.result()
    except TookTooLong:
        return unreadable(f"reading it took more than {bounds.seconds} seconds")
    except MemoryError:
        return unreadable(f"reading it takes more than {bounds.memory >> 20} MiB of memory")
    except ProcessExpired:
        return unreadable("reading it took the grader down; a person has to look")


_grade: Callable[[Sequence[Path]], list[str]]


def _prepare(folder: Path, find: FindScenario, bounds: Bounds) -> None:
    global _grade  # noqa: PLW0603 - what a worker is given once
    leave_stopping_to_the_parent()
    collect_seldom()
    limit_memory(bounds.memory)
    own = folder / str(os.getpid())
    own.mkdir()
    one = Grader(own, find, functools.partial(opened, bounds=bounds))

    def grade(portion: Sequence[Path]) -> list[str]:
        return [assessment_text(assessment) for assessment in one.grade(portion)]

    _grade = grade


def _portion(portion: Sequence[Path]) -> list[str]:
    return _grade(portion)
