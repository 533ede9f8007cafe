"""What a cluster costs: the same class graded here and by a Dask cluster on this machine with as many
workers, in turns, by path and shipped.

Usage: python -m benchmarks.cluster [size of the class]
"""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from functools import partial
from pathlib import Path

from benchmarks.classes import CORES
from benchmarks.figures import note
from benchmarks.made_work import make_work
from benchmarks.measuring import EXERCISE, timed
from muddled_orchard.files.course.ledger import Ledger

SIZE, TURNS = 5_000, 3
DASK = "import sys; from dask.__main__ import main; sys.argv[0] = 'dask'; main()"


def main() -> None:
    """Grade a class in each way, and print one table."""
    size = int(sys.argv[1]) if len(sys.argv) > 1 else SIZE
    program = str(Path(sys.executable).with_name("muddled"))
    with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
        top = Path(folder)
        rows = "".join(f"l{number:05},Learner {number}\n" for number in range(size))
        (top / "roster.csv").write_text(f"id,name\n{rows}", "utf-8")
        words = ["handout", EXERCISE, "--roster", "roster.csv", "--out", "out", "--quiet"]
        subprocess.run([program, *words], cwd=top, check=True)
        ledger = Ledger(top / "orchard.db")
        make_work(top, {one.learner: (one.variant, one.file) for one in ledger.hand_outs()}, CORES)
        ledger.close()
        shutil.copy(top / "orchard.db", top / "handed-out.db")
        running = _cluster(top)
        address = json.loads((top / "scheduler.json").read_text("utf-8"))["address"]
        ways = {"here": [], "by path": ["--cluster", address], "shipped": ["--cluster", address, "--ship"]}
        times: dict[str, list[float]] = {way: [] for way in ways}
        try:
            for _ in range(TURNS):
                for way, more in ways.items():
                    for file in top.glob("orchard.db*"):
                        file.unlink()
                    shutil.copy(top / "handed-out.db", top / "orchard.db")
                    command = [program, "grade", "back", "--quiet", *more]
                    times[way].append(timed(partial(subprocess.run, command, cwd=top, check=True)))
        finally:
            for process in running:
                process.kill()
                process.wait()
    print(f"\n{size:,} submissions, {CORES} workers\n{'':20}{'time':>10}{'beside here':>14}")
    for way, took in times.items():
        best, here = note(f"grade {size:,} in a cluster, {way}", took, times["here"])
        print(f"{way:20}{best:>8.2f} s{best / here:>14.2f}")


def _cluster(top: Path) -> list[subprocess.Popen[bytes]]:
    def begin(command: list[str]) -> subprocess.Popen[bytes]:
        return subprocess.Popen(command, cwd=top, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    dask = [sys.executable, "-c", DASK]
    file = ["--scheduler-file", "scheduler.json", "--no-dashboard"]
    running = [begin([*dask, "scheduler", "--host", "127.0.0.1", "--port", "0", *file])]
    while not (top / "scheduler.json").is_file():
        time.sleep(0.1)
    running += [begin([*dask, "worker", "--nthreads", "1", "--no-nanny", *file]) for _ in range(CORES)]
    from distributed import Client

    connected: Client = Client(scheduler_file=str(top / "scheduler.json"))  # type: ignore[no-untyped-call]
    connected.wait_for_workers(CORES)
    with suppress(Exception):
        connected.close()  # type: ignore[no-untyped-call]
    return running


if __name__ == "__main__":
    main()
