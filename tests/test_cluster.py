"""Grading and rehearsing on a real Dask cluster on the loopback: as here, whatever happens to it."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest

from muddled_orchard import __version__
from tests.conftest import PROGRAM, database, muddled, once, shell
from tests.test_class import RIGHT
from tests.test_safety import BOUNDS, hostile_pile

pytest.importorskip("distributed", reason="the extra cluster is not installed")

WORKERS = 2
CLI = "import sys; from dask.__main__ import main; sys.argv[0] = 'dask'; main()"


class Cluster:
    """A scheduler and workers, each a process of its own; no nanny begins a killed one again."""

    def __init__(self, top: Path) -> None:
        self._top = top
        self.processes: list[subprocess.Popen[bytes]] = []
        self.file = top / "scheduler.json"
        self.scheduler = self.begin("scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard")

    @property
    def address(self) -> str:
        """Where the scheduler is to be found; the file is there before its content is."""
        wait_for(lambda: self.file.is_file() and self.file.read_text().endswith("}"))
        return str(json.loads(self.file.read_text())["address"])

    def begin(self, what: str, *more: str, path: Path | None = None) -> subprocess.Popen[bytes]:
        command = [sys.executable, "-c", CLI, what, "--scheduler-file", str(self.file), *more]
        environment = {**os.environ, **({"PYTHONPATH": str(path)} if path else {})}
        with (self._top / f"{what}-{len(self.processes)}.log").open("wb") as log:
            process = subprocess.Popen(command, cwd=self._top, stdout=log, stderr=log, env=environment)
        self.processes.append(process)
        return process

    def worker(self, path: Path | None = None) -> subprocess.Popen[bytes]:
        more = ("--nthreads", "1", "--no-nanny", "--no-dashboard", "--host", "127.0.0.1")
        return self.begin("worker", *more, path=path)

    def end(self) -> None:
        for process in self.processes:
            process.kill()
            process.wait()


def wait_for(what: Callable[[], Any], seconds: float = 60) -> None:
    until = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < until
        time.sleep(0.05)


@contextmanager
def begun(top: Path, workers: int = WORKERS) -> Iterator[Cluster]:
    cluster = Cluster(top)
    try:
        assert cluster.address
        for _ in range(workers):
            cluster.worker()
        yield cluster
    finally:
        cluster.end()


def ready(cluster: Cluster, workers: int = WORKERS) -> bool:
    logs = cluster.file.parent.glob("worker-*.log")
    return sum("Registered to" in log.read_text() for log in logs) >= workers


def many(top: Path) -> str:
    """Many submissions, alike but for a note."""
    muddled("plant", "press-limit", top / "one")
    shell(top / "one/work", RIGHT)
    shell(top, "mkdir in; for n in $(seq 240); do echo $n >one/note; tar czf in/$n.tar.gz one; done")
    return str(top / "in")


def graded_by_now(top: Path) -> int:
    with database(top / "orchard.db") as db:
        (count,) = db.execute("SELECT count(*) FROM grading").fetchone()
    return int(count)


def lose(
    top: Path, place: str, cluster: Cluster, process: subprocess.Popen[bytes], *, slow: bool
) -> tuple[int, str, int]:
    """Grade many on a cluster, and stop or kill a process of it meanwhile: the exit code, what was told, and
    how many gradings the ledger has by then."""
    top.mkdir()
    (top / "roster.csv").write_text("id,name\nada,Ada Quince\n", "utf-8")
    muddled("handout", "two-names", "--roster", "roster.csv", "--out", "out", folder=top)
    command = [*PROGRAM, "grade", place, "--cluster", cluster.address, "--csv", "marks.csv", "--quiet"]
    run = subprocess.Popen(command, cwd=top, stderr=subprocess.PIPE, text=True)
    wait_for(lambda: graded_by_now(top) > 0)
    process.send_signal(signal.SIGSTOP if slow else signal.SIGKILL)
    if slow:
        time.sleep(3)
        process.send_signal(signal.SIGCONT)
    _, told = run.communicate(timeout=120)
    return run.returncode, told, graded_by_now(top)


def test_a_cluster_does_as_is_done_here_whatever_is_lost(
    tmp_path_factory: pytest.TempPathFactory, tmp_path: Path
) -> None:
    """One scheduler and two workers for all of it, since they take long to begin: what is lost comes last."""
    pile = once(tmp_path_factory, "pile", hostile_pile)
    top, place = Path(pile["place"]).parent, once(tmp_path_factory, "many", many)
    with begun(tmp_path) as cluster:
        wait_for(lambda: ready(cluster))
        where = ("--cluster", cluster.address)
        for ship in ((), ("--ship",)):
            assert muddled("grade", "in", *BOUNDS, *where, *ship, folder=top).stdout == pile["said"], ship
        assert not list(top.rglob("PWNED"))
        _a_scenario_of_ones_own_and_a_rehearsal(where, tmp_path)
        _bounds_hold_there(where, top / "in/honest", tmp_path)
        slow = lose(tmp_path / "slow", place, cluster, cluster.processes[1], slow=True)
        assert slow == (0, "", 240)
        killed = lose(tmp_path / "killed", place, cluster, cluster.processes[1], slow=False)
        assert killed == (0, "", 240)
        code, told, by_then = lose(tmp_path / "gone", place, cluster, cluster.scheduler, slow=False)
    assert code == 2, told
    assert told.startswith("the cluster was lost")
    assert "Traceback" not in told
    assert "the same command goes on from there" in told
    assert 0 < by_then < 240
    said = muddled("grade", place, folder=tmp_path / "gone").stdout
    assert f"{by_then} not graded again" in " ".join(said.split())
    assert graded_by_now(tmp_path / "gone") == 240


def _a_scenario_of_ones_own_and_a_rehearsal(where: tuple[str, ...], top: Path) -> None:
    text = (Path(__file__).parents[1] / "src/muddled_orchard/catalogue/press-limit.toml").read_text("utf-8")
    (top / "own.toml").write_text(text.replace('id = "press-limit"', 'id = "own"'), "utf-8")
    muddled("plant", "own.toml", "practice", folder=top)
    for command in (
        ("grade", "practice", "--scenarios", "own.toml", "--json"),
        ("rehearse", "own.toml", "--json"),
    ):
        assert muddled(*command, *where, folder=top).stdout == muddled(*command, folder=top).stdout


def _bounds_hold_there(where: tuple[str, ...], submission: Path, top: Path) -> None:
    shutil.copytree(submission, top / "large")
    (top / "large/work/noise").write_bytes(os.urandom(60 << 20))
    shell(top, "tar cf large.tar large")
    more = ("--most-memory", "20", "--json", *where)
    (found,) = json.loads(muddled("grade", "large.tar", *more, folder=top, code=2).stdout)["submissions"]
    assert "memory" in found["reason"]


@pytest.mark.parametrize("seed", ["1", "2"])
def test_no_result_hangs_on_the_order_of_a_set(seed: str, tmp_path_factory: pytest.TempPathFactory) -> None:
    pile = once(tmp_path_factory, "pile", hostile_pile)
    folder = Path(pile["place"]).parent
    assert (
        muddled("grade", "in", *BOUNDS, folder=folder, more={"PYTHONHASHSEED": seed}).stdout == pile["said"]
    )


def test_another_version_is_refused(tmp_path: Path) -> None:
    shutil.copytree(
        Path(__file__).parents[1] / "src", tmp_path / "other", ignore=shutil.ignore_patterns("*.pyc")
    )
    package = tmp_path / "other/muddled_orchard/__init__.py"
    package.write_text(package.read_text("utf-8").replace(__version__, "0.0.1"), "utf-8")
    with begun(tmp_path, 0) as other:
        none = muddled("rehearse", "press-limit", "--cluster", other.address, code=2).stderr
        assert f"the cluster at {other.address} has no workers\n  Begin some" in none
        other.worker(tmp_path / "other")
        wait_for(lambda: ready(other, 1))
        told = muddled("rehearse", "press-limit", "--cluster", other.address, code=2).stderr
    assert f"this is muddled {__version__}, and tcp://" in told
    assert "has 0.0.1\n  Install the same version everywhere" in told
