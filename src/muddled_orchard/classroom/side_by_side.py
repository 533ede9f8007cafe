"""Grade on several cores, each submission within bounds.

Workers are processes. A portion of submissions that takes too long, or takes its worker down, is graded
once more one by one, so that only the culprit is lost.
"""

from __future__ import annotations

import functools
import os
from collections.abc import Callable, Generator, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import TimeoutError as TookTooLong
from contextlib import ExitStack
from itertools import chain, islice
from pathlib import Path

from pebble import CONSTS, ProcessFuture, ProcessPool

from muddled_orchard.core.assessment import Assessment, unreadable
from muddled_orchard.core.bounds import Bounds
from muddled_orchard.core.places import Place
from muddled_orchard.core.wording import counted
from muddled_orchard.files.checked import assessment_text
from muddled_orchard.files.unpacking import unpacked
from muddled_orchard.system.processes import (
    be_a_worker,
    begun_undisturbed,
    collect_seldom,
    context,
    limit_memory,
    share,
)
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs import git
from muddled_orchard.vcs.disk import DiskPlace
from muddled_orchard.vcs.grading import FindScenario, Grader
from muddled_orchard.vcs.read import HandOut

# How long the pool sleeps between two looks, in seconds; as it comes, its end alone would take a tenth.
CONSTS.sleep_unit = 0.01

_MOST_AT_ONCE = 32


def opened(path: Path, bounds: Bounds) -> Place:
    """The files of a submission, whatever its form. Raises Exceeded where they can't be had."""
    return DiskPlace(path) if path.is_dir() else unpacked(path, bounds)


def graded(
    paths: Iterator[Path],
    most: int,
    find: FindScenario,
    bounds: Bounds,
    jobs: int,
    handed_out: Mapping[str, HandOut] | None = None,
) -> Generator[str, None, None]:
    """Begin grading on several cores, and give the assessments in order, as `files.checked` writes them.

    There is at least one path, and at most `most`; they are asked for as soon as the workers run.
    """
    git.require()
    rooms = ExitStack()
    folder = rooms.enter_context(temporary_folder())
    size = share(most, jobs, _MOST_AT_ONCE)
    portions = iter(lambda: list(islice(paths, size)), [])
    # Begun here and not at the first result: nothing else may be running in threads by then.
    with begun_undisturbed():
        pool = ProcessPool(
            min(jobs, -(-most // size)),
            initializer=_prepare,
            initargs=(os.getpid(), folder, find, bounds, handed_out),
            context=context(),
        )
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
        return unreadable(f"reading it took more than {counted(bounds.seconds, 'second')}")
    except MemoryError:
        return unreadable(f"reading it takes more than {bounds.memory >> 20} MiB of memory")
    except Exception:  # ProcessExpired, and whatever a worker could not tell
        return unreadable("reading it took the grader down; a person has to look")


_grade: Callable[[Sequence[Path]], list[str]]


def _prepare(
    parent: int, folder: Path, find: FindScenario, bounds: Bounds, handed_out: Mapping[str, HandOut] | None
) -> None:
    global _grade  # noqa: PLW0603 - what a worker is given once
    be_a_worker(parent)
    collect_seldom()
    limit_memory(bounds.memory)
    own = folder / str(os.getpid())
    own.mkdir()
    one = Grader(own, find, functools.partial(opened, bounds=bounds), handed_out)

    def grade(portion: Sequence[Path]) -> list[str]:
        return [assessment_text(assessment) for assessment in one.grade(portion)]

    _grade = grade


class _Failed(Exception):
    """Something left a worker's grading that was not meant to; it can be sent, whatever it was."""


def _portion(portion: Sequence[Path]) -> list[str]:
    try:
        return _grade(portion)
    except MemoryError:
        raise
    except BaseException as error:
        raise _Failed(type(error).__name__) from None
