"""Git's smart HTTP by Git's own `git http-backend`: each request a process, under settings of ours alone.

What comes and what goes lies in files without a name, so a client that is slow keeps no process waiting. Of
a request Git sees a path that we wrote, three headers that have the shape they must have, and the body.
"""

from __future__ import annotations

import asyncio
import io
import os
import re
import signal
import subprocess
import tempfile
from contextlib import suppress
from pathlib import Path
from typing import IO, Literal

from msgspec import Struct

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.vcs.ask import git

Service = Literal["git-upload-pack", "git-receive-pack"]

_PROTOCOL = re.compile(r"[a-z0-9=:.-]{1,64}")
_VERSION_2 = "version=2"
_GRACE = 5.0
"""Seconds that Git has to tidy up when it is told to end."""

_SETTINGS = (
    ("core.hooksPath", os.devnull),
    ("gc.auto", "0"),  # whatever was pushed can be graded, however late
    ("receive.autogc", "false"),
    ("http.receivepack", "true"),
    ("http.getanyfile", "false"),
    ("receive.fsckObjects", "true"),
    ("receive.advertisePushOptions", "true"),
    ("receive.denyNonFastForwards", "false"),  # who rebases has to push by force
    ("receive.denyDeletes", "false"),
    ("transfer.hideRefs", "refs/"),
    ("transfer.hideRefs", "!refs/heads/"),
    ("transfer.hideRefs", "!refs/tags/"),
    ("uploadpack.allowFilter", "false"),
    ("uploadpack.allowAnySHA1InWant", "false"),
    ("safe.directory", "*"),  # they are ours
)


class GitRequest(Struct, frozen=True):
    """A request: the repository's path below the folder of all, the service, whether its refs are asked for,
    the client's version of the protocol as it says, the content type, and the body with its size."""

    place: str
    service: Service
    refs: bool
    protocol: str = ""
    kind: str = ""
    body: IO[bytes] | None = None
    size: int = 0


class GitAnswer(Struct, frozen=True):
    """What Git answered: the status, headers, and a file that stands where the body begins."""

    status: int
    headers: tuple[tuple[str, str], ...]
    body: IO[bytes]


class NoAnswer(Exception):
    """Git did not answer: it took too long, or could not be begun."""


class GitService:
    """`git http-backend` over the repositories in a folder, at most so many processes at a time."""

    def __init__(self, root: Path, bounds: Bounds, at_once: int) -> None:
        self._bounds = bounds
        self._free = asyncio.Semaphore(at_once)
        self._program = http_backend()
        self._capabilities: tuple[int, tuple[tuple[str, str], ...], bytes] | None = None
        settings = (*_SETTINGS, ("receive.maxInputSize", str(bounds.size)))
        self._environment = git.environment() | {
            "GIT_PROJECT_ROOT": str(root),
            "GIT_HTTP_EXPORT_ALL": "1",
            "GATEWAY_INTERFACE": "CGI/1.1",
            "SERVER_PROTOCOL": "HTTP/1.1",
            "REMOTE_USER": "learner",  # Git lets nobody push who has no name
            "GIT_CONFIG_COUNT": str(len(settings)),
        }
        for number, (key, value) in enumerate(settings):
            self._environment |= {f"GIT_CONFIG_KEY_{number}": key, f"GIT_CONFIG_VALUE_{number}": value}

    async def answer(self, request: GitRequest) -> GitAnswer:
        """What Git answers. Raises NoAnswer.

        The first answer to a client of protocol version 2 tells what this Git can, and nothing of the
        repository: it is asked for once.
        """
        is_first = request.refs and request.service == "git-upload-pack" and request.protocol == _VERSION_2
        if is_first and self._capabilities is not None:
            status, headers, data = self._capabilities
            return GitAnswer(status, headers, io.BytesIO(data))
        async with self._free:
            answer = await self._run(request)
        if is_first and answer.status == 200:
            data = answer.body.read()
            answer.body.close()
            self._capabilities = answer.status, answer.headers, data
            return GitAnswer(answer.status, answer.headers, io.BytesIO(data))
        return answer

    async def _run(self, request: GitRequest) -> GitAnswer:
        what = "info/refs" if request.refs else request.service
        environment = self._environment | {
            "PATH_INFO": f"/{request.place}/{what}",
            "REQUEST_METHOD": "GET" if request.refs else "POST",
            "QUERY_STRING": f"service={request.service}" if request.refs else "",
            "CONTENT_TYPE": request.kind,
            "CONTENT_LENGTH": "" if request.refs else str(request.size),
        }
        if _PROTOCOL.fullmatch(request.protocol):
            environment["GIT_PROTOCOL"] = request.protocol
        said = tempfile.TemporaryFile()  # noqa: SIM115 - whoever reads the answer closes it
        try:
            process = await asyncio.create_subprocess_exec(
                self._program, stdin=request.body or subprocess.DEVNULL, stdout=said,
                stderr=subprocess.DEVNULL, env=environment, start_new_session=True,
            )  # fmt: skip
            try:
                await asyncio.wait_for(process.wait(), self._bounds.seconds)
            finally:
                await _end(process)
            return _parsed(said)
        except TimeoutError:
            said.close()
            raise NoAnswer(f"Git took more than {self._bounds.seconds} seconds") from None
        except OSError as error:
            said.close()
            raise NoAnswer(f"Git could not be asked: {error.strerror}") from None
        except BaseException:
            said.close()
            raise


async def _end(process: asyncio.subprocess.Process) -> None:
    """End a process with those that it began: they take their locks along when they are asked to, and are
    killed when they don't."""
    for how in (signal.SIGTERM, signal.SIGKILL):
        if process.returncode is not None:
            return
        with suppress(ProcessLookupError):
            os.killpg(process.pid, how)
        with suppress(TimeoutError):
            await asyncio.wait_for(process.wait(), _GRACE)


def _parsed(said: IO[bytes]) -> GitAnswer:
    """An answer as CGI has it (RFC 3875): headers, an empty line, the body."""
    said.seek(0)
    status, headers = 200, []
    while (line := said.readline(65_536).strip()) != b"":
        name, _, value = line.decode("latin-1").partition(":")
        if name.lower() == "status":
            status = int(value.split()[0])
        else:
            headers.append((name, value.strip()))
    if not headers:
        said.close()
        raise NoAnswer("Git ended without an answer")
    return GitAnswer(status, tuple(headers), said)


def http_backend() -> str:
    """Where Git's `git http-backend` is. Raises BadInput where there is none."""
    git.require()
    place = Path(git.run(["--exec-path"], folder=Path.cwd()).decode().strip())
    for ending in ("", ".exe"):
        if (place / f"git-http-backend{ending}").exists():
            return str(place / f"git-http-backend{ending}")
    hint = "Debian and Ubuntu have it in the package git, Alpine in git-daemon, Fedora in git-core."
    raise BadInput(Problem(f"this Git has no http-backend ({place})", hint))
