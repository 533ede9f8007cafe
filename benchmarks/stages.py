"""Where the time of grading goes: microseconds a submission by stage, each without the stages within it.

A class hands in archives; eight behaviours were acted out with real Git. All is done in one process, on one
core: what the parent of a run does for each submission is at the end. The best of a few turns counts.
Usage: python -m benchmarks.stages [how many submissions]
"""

from __future__ import annotations

import hashlib
import os
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from functools import partial, wraps
from pathlib import Path
from typing import Any
from unittest.mock import patch

from msgspec.structs import replace

from benchmarks.figures import note
from benchmarks.measuring import EXERCISE, WAYS
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.course.records import Grading
from muddled_orchard.core.grading import assess as assess_module
from muddled_orchard.core.grading.criteria import CRITERIA
from muddled_orchard.files.archives.fingerprint import fingerprint
from muddled_orchard.files.archives.packing import pack
from muddled_orchard.files.archives.unpacking import unpacked
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.stored_results import assessment_text
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.vcs import grading as grading_module
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.planting import plant, read_files
from muddled_orchard.vcs.read.reader import Reader

TURNS = 5


class Stopwatch:
    """How long each stage took, without those within it."""

    def __init__(self) -> None:
        self.took: Counter[str] = Counter()
        self._open: list[str] = []
        self._since = 0.0

    @contextmanager
    def stage(self, name: str) -> Iterator[None]:
        """All within belongs to this stage, but for what belongs to another one."""
        self._note()
        self._open.append(name)
        try:
            yield
        finally:
            self._note()
            self._open.pop()

    def _note(self) -> None:
        now = time.perf_counter()
        if self._open:
            self.took[self._open[-1]] += now - self._since  # type: ignore[assignment]  # seconds
        self._since = now

    def watched(self, name: str, work: Callable[..., Any]) -> Callable[..., Any]:
        """The same, as a stage."""

        @wraps(work)
        def done(*arguments: Any, **more: Any) -> Any:
            with self.stage(name):
                return work(*arguments, **more)

        return done


@contextmanager
def watching(on: Stopwatch) -> Iterator[None]:
    """Have the grader's own functions noted."""
    grader, reader = grading_module.Grader, Reader
    watched = {
        id_: replace(one, judge=on.watched(f"assess: {id_}", one.judge)) for id_, one in CRITERIA.items()
    }
    stack = ExitStack()
    stack.enter_context(patch.dict(CRITERIA, watched))
    for owner, name, stage in (
        (grader, "_admit", "read: refs, index, what is under way"),
        (grader, "_make_keys", "key"),
        (reader, "evidence", "read: commits, files, working tree"),
        (grading_module, "locate", "locate"),
        (grader, "_with_merges", "ask Git what was met"),
        (grading_module, "assess", "assess: the rest"),
        (assess_module, "lay_out", "assess: laying out"),
        (assess_module, "hunk_results", "assess: conflicts"),
    ):
        stack.enter_context(patch.object(owner, name, on.watched(stage, getattr(owner, name))))
    with stack:
        yield


def handed_in(top: Path, count: int, codes: int) -> list[Path]:
    """A class whose learners have so many variants, as archives."""
    scenario = ScenarioLibrary().find(EXERCISE)
    assert scenario is not None  # noqa: S101 - it is bundled
    scratch = ScratchRepository(top / "scratch.git")
    archives = []
    for number in range(count):
        code = hashlib.sha256(str(number % codes).encode()).hexdigest()[:6]
        work = top / "work" / f"{number:04}"
        plant(scenario, work, code)
        key = make_key(scratch, scenario, code)
        named(WAYS[number % len(WAYS)]).act(LearnerSession(work / "work", key, "ilse"))
        archives.append(top / f"{number:04}.tar.gz")
        archives[-1].write_bytes(pack(dict(read_files(work)), EXERCISE, "tar.gz"))
    return archives


def graded(on: Stopwatch, archives: Sequence[Path], ledger: Ledger) -> None:
    """Grade them all as a run does, and write them down."""
    library, bounds = ScenarioLibrary(), Bounds()
    opened = on.watched("unpack", partial(unpacked, bounds=bounds))
    with (
        on.stage("the rest"),
        grading_module.grader(lambda one: library.find(one.exercise), opened) as grader,
    ):
        texts = []
        for assessment in grader.grade(archives):
            with on.stage("result: written as text"):
                texts.append((assessment, assessment_text(assessment)))
        with on.stage("parent: fingerprint"):
            digests = [fingerprint(path, bounds) for path in archives]
        with on.stage("parent: ledger"):
            ledger.add_gradings(
                Grading(
                    graded="2031-05-01T08:00:00+00:00", submission=path.name, fingerprint=digest, version="1",
                    scenario="1", exercise=one.exercise, variant=one.variant, learner=None, state=one.state,
                    points=one.points, possible=one.possible, result=text, pile="",
                )
                for path, digest, (one, text) in zip(archives, digests, texts, strict=True)
            )  # fmt: skip


def main() -> None:
    """Grade two classes in turns, and print one table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})
    columns: dict[str, Counter[str]] = {}
    for said, codes in (("one variant", 1), ("a variant each", count)):
        with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
            top = Path(folder)
            archives = handed_in(top, count, codes)
            turns = []
            for turn in range(TURNS):
                on = Stopwatch()
                with watching(on):
                    ledger = Ledger(top / f"{turn}.db", create=True)
                    graded(on, archives, ledger)
                    ledger.close()
                turns.append(on.took)
            columns[said] = min(turns, key=lambda took: sum(took.values()))
            for stage in columns[said]:
                note(f"{stage} ({said})", [took[stage] / count for took in turns], [])
    stages = sorted(set().union(*columns.values()))
    print(f"microseconds a submission, {count} archives, one core\n")
    print(f"{'':42}" + "".join(f"{said:>16}" for said in columns))
    for stage in stages:
        print(f"{stage:42}" + "".join(f"{1e6 * took[stage] / count:>16.0f}" for took in columns.values()))
    print(
        f"{'all of it':42}"
        + "".join(f"{1e6 * sum(took.values()) / count:>16.0f}" for took in columns.values())
    )


if __name__ == "__main__":
    main()
