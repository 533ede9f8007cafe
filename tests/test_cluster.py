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
from tests.test_class import RIGHT, WRONG
from tests.test_safety import ARCHIVES, HOSTILE

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


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    with begun(tmp_path_factory.mktemp("cluster")) as cluster:
        wait_for(lambda: ready(cluster))
        yield cluster


def ready(cluster: Cluster, workers: int = WORKERS) -> bool:
    logs = cluster.file.parent.glob("worker-*.log")
    return sum("Registered to" in log.read_text() for log in logs) >= workers


def _pile_made(top: Path) -> str:
    """Honest, wrong and hostile submissions, as folders and as archives."""
    muddled("plant", "press-limit", top / "planted")
    (top / "in").mkdir()
    for name, script in {
        "right": RIGHT,
        "wrong": WRONG,
        **{n: RIGHT + s for n, (s, _) in HOSTILE.items()},
    }.items():
        place = top / "in" / name.replace(" ", "-").strip(".")
        shutil.copytree(top / "planted", place)
        shell(place / "work", script)
    shell(top, "cp -r in/right honest; tar czf in/honest.tar.gz honest")
    good = (top / "in/honest.tar.gz").read_bytes()
    for name, (make, _) in ARCHIVES.items():
        (top / "in" / name).write_bytes(make(good))
    return str(top / "in")


@pytest.fixture(scope="module")
def pile(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return Path(once(tmp_path_factory, "pile", _pile_made))


@pytest.fixture(scope="module")
def here(pile: Path) -> str:
    """What grading them here says."""
    return muddled("grade", pile.name, "--json", "--most-size", "20", folder=pile.parent).stdout


@pytest.mark.parametrize("ship", [(), ("--ship",)], ids=["by path", "shipped"])
def test_results_are_those_of_here(ship: tuple[str, ...], cluster: Cluster, pile: Path, here: str) -> None:
    command = ("grade", pile.name, "--json", "--most-size", "20", "--cluster", cluster.address, *ship)
    assert muddled(*command, folder=pile.parent).stdout == here
    assert not list(pile.parent.rglob("PWNED"))


def test_a_scenario_of_ones_own_and_a_rehearsal(cluster: Cluster, tmp_path: Path) -> None:
    text = (Path(__file__).parents[1] / "src/muddled_orchard/catalogue/press-limit.toml").read_text("utf-8")
    (tmp_path / "own.toml").write_text(text.replace('id = "press-limit"', 'id = "own"'), "utf-8")
    muddled("plant", "own.toml", "practice", folder=tmp_path)
    where = ("--cluster", cluster.address)
    for command in (
        ("grade", "practice", "--scenarios", "own.toml", "--json"),
        ("rehearse", "own.toml", "--json"),
    ):
        there = muddled(*command, *where, folder=tmp_path).stdout
        assert there == muddled(*command, folder=tmp_path).stdout


def test_bounds_hold_there(cluster: Cluster, pile: Path, tmp_path: Path) -> None:
    shutil.copytree(pile / "right", tmp_path / "large")
    (tmp_path / "large/work/noise").write_bytes(os.urandom(60 << 20))
    shell(tmp_path, "tar cf large.tar large")
    more = ("--most-memory", "20", "--json", "--cluster", cluster.address)
    (found,) = json.loads(muddled("grade", "large.tar", *more, folder=tmp_path, code=2).stdout)["submissions"]
    assert "memory" in found["reason"]


@pytest.mark.parametrize("seed", ["1", "2"])
def test_no_result_hangs_on_the_order_of_a_set(seed: str, pile: Path, here: str) -> None:
    command = ("grade", pile.name, "--json", "--most-size", "20")
    assert muddled(*command, folder=pile.parent, more={"PYTHONHASHSEED": seed}).stdout == here


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


def many(top: Path) -> Path:
    """Four hundred submissions, alike but for a note."""
    muddled("plant", "press-limit", top / "one")
    shell(top / "one/work", RIGHT)
    shell(top, "mkdir in; for n in $(seq 400); do echo $n >one/note; tar czf in/$n.tar.gz one; done")
    (top / "roster.csv").write_text("id,name\nada,Ada Quince\n", "utf-8")
    muddled("handout", "two-names", "--roster", "roster.csv", "--out", "out", folder=top)
    return top


def graded_by_now(top: Path) -> int:
    with database(top / "orchard.db") as db:
        (count,) = db.execute("SELECT count(*) FROM grading").fetchone()
    return int(count)


@pytest.mark.parametrize("lost", ["worker", "scheduler", "time"])
def test_what_is_lost_costs_nothing_but_time(lost: str, tmp_path: Path) -> None:
    top = many(tmp_path)
    with begun(tmp_path) as cluster:
        wait_for(lambda: ready(cluster))
        command = [*PROGRAM, "grade", "in", "--cluster", cluster.address, "--csv", "marks.csv", "--quiet"]
        run = subprocess.Popen(command, cwd=top, stderr=subprocess.PIPE, text=True)
        wait_for(lambda: graded_by_now(top) > 0)
        one = cluster.scheduler if lost == "scheduler" else cluster.processes[1]
        one.send_signal(signal.SIGSTOP if lost == "time" else signal.SIGKILL)
        if lost == "time":  # a worker that is slow
            time.sleep(3)
            one.send_signal(signal.SIGCONT)
        _, told = run.communicate(timeout=120)
        by_then = graded_by_now(top)
    if lost != "scheduler":
        assert (run.returncode, told, by_then) == (0, "", 400)
        return
    assert run.returncode == 2, told
    assert told.startswith("the cluster was lost")
    assert "Traceback" not in told
    assert "the same command goes on from there" in told
    assert 0 < by_then < 400
    said = muddled("grade", "in", folder=top).stdout
    assert f"{by_then} not graded again" in " ".join(said.split())
    assert graded_by_now(top) == 400
