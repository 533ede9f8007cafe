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
from functools import partial
from pathlib import Path

from tests.classes import ledger_of, random_class

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
        tally = _best([HERE / "by_hand_tally.sh", top / "in", ROUNDS], top) / count
        reply = _best([HERE / "by_hand_feedback.sh", top / "in", top / "texts", ROUNDS], top) / count
        print(f"\nafter grading: {len(EXERCISES)} exercises a learner; milliseconds for each work\n")
        print(f"{'':42}{'ours':>12}{'by hand':>12}{'ratio':>8}")
        for size in sizes:
            _class_of(top / str(size), size, tally, reply)


def _class_of(top: Path, size: int, tally: float, reply: float) -> None:
    top.mkdir()
    ledger_of(top / "orchard.db", random_class(size, EXERCISES, 3, seed=1))
    program = Path(sys.executable).with_name("muddled")
    works = size * len(EXERCISES)
    took = _best([program, "tally"], top)
    _show(f"tally, {size} learners: {took:.2f} s", took / works, tally)
    took = _best([program, "tally", "--page", "class.html"], top)
    megabytes = (top / "class.html").stat().st_size / 1e6
    print(f"  as a page: {took:.2f} s, {megabytes:.1f} MB")
    took = _best([program, "reply", "--out", "feedback", "--quiet"], top, top / "feedback")
    _show(f"reply, {size} learners: {1000 * took / size:.1f} ms each", took / works, reply)


def _show(what: str, ours: float, by_hand: float) -> None:
    print(f"{what:42}{1000 * ours:>9.3f} ms{1000 * by_hand:>9.2f} ms{by_hand / ours:>8.1f}")


def _best(command: list[object], folder: Path, removed: Path | None = None) -> float:
    times = []
    for _ in range(TURNS):
        if removed is not None:
            shutil.rmtree(removed, ignore_errors=True)
        run = partial(
            subprocess.run, list(map(str, command)), cwd=folder, check=True, stdout=subprocess.DEVNULL
        )
        times.append(timed(run))
    return min(times)


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
