"""Grade a class: submissions of any form, on several cores, each within bounds, with the ledger's memory.

Workers are processes. A portion of submissions that takes too long, or takes its worker down, is graded
once more one by one, so that only the culprit is lost.
"""

from __future__ import annotations

import functools
import hashlib
import json
import os
import shutil
import tempfile
from collections.abc import Callable, Generator, Iterator, Sequence
from concurrent.futures import TimeoutError as TookTooLong
from dataclasses import dataclass, field
from pathlib import Path

import pydantic
from pebble import ProcessExpired, ProcessFuture, ProcessPool

from muddled_orchard import __version__
from muddled_orchard.core.assessment import Assessment, unreadable
from muddled_orchard.core.bounds import Bounds
from muddled_orchard.core.collected import Collected, Finding, findings
from muddled_orchard.core.handing import Grading, HandOut
from muddled_orchard.core.places import Place
from muddled_orchard.core.roster import Learner
from muddled_orchard.core.scenario import Scenario
from muddled_orchard.files.catalogue import Shelf
from muddled_orchard.files.ledger import Ledger
from muddled_orchard.files.scenario_file import digest_of, scenario_of
from muddled_orchard.files.submissions import Handed
from muddled_orchard.files.unpacking import unpacked
from muddled_orchard.vcs import git
from muddled_orchard.vcs.disk import DiskPlace
from muddled_orchard.vcs.grading import PORTION, FindScenario, Grader, fast_folder
from muddled_orchard.vcs.workers import context, leave_stopping_to_the_parent, limit_memory


@dataclass(slots=True)
class Scenarios:
    """The scenarios by id: those that were named come first, then the ledger's, then the bundled ones."""

    shelf: Shelf
    handed_out: dict[str, Scenario]
    _digests: dict[str, str] = field(default_factory=dict)

    def find(self, id_: str) -> Scenario | None:
        """The scenario of an exercise's id, or None."""
        return self.shelf.given(id_) or self.handed_out.get(id_) or self.shelf.find(id_)

    def digest(self, id_: str) -> str:
        """What tells the version of it that is graded with from others; empty without a scenario."""
        if id_ not in self._digests:
            scenario = self.find(id_)
            self._digests[id_] = digest_of(scenario) if scenario else ""
        return self._digests[id_]


class Course:
    """What a grading run knows: the scenarios, and who got which variant."""

    def __init__(self, shelf: Shelf, ledger: Ledger | None = None) -> None:
        self.ledger = ledger
        self.hand_outs: tuple[HandOut, ...] = tuple(ledger.hand_outs()) if ledger else ()
        self.roster: dict[str, Learner] = ledger.learners() if ledger else {}
        self._owners = {(one.exercise, one.variant): one.learner for one in self.hand_outs}
        exercises = dict.fromkeys(one.exercise for one in self.hand_outs)
        texts = {id_: ledger.scenario(id_) for id_ in exercises} if ledger else {}
        self.scenarios = Scenarios(shelf, {id_: scenario_of(text) for id_, text in texts.items() if text})

    def collected(self, handed: Handed, assessment: Assessment, *, remembered: bool) -> Collected:
        """A graded submission with its owner."""
        owner = self._owners.get((assessment.exercise, assessment.variant))
        learner = owner or handed.name
        known = self.roster.get(learner)
        return Collected(
            submission=str(handed.path),
            learner=learner,
            name=known.name if known else learner,
            known=owner is not None,
            assessment=assessment,
            remembered=remembered,
        )

    def findings(self, collected: Sequence[Collected]) -> tuple[Finding, ...]:
        """What the pile shows as a whole."""
        return tuple(findings(collected, self.hand_outs, self.roster))


def mark(
    handed: Sequence[Handed], course: Course, bounds: Bounds, jobs: int, *, again: bool = False
) -> Iterator[Collected]:
    """Grade submissions, in order. What the ledger has graded before, as it is now, is taken from there."""
    git.require()
    prints = [fingerprint(one.path) for one in handed] if course.ledger else [""] * len(handed)
    before = [None if again else _remembered(course, digest) for digest in prints]
    fresh = [one for one, known in zip(handed, before, strict=True) if known is None]
    grading = _graded([one.path for one in fresh], course.scenarios.find, bounds, jobs)
    return _gathered(handed, prints, before, grading, course)


def _gathered(
    handed: Sequence[Handed],
    prints: Sequence[str],
    before: Sequence[Assessment | None],
    grading: Generator[Assessment, None, None],
    course: Course,
) -> Iterator[Collected]:
    """Put remembered and fresh gradings in order, and write the fresh ones down portion by portion."""
    waiting: list[Grading] = []
    try:
        for one, digest, known in zip(handed, prints, before, strict=True):
            assessment = known if known is not None else next(grading)
            collected = course.collected(one, assessment, remembered=known is not None)
            if known is None and course.ledger is not None:
                waiting.append(_written(collected, digest, course))
                if len(waiting) >= PORTION:
                    course.ledger.note(waiting)
                    waiting = []
            yield collected
    finally:
        # What was graded is kept, whatever stops the rest.
        if course.ledger is not None and waiting:
            course.ledger.note(waiting)
        grading.close()


# -- What the ledger remembers ----------------------------------------------------------------------------


def fingerprint(path: Path) -> str:
    """What tells a submission from a changed one: an archive's content; of a folder the names, sizes and
    times of all files."""
    digest = hashlib.sha256()
    try:
        if path.is_dir():
            for folder, names, files in os.walk(path):
                names.sort()
                for name in sorted(files):
                    about = os.lstat(f"{folder}/{name}")
                    said = f"{folder}/{name}".removeprefix(str(path))
                    line = f"{said}\0{about.st_size}\0{about.st_mtime_ns}\0{about.st_mode}\n"
                    digest.update(line.encode("utf-8", "surrogateescape"))
        else:
            digest.update(path.read_bytes())
    except OSError:
        return ""
    return digest.hexdigest()


@functools.cache
def _assessments() -> pydantic.TypeAdapter[Assessment]:
    return pydantic.TypeAdapter(Assessment)


def _remembered(course: Course, digest: str) -> Assessment | None:
    known = course.ledger.graded(digest, __version__) if course.ledger and digest else None
    if known is None or known.state == "unreadable":
        return None  # why it could not be read may have gone: a bound, a missing scenario
    if known.scenario != course.scenarios.digest(known.exercise):
        return None
    return _assessments().validate_python(json.loads(known.result))


def _written(collected: Collected, digest: str, course: Course) -> Grading:
    assessment = collected.assessment
    return Grading(
        submission=collected.submission.encode("utf-8", "backslashreplace").decode(),
        fingerprint=digest,
        version=__version__,
        scenario=course.scenarios.digest(assessment.exercise),
        exercise=assessment.exercise,
        variant=assessment.variant,
        learner=collected.learner if collected.known else None,
        state=assessment.state,
        points=assessment.points,
        possible=assessment.possible,
        # Names in a submission need not be UTF-8; as JSON escapes they come back as they were.
        result=json.dumps(_assessments().dump_python(assessment)),
    )


# -- Workers ----------------------------------------------------------------------------------------------


def opened(path: Path, bounds: Bounds) -> Place:
    """The files of a submission, whatever its form. Raises Exceeded where they can't be had."""
    return DiskPlace(path) if path.is_dir() else unpacked(path, bounds)


def _graded(
    paths: Sequence[Path], find: FindScenario, bounds: Bounds, jobs: int
) -> Generator[Assessment, None, None]:
    """Begin grading on several cores, and give the assessments in order."""
    if not paths:
        return _nothing()
    folder = Path(tempfile.mkdtemp(prefix="muddled-", dir=fast_folder()))
    size = max(1, min(PORTION, -(-len(paths) // jobs)))
    portions = [paths[start : start + size] for start in range(0, len(paths), size)]
    # Begun here and not at the first result: nothing else may be running in threads by then.
    pool = ProcessPool(
        min(jobs, len(portions)),
        initializer=_prepare,
        initargs=(folder, find, bounds),
        context=context(),
    )
    time = bounds.seconds + len(portions[0])
    futures = [pool.schedule(_portion, args=[portion], timeout=time) for portion in portions]
    return _results(pool, folder, portions, futures, bounds)


def _nothing() -> Generator[Assessment, None, None]:
    yield from ()


def _results(
    pool: ProcessPool,
    folder: Path,
    portions: Sequence[Sequence[Path]],
    futures: list[ProcessFuture[list[Assessment]]],
    bounds: Bounds,
) -> Generator[Assessment, None, None]:
    try:
        for portion in portions:
            found = _result(futures.pop(0), bounds)
            if isinstance(found, str) and len(portion) > 1:
                singly = [pool.schedule(_portion, args=[[path]], timeout=bounds.seconds) for path in portion]
                for single in singly:
                    again = _result(single, bounds)
                    yield unreadable(again) if isinstance(again, str) else again[0]
            elif isinstance(found, str):
                yield unreadable(found)
            else:
                yield from found
        pool.close()  # type: ignore[no-untyped-call]
    finally:
        pool.stop()  # type: ignore[no-untyped-call]
        pool.join()
        shutil.rmtree(folder, ignore_errors=True)


def _result(future: ProcessFuture[list[Assessment]], bounds: Bounds) -> list[Assessment] | str:
    """What a worker found, or why it found nothing."""
    try:
        return future.result()
    except TookTooLong:
        return f"reading it took more than {bounds.seconds} seconds"
    except MemoryError:
        return f"reading it takes more than {bounds.memory >> 20} MiB of memory"
    except ProcessExpired:
        return "reading it took the grader down; a person has to look"


_grade: Callable[[Sequence[Path]], list[Assessment]]


def _prepare(folder: Path, find: FindScenario, bounds: Bounds) -> None:
    global _grade  # noqa: PLW0603 - what a worker is given once
    leave_stopping_to_the_parent()
    limit_memory(bounds.memory)
    own = folder / str(os.getpid())
    own.mkdir()
    one = Grader(own, find, functools.partial(opened, bounds=bounds))

    def grade(portion: Sequence[Path]) -> list[Assessment]:
        return list(one.grade(portion))

    _grade = grade


def _portion(portion: Sequence[Path]) -> list[Assessment]:
    return _grade(portion)
