"""Whole classes, on all cores: handing out and grading archives, our way and the by-hand way.

The by-hand scripts run on as many cores, on up to BY_HAND learners of the class; their time is told for one.
Both take turns, a small class several times, and the best time of each counts: what else a machine does
weighs most on what is short.
Usage: python -m benchmarks.classes [size of a class]...
"""

from __future__ import annotations

import os
import resource
import shutil
import subprocess
import sys
import tarfile
import tempfile
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

from benchmarks.figures import note
from benchmarks.made_work import make_work
from benchmarks.measuring import EXERCISE, HERE, WAYS, material_of, timed
from muddled_orchard.files.archives.packing import pack
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.system.output import write_file
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.planting import read_files

CORES = len(os.sched_getaffinity(0))
BY_HAND = 200
SMALL, TURNS = 1_000, 3
MOST_ACTED_OUT = 1_000
SIZES = (100, 1_000, 5_000)


def main() -> None:
    """Run classes of some sizes and print one table."""
    sizes = [int(size) for size in sys.argv[1:]] or list(SIZES)
    print(f"\nwhole classes, {CORES} cores; milliseconds for each learner\n")
    print(f"{'':42}{'ours':>12}{'by hand':>12}{'ratio':>8}")
    for size in sizes:
        with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
            _class_of(Path(folder), size)


def _class_of(top: Path, size: int) -> None:
    rows = "".join(f"l{number:05},Learner {number}\n" for number in range(size))
    (top / "roster.csv").write_text(f"id,name\n{rows}", "utf-8")
    program = str(Path(sys.executable).with_name("muddled"))
    command = [program, "handout", EXERCISE, "--roster", "roster.csv", "--out", "out", "--quiet"]
    sample = min(size, BY_HAND)
    turns = TURNS if size <= SMALL else 1
    material = material_of(top)
    ours, by_hand = [], []
    for turn in range(turns):
        _forget(top, "out")
        ours.append(timed(lambda: subprocess.run(command, cwd=top, check=True)) / size)
        rooms = [top / f"by-hand-{turn}-{core}" for core in range(CORES)]
        scripts = [
            [str(HERE / "by_hand_handout.sh"), str(room), str(sample // CORES), str(material)]
            for room in rooms
        ]
        by_hand.append(timed(partial(_side_by_side, scripts)) / sample)
    _row(f"hand out, {size}", ours, by_hand)
    _largest("hand out")
    _work(top, size)
    shutil.copy(top / "orchard.db", top / "handed-out.db")
    back = top / "back"
    graded = [program, "grade", "back", "--quiet"]
    archives = sorted(map(str, back.iterdir()))[:sample]
    wanted = str(material / "4")
    scripts = [
        [str(HERE / "by_hand_collect.sh"), wanted, str(top / f"room-{core}"), *archives[core::CORES]]
        for core in range(CORES)
    ]
    ours, by_hand = [], []
    for _ in range(turns):
        _forget(top)
        shutil.copy(top / "handed-out.db", top / "orchard.db")
        ours.append(timed(lambda: subprocess.run(graded, cwd=top, check=True)) / size)
        by_hand.append(timed(partial(_side_by_side, scripts)) / sample)
    _row(f"grade archives, {size} (into the ledger)", ours, by_hand)
    one = [program, "grade", archives[0], "--quiet", "--again"]
    start = min(timed(lambda: subprocess.run(one, cwd=top, check=True)) for _ in range(TURNS))
    print(f"  of it the start of the program: {1000 * start / size:.2f} ms each ({start:.2f} s)")
    again = timed(lambda: subprocess.run(graded, cwd=top, check=True)) / size
    print(f"  again, nothing changed: {1000 * again:.2f} ms each")
    _largest("grade")
    kept = (top / "orchard.db").stat().st_size - (top / "handed-out.db").stat().st_size
    print(f"  in the ledger: {kept / size / 1000:.2f} kB a result")
    if size <= MOST_ACTED_OUT:
        _mixed(top, size)
    else:
        _afterwards(top, program, size)


def _forget(top: Path, *folders: str) -> None:
    """Begin anew: without a ledger."""
    for file in top.glob("orchard.db*"):
        file.unlink()
    for folder in folders:
        shutil.rmtree(top / folder, ignore_errors=True)


def _row(name: str, ours: Sequence[float], by_hand: Sequence[float]) -> None:
    best, other = note(name, ours, by_hand)
    print(f"{name:42}{1000 * best:>9.2f} ms{1000 * other:>9.2f} ms{other / best:>8.1f}")


def _side_by_side(scripts: Sequence[Sequence[str]]) -> None:
    running = [subprocess.Popen(script, stdout=subprocess.DEVNULL) for script in scripts]
    if any(one.wait() for one in running):
        raise SystemExit("the by-hand way failed")


def _work(top: Path, size: int) -> None:
    """Let learners do what learners do, with real Git, and pack it up again."""
    ledger = Ledger(top / "orchard.db")
    given = {one.learner: (one.variant, one.file) for one in ledger.hand_outs()}
    ledger.close()
    if size > MOST_ACTED_OUT:
        make_work(top, given, CORES)
        return
    (top / "back").mkdir()
    with ProcessPoolExecutor(CORES) as pool:
        share = [(top, number, *given[f"l{number:05}"]) for number in range(size)]
        list(pool.map(_worked, share, chunksize=50))


def _worked(piece: tuple[Path, int, str, str]) -> None:
    top, number, variant, file = piece
    session = top / f"desk-{number}"
    with tarfile.open(top / "out" / file) as archive:
        archive.extractall(session, filter="data")
    scenario = ScenarioLibrary().find(EXERCISE)
    assert scenario is not None  # noqa: S101 - it is bundled
    key = make_key(ScratchRepository(session / "scratch.git"), scenario, variant)
    named(WAYS[number % len(WAYS)]).act(LearnerSession(session / EXERCISE / "work", key, "ilse"))
    packed = pack(dict(read_files(session / EXERCISE)), EXERCISE, "tar.gz")
    write_file(top / "back" / f"{number}.tar.gz", packed)
    shutil.rmtree(session)


def _mixed(top: Path, size: int) -> None:
    """The same class with a third of it handed in as zip files and a third as folders; then three of them
    change."""
    mixed = top / "mixed"
    for number in range(size):
        packed = top / "back" / f"{number}.tar.gz"
        if number % 3 == 0:
            mixed.mkdir(exist_ok=True)
            shutil.copy(packed, mixed)
            continue
        with tarfile.open(packed) as archive:
            archive.extractall(mixed / str(number), filter="tar")
        if number % 3 == 1:
            folder = mixed / str(number)
            write_file(mixed / f"{number}.zip", pack(dict(read_files(folder / EXERCISE)), EXERCISE, "zip"))
            shutil.rmtree(folder)
    program = str(Path(sys.executable).with_name("muddled"))
    command = [program, "grade", "mixed"]
    first = timed(lambda: subprocess.run([*command, "--quiet"], cwd=top, check=True))
    for number in (2, 5, 8):
        (mixed / str(number) / EXERCISE / "work/left.txt").write_text("One more thing.\n", "utf-8")
    shown = subprocess.run(command, cwd=top, check=True, capture_output=True, text=True).stdout
    again = timed(lambda: subprocess.run([*command, "--quiet"], cwd=top, check=True))
    kept = ", ".join(" ".join(shown.split()).rsplit(", ", 2)[1:])
    print(f"  as archives, zip files and folders: {first:.1f} s; again: {again:.1f} s; three changed: {kept}")


def _afterwards(top: Path, program: str, size: int) -> None:
    """What reads the whole ledger."""
    for command in (["ledger"], ["ledger", "--csv", "all.csv"], ["tally", "--csv", "tally.csv"],
                    ["grade", "back", "--quiet", "--csv", "grades.csv"]):  # fmt: skip
        whole = [program, *command]
        taken = timed(partial(subprocess.run, whole, cwd=top, check=True, stdout=subprocess.DEVNULL))
        print(f"  muddled {' '.join(command)}: {1000 * taken / size:.3f} ms each")
        _largest(command[0])


def _largest(what: str) -> None:
    """The most memory that any process of ours has taken by now."""
    taken = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    print(f"  the largest process by now, after {what}: {taken:.0f} MB")


if __name__ == "__main__":
    main()
