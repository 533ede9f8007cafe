"""A host for tests: the program itself, on the loopback, and learners with real Git."""

from __future__ import annotations

import csv
import os
import signal
import subprocess
import time
from base64 import b64encode
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from urllib.error import HTTPError
from urllib.parse import urlencode
from urllib.request import HTTPBasicAuthHandler, HTTPPasswordMgrWithDefaultRealm, Request, build_opener

from msgspec import Struct

from muddled_orchard.files.course.host_ledger import HostLedger
from tests.conftest import LEARNER, PROGRAM, muddled

COURSE = 'title = "Conflicts at Quillfold"\nroster = "roster.csv"\n{more}\n'


class RunningHost(Struct):
    """A host: the course's folder, its address, everybody's password, and its process."""

    folder: Path
    url: str
    passwords: dict[str, str]
    process: subprocess.Popen[str]

    def remote(self, who: str, exercise: str = "press-limit", owner: str | None = None) -> str:
        """The URL of a repository, with a password in it."""
        return f"http://{who}:{self.passwords[who]}@{self.url[7:]}git/{owner or who}/{exercise}.git"

    def page(self, who: str, path: str) -> str:
        """A page as somebody sees it."""
        return self.data(who, path).decode()

    def data(self, who: str, path: str, form: Mapping[str, str] | None = None) -> bytes:
        """What the host gives to somebody, perhaps who sends a form."""
        known = HTTPPasswordMgrWithDefaultRealm()
        known.add_password(None, self.url, who, self.passwords[who])
        with build_opener(HTTPBasicAuthHandler(known)).open(
            self.url + path.lstrip("/"), urlencode(form).encode() if form else None, timeout=20
        ) as answer:
            return bytes(answer.read())

    def sign_in(self, who: str) -> dict[str, str]:
        """The header with which somebody signs in."""
        return {"Authorization": f"Basic {b64encode(f'{who}:{self.passwords[who]}'.encode()).decode()}"}

    def send(self, who: str, path: str, data: bytes, headers: Mapping[str, str]) -> int:
        """The status of what the host answers to somebody who sends this as a script of its pages does."""
        request = Request(self.url + path, data, {**headers, **self.sign_in(who)})  # noqa: S310 - it is ours
        try:
            with build_opener().open(request, timeout=60) as answer:
                return int(answer.status)
        except HTTPError as refused:
            return refused.code

    def kill(self) -> None:
        """As a machine that fails."""
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


def course_of(folder: Path, learners: Sequence[str], more: str) -> Path:
    """A course file, a roster, and passwords for everybody."""
    folder.mkdir(exist_ok=True)
    (folder / "course.toml").write_text(COURSE.format(more=more), "utf-8")
    rows = "".join(f"{id_},{id_.title()}\n" for id_ in learners)
    (folder / "roster.csv").write_text(f"id,name\n{rows}", "utf-8")
    muddled("host", "--passwords", "passwords.csv", "--quiet", folder=folder)
    return folder


def press_limit(feedback: str = "criteria") -> str:
    """A course of one exercise."""
    return f'feedback = "{feedback}"\n[[exercise]]\nscenario = "press-limit"\n'


@contextmanager
def hosted(folder: Path, *more: str, before: Sequence[str | Path] = ()) -> Iterator[RunningHost]:
    """The program at work on a course, until the block is left; `before` are options of the program itself."""
    said = (folder / "host.err").open("a")
    process = subprocess.Popen(
        [*PROGRAM, *map(str, before), "host", "--port", "0", *more],
        cwd=folder, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=said, text=True, env={**os.environ, "NO_COLOR": "1", "COLUMNS": "200"},
    )  # fmt: skip
    try:
        assert process.stdout is not None
        first = process.stdout.readline()
        assert "served to" in first, first + (folder / "host.err").read_text()
        with (folder / "passwords.csv").open() as lines:
            passwords = {row["id"]: row["password"] for row in csv.DictReader(lines)}
        yield RunningHost(folder, first.rsplit(" at ", 1)[1].strip(), passwords, process)
    finally:
        process.terminate()
        try:
            process.wait(20)
        finally:
            process.kill()
            process.communicate()
            said.close()
    assert "Traceback" not in (folder / "host.err").read_text()


def until(true: Callable[[], bool], seconds: float = 40.0) -> bool:
    """Whether something comes true in time."""
    end = time.monotonic() + seconds
    while not true():
        if time.monotonic() > end:
            return False
        time.sleep(0.1)
    return True


def git(folder: Path, script: str) -> subprocess.CompletedProcess[str]:
    """What a learner types, which may fail."""
    return subprocess.run(
        ["bash", "-uc", script], cwd=folder, capture_output=True, text=True, check=False,
        env={**LEARNER, "GIT_TERMINAL_PROMPT": "0"}, timeout=120,
    )  # fmt: skip


def pushes_of(folder: Path) -> list[tuple[str, str, bool]]:
    """What the ledger holds of pushes: learner, exercise, and whether it is graded."""
    ledger = HostLedger(folder / "orchard.db")
    try:
        return [(one.learner, one.exercise, one.grading is not None) for one in ledger.pushes()]
    finally:
        ledger.close()
