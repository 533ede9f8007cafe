"""Git's smart HTTP by Git's own `git http-backend`: each request a process, under settings of ours alone.

What comes and what goes lies in files without a name, so a client that is slow keeps no process waiting. Of
a request Git sees a path that we wrote, three headers that have the shape they must have, and the body.
"""

from __future__ import annotations

import asyncio
import os
import signal
import subprocess
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import IO, Literal

from msgspec import Struct

from muddled_orchard.commands.host.held import Held, HeldFile
from muddled_orchard.commands.host.turns import Turns
from muddled_orchard.core.base.limits import LARGEST_OBJECT, Bounds
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.system.processes import bounded_command
from muddled_orchard.vcs.ask import git

Service = Literal["git-upload-pack", "git-receive-pack"]

_PROTOCOL = pattern(r"[a-z0-9=:.-]{1,64}")
_VERSION_2 = "version=2"
_OF_ONE = 2
"""How many processes of Git one person may have at once."""

_REPACK = ("repack", "-a", "-d", "--keep-unreachable", "-q")
_PACKED_WITHIN = 120.0

_MOST_SAID, _SAID_WITHIN = 1 << 20, 3.0
"""The most bytes and seconds of an answer about branches, and of what Git writes for it."""

_SLOW = 10.0
"""Seconds that Git may have worked for somebody of late before they wait behind the others."""

_GRACE = 5.0
"""Seconds that Git has to tidy up when it is told to end."""

_SETTINGS = (
    ("core.hooksPath", os.devnull),
    ("gc.auto", "0"),  # whatever was pushed can be graded, however late
    ("core.bigFileThreshold", str(LARGEST_OBJECT)),  # what is larger is never held in memory whole
    ("core.deltaBaseCacheLimit", "32m"),
    ("pack.threads", "1"),  # each thread takes memory of its own
    ("pack.windowMemory", "64m"),
    ("transfer.unpackLimit", "100"),  # a small push lies there as files, which no process has to look through
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
    """A request of somebody: the repository's path below the folder of all, the service, whether its refs are
    asked for, the client's version of the protocol as it says, the content type, and the body with its
    size."""

    who: str
    place: str
    service: Service
    refs: bool
    protocol: str = ""
    kind: str = ""
    body: IO[bytes] | None = None
    size: int = 0


class GitAnswer(Struct, frozen=True):
    """What Git answered: the status, headers, and the body; a file stands where that begins."""

    status: int
    headers: tuple[tuple[str, str], ...]
    body: HeldFile | bytes


class NoAnswer(Exception):
    """Git did not answer: it took too long, or could not be begun."""


class GitService:
    """`git http-backend` over the repositories in a folder, at most so many processes at a time, and few of
    one person. Each is bounded in time, memory and what it writes."""

    def __init__(self, root: Path, bounds: Bounds, at_once: int, held: Held, largest: int) -> None:
        """`largest` is the most bytes that an answer, or a file of a repository, may have."""
        self._root, self._bounds, self._held, self._largest = root, bounds, held, largest
        self.turns = Turns(at_once, _OF_ONE, slow=_SLOW)
        self._command = bounded_command(bounds.memory, largest, http_backend())
        self._capabilities: GitAnswer | None = None
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
        """What Git answers. Raises NoAnswer, and Refused where too much is held for whoever asks.

        The first answer to a client of protocol version 2 tells what this Git can, and nothing of the
        repository: it is asked for once.
        """
        is_first = request.refs and request.service == "git-upload-pack" and request.protocol == _VERSION_2
        if is_first and self._capabilities is not None:
            return self._capabilities
        async with self.turns.turn(request.who):
            answer = await self._run(request, behind=self.turns.is_slow(request.who))
        if is_first and answer.status == 200:
            self._capabilities = GitAnswer(answer.status, answer.headers, all_of(answer))
            return self._capabilities
        return answer

    async def pack_anew(self, place: str) -> bool:
        """Pack all objects of a repository together, behind everything else, and throw none away; whether
        that was done."""
        words = ("git", "-C", f"{self._root}/{place}", *_REPACK)
        command = bounded_command(self._bounds.memory, self._largest, *words)
        try:
            # Where there is no pack yet the first time leaves out what no ref leads to.
            return await self._done(command) and await self._done(command)
        except (TimeoutError, OSError):
            return False

    async def asked(
        self, who: str, place: str, words: Sequence[str], *, objects: str | None = None
    ) -> bytes | None:
        """What Git says of a repository, for somebody; new objects go into the folder `objects`, where one is
        named. None where it takes too long, can't be begun, or says nothing that could be read."""
        command = bounded_command(self._bounds.memory, _MOST_SAID, "git", *words)
        there = f"{self._root}/{place}"
        more = {"GIT_DIR": there}
        if objects is not None:
            more |= {"GIT_OBJECT_DIRECTORY": objects, "GIT_ALTERNATE_OBJECT_DIRECTORIES": f"{there}/objects"}
        async with self.turns.turn(who):
            try:
                process = await asyncio.create_subprocess_exec(
                    *command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
                    env=self._environment | more, start_new_session=True,
                )  # fmt: skip
            except OSError:
                return None
            try:
                said, _ = await asyncio.wait_for(process.communicate(), _SAID_WITHIN)
            except TimeoutError:
                return None
            finally:
                await _end(process)
        return said if process.returncode in (0, 1) and len(said) <= _MOST_SAID else None

    async def _done(self, command: Sequence[str]) -> bool:
        process = await asyncio.create_subprocess_exec(
            "nice", *command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL, env=self._environment, start_new_session=True,
        )  # fmt: skip
        try:
            return await asyncio.wait_for(process.wait(), _PACKED_WITHIN) == 0
        finally:
            await _end(process)

    async def _run(self, request: GitRequest, *, behind: bool) -> GitAnswer:
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
        command = ["nice", *self._command] if behind else self._command
        said = HeldFile(self._held, request.who)  # whoever reads the answer closes it
        try:
            process = await asyncio.create_subprocess_exec(
                *command, stdin=request.body or subprocess.DEVNULL, stdout=said.file,
                stderr=subprocess.DEVNULL, env=environment, start_new_session=True,
            )  # fmt: skip
            try:
                await asyncio.wait_for(process.wait(), self._bounds.seconds)
            finally:
                await _end(process)
            said.count()
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


def all_of(answer: GitAnswer) -> bytes:
    """The body of an answer, which is let go of."""
    if isinstance(answer.body, bytes):
        return answer.body
    try:
        return answer.body.file.read()
    finally:
        answer.body.close()


def _parsed(said: HeldFile) -> GitAnswer:
    """An answer as CGI has it (RFC 3875): headers, an empty line, the body."""
    status, headers = 200, []
    while (line := said.file.readline(65_536).strip()) != b"":
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
