"""What comes after grading: counting a class and writing feedback, our way and the by-hand way.

A class has twelve exercises each, with made-up results in its ledger; the by-hand scripts go through real
work of eight kinds, and their time is told for one. Each takes several turns, and the best counts.
Usage: python -m benchmarks.after_grading [size of a class]...
"""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from functools import partial
from pathlib import Path

from tests.classes import ledger_of, random_class

from benchmarks.figures import note
from benchmarks.measuring import EXERCISE, HERE, WAYS, timed
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.planting import plant

SIZES = (100, 1_000)
TURNS, ROUNDS = 3, 5
EXERCISES = (
    EXERCISE, "three-knots", "rebase-four", "four-files", "late-merge", "criss-cross", "frost-table",
    "kept-recipe", "label-picture", "stash-back", "undo-a-merge", "pull-by-merge",
)  # fmt: skip


def main() -> None:
    """Run classes of some sizes and print one table."""
    sizes = [int(size) for size in sys.argv[1:]] or list(SIZES)
    with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
        top = Path(folder)
        _act_out(top / "in")
        count = ROUNDS * len(WAYS)
        tally = _times([HERE / "by_hand_tally.sh", top / "in", ROUNDS], top, each=count)
        reply = _times([HERE / "by_hand_feedback.sh", top / "in", top / "texts", ROUNDS], top, each=count)
        print(f"\nafter grading: {len(EXERCISES)} exercises a learner; milliseconds for each work\n")
        print(f"{'':42}{'ours':>12}{'by hand':>12}{'ratio':>8}")
        for size in sizes:
            _class_of(top / str(size), size, tally, reply)


def _class_of(top: Path, size: int, tally: list[float], reply: list[float]) -> None:
    top.mkdir()
    ledger_of(top / "orchard.db", random_class(size, EXERCISES, 3, seed=1))
    program = Path(sys.executable).with_name("muddled")
    works = size * len(EXERCISES)
    _show(f"tally, {size} learners", _times([program, "tally"], top, each=works), tally)
    took = min(_times([program, "tally", "--page", "class.html"], top))
    megabytes = (top / "class.html").stat().st_size / 1e6
    print(f"  as a page: {took:.2f} s, {megabytes:.1f} MB")
    feedback = [program, "reply", "--out", "feedback", "--quiet"]
    _show(f"reply, {size} learners", _times(feedback, top, top / "feedback", each=works), reply)


def _show(what: str, ours: Sequence[float], by_hand: Sequence[float]) -> None:
    best, other = note(what, ours, by_hand)
    print(f"{what:42}{1000 * best:>9.3f} ms{1000 * other:>9.2f} ms{other / best:>8.1f}")


def _times(command: list[object], folder: Path, removed: Path | None = None, *, each: int = 1) -> list[float]:
    times = []
    for _ in range(TURNS):
        if removed is not None:
            shutil.rmtree(removed, ignore_errors=True)
        run = partial(
            subprocess.run, list(map(str, command)), cwd=folder, check=True, stdout=subprocess.DEVNULL
        )
        times.append(timed(run) / each)
    return times


def _act_out(folder: Path) -> None:
    """A repository for each of eight kinds of work."""
    scenario = ScenarioLibrary().find(EXERCISE)
    assert scenario is not None  # noqa: S101 - it is bundled
    with tempfile.TemporaryDirectory(prefix="muddled-bench-") as scratch:
        key = make_key(ScratchRepository(Path(scratch) / "scratch.git"), scenario, "0")
        for way in WAYS:
            place = folder / way.replace(" ", "-")
            plant(scenario, place, "0")
            named(way).act(LearnerSession(place / "work", key, "ada"))


if __name__ == "__main__":
    main()
