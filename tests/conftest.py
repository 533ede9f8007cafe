"""What all tests share: the built program, and Git as a learner has it."""

from __future__ import annotations

import fcntl
import json
import os
import sqlite3
import subprocess
import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest

from muddled_orchard.classroom.marking import GradingRun, RunRecord, marked
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.files.archives.submissions import Handed
from muddled_orchard.system.workers import Machines
from tests import program

PROGRAM = [sys.executable, "-m", "muddled_orchard"]

LEARNER = {
    "PATH": os.environ["PATH"],
    "HOME": os.devnull,
    "GIT_CONFIG_GLOBAL": os.devnull,
    "GIT_CONFIG_NOSYSTEM": "1",
    "GIT_EDITOR": ":",
    "GIT_AUTHOR_NAME": "Ilse Korn",
    "GIT_AUTHOR_EMAIL": "ilse@orchard.example",
    "GIT_COMMITTER_NAME": "Ilse Korn",
    "GIT_COMMITTER_EMAIL": "ilse@orchard.example",
}


QUICK = {
    "alignment", "answers", "core", "graphs", "matching", "objects", "plant", "reading", "replays", "reply", "reports",
    "scenario_files", "sentences", "shipping", "story_trees", "survey", "tasks", "terminal", "walkthrough_core",
}  # fmt: skip
"""The files of tests that take a few seconds each: no browser, no host, no cluster, no whole rounds."""


def some(every: Sequence[str], of: int) -> Sequence[str]:
    """One in so many, always the same ones, where each takes long and others test the same way; all of them with
    EVERY=1 (`make wild`)."""
    return every if os.environ.get("EVERY") else every[::of]


def pytest_addoption(parser: pytest.Parser) -> None:
    """`--quick`, for the inner loop."""
    parser.addoption("--quick", action="store_true", help="only what is quick; first what the change touches")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """With `--quick` leave out what takes long, and begin with files of tests that were changed or that name a
    changed module."""
    if not config.getoption("quick"):
        return
    listed = ["git", "ls-files", "--modified", "--others", "--exclude-standard", "src", "tests"]
    changed = subprocess.run(listed, cwd=config.rootpath, capture_output=True, text=True, check=False).stdout
    modules = {
        Path(name).with_suffix("").as_posix().removeprefix("src/").replace("/", ".")
        for name in changed.split()
    }
    touched = {item.path for item in items if f"tests.{item.path.stem}" in modules}
    naming = {
        path
        for path in {item.path for item in items}
        if any(one in path.read_text("utf-8") for one in modules)
    }
    quick = [item for item in items if item.path.stem.removeprefix("test_") in QUICK]
    config.hook.pytest_deselected(items=[item for item in items if item not in quick])
    items[:] = sorted(quick, key=lambda item: (item.path not in touched, item.path not in naming))


@contextmanager
def database(path: Path, *, isolation_level: str | None = "") -> Iterator[sqlite3.Connection]:
    """A database beside the program's own hand on it: what is done is committed, and it is closed."""
    db = sqlite3.connect(path, isolation_level=isolation_level)  # type: ignore[arg-type]  # any of its words
    try:
        yield db
        db.commit()
    finally:
        db.close()


def muddled(
    *arguments: str | Path, folder: Path | None = None, code: int = 0, more: Mapping[str, str] | None = None
) -> subprocess.CompletedProcess[str]:
    """Run the program, expect an exit code, and never a traceback; it starts anew where `more` has variables
    that are read when Python starts."""
    environment = {**os.environ, "NO_COLOR": "1", "COLUMNS": "100", **(more or {})}
    words = [*map(str, arguments)]
    if any(name.startswith(("PYTHON", "LC_", "TZ")) for name in more or {}):
        if not sys.prefix.isascii() and any(name.startswith("LC_") for name in more or {}):
            pytest.skip("Python itself does not start from such a folder in every locale")
        done = subprocess.run(
            [*PROGRAM, *words], cwd=folder, capture_output=True, text=True, check=False, env=environment
        )
    else:
        done = program.run(words, folder, environment)
    assert done.returncode == code, f"exit {done.returncode}: {done.stdout}{done.stderr}"
    assert "Traceback" not in done.stderr
    return done


def shell(folder: Path, script: str) -> str:
    """Run a script as a learner would type it; it must succeed."""
    done = subprocess.run(
        ["bash", "-euc", script], cwd=folder, capture_output=True, text=True, check=False, env=LEARNER
    )
    assert done.returncode == 0, f"{script}\n{done.stdout}{done.stderr}"
    return done.stdout


def graded(folder: Path, *more: str | Path) -> dict[str, dict[str, Any]]:
    """The result file's submissions by learner, criteria by id."""
    data = json.loads(muddled("grade", folder, "--json", *more).stdout)
    assert data["format"] == 1
    for submission in data["submissions"]:
        submission["criteria"] = {criterion["id"]: criterion for criterion in submission["criteria"]}
    return {submission["learner"]: submission for submission in data["submissions"]}


def all_marked(handed: Sequence[Handed], course: GradingRun, bounds: Bounds, jobs: int) -> list[Collected]:
    """Submissions graded in processes of their own, without the program around it."""
    with marked(handed, course, bounds, Machines(jobs), keep=RunRecord()) as going:
        return list(going)


def once(tmp_path_factory: pytest.TempPathFactory, name: str, make: Callable[[Path], Any]) -> Any:
    """What `make` makes in a folder of its own, as JSON: by the first process of the tests that asks for it,
    while the others wait."""
    shared = _shared(tmp_path_factory, f"once-{name}")
    made = shared / "made.json"
    with (shared / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made.exists():
            (shared / "top").mkdir()
            made.write_text(json.dumps(make(shared / "top")), "utf-8")
    return json.loads(made.read_text("utf-8"))


def _shared(tmp_path_factory: pytest.TempPathFactory, name: str) -> Path:
    """A folder of all processes of the tests."""
    base = tmp_path_factory.getbasetemp()
    shared = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / name
    shared.mkdir(exist_ok=True)
    return shared


@pytest.fixture(scope="session", autouse=True)
def own_state(tmp_path_factory: pytest.TempPathFactory) -> None:
    """What the program remembers of plantings stays out of the user's home, and so do proofs, which all
    processes of the tests share: a key is proved once."""
    os.environ["XDG_STATE_HOME"] = str(tmp_path_factory.mktemp("state"))
    os.environ["XDG_CACHE_HOME"] = str(_shared(tmp_path_factory, "cache"))


@pytest.fixture
def planted(tmp_path: Path) -> Path:
    """A practice folder of the bundled first exercise."""
    muddled("plant", "press-limit", tmp_path / "ilse")
    return tmp_path / "ilse"


@pytest.fixture
def scenario_file(tmp_path: Path) -> Callable[[str], Path]:
    """Write a scenario file."""

    def write(text: str) -> Path:
        path = tmp_path / "scenario.toml"
        path.write_text(text, encoding="utf-8")
        return path

    return write
