"""Run a command over files that nobody vouches for: in a sandbox of bubblewrap, with bounds on everything.

The command sees a fresh copy of the files in memory, the programs of `/usr` read-only, and nothing else of
the system: no network, no home, no other process. When it ends, or is ended, everything that it began ends
too.
"""

from __future__ import annotations

import contextlib
import functools
import os
import selectors
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.limits import MIB, in_mib
from muddled_orchard.system.memory_use import memory_below
from muddled_orchard.system.syscall_filter import refusing_filter

MOST_MEMORY, MOST_FILES_SIZE, MOST_SHARED = 512 * MIB, 64 * MIB, 16 * MIB
"""The most memory of everything together, of all files that are written in a folder, and of memory that
processes share, in bytes."""

MOST_PROCESSES, MOST_OPEN_FILES, MOST_OUTPUT = 64, 256, MIB
"""The most processes at once, the most files that one may have open, and the most that is written to standard
output, in bytes."""

_NOBODY = 65534
_KEPT = 16 << 10
_LAST = 5.0

_LOOK = 0.05
"""Seconds between two looks at what everything together holds."""

_IN_MEMORY = ("/tmp", "/result", "/dev/shm")  # noqa: S108 - of the sandbox
"""Folders of the sandbox that lie in memory."""

_SEEN = ("--ro-bind", "/usr", "/usr")
_LINKS = (("usr/bin", "/bin"), ("usr/sbin", "/sbin"), ("usr/lib", "/lib"), ("usr/lib64", "/lib64"))


class NoSandbox(Exception):
    """There is no sandbox here; the message says why, and what to do."""


class Ended(Struct, frozen=True):
    """How a command ended: its exit code (negative: the signal that ended it), the end of what it wrote to
    standard output and standard error, and which bound ended it, in words, if one did."""

    code: int
    output: str
    bound: str = ""


def run(folder: Path, command: Sequence[str], seconds: float) -> Ended:
    """Run a command in a copy of a folder. The folder must be readable by whoever runs it (`readable`).

    Raises NoSandbox where that can't be done safely.
    """
    if reason := _why_not():
        raise NoSandbox(reason)
    return _run(folder, command, seconds)


def readable(folder: Path) -> None:
    """Let a folder be read in the sandbox, by nobody else than before. Raises NoSandbox."""
    if os.geteuid() == 0:
        try:
            for path in (folder, *folder.rglob("*")):
                os.chown(path, _NOBODY, _NOBODY, follow_symlinks=False)
        except OSError:  # in a container of somebody who has one user id alone
            what = "nothing is run as root, and here is no other user: run muddled as another one"
            raise NoSandbox(what) from None


@functools.cache
def _why_not() -> str:
    """Why there is no sandbox, or nothing where there is one."""
    if sys.platform != "linux":
        return "there is a sandbox on Linux only"
    if shutil.which("bwrap") is None:
        return "bubblewrap is not installed (apt install bubblewrap)"
    try:
        ended = _run(None, ("/bin/sh", "-c", "exit 7"), 10)
    except OSError as error:
        return f"bubblewrap can't be run: {error.strerror}"
    if ended.code == 7:
        return ""
    said = " ".join(ended.output.split())[:160] or f"exit code {ended.code}"
    return f"bubblewrap can't make a sandbox here: {said}"


def _run(folder: Path | None, command: Sequence[str], seconds: float) -> Ended:
    # The count of processes that a user may have is of all of that user's, on some systems.
    processes = MOST_PROCESSES + _processes_of(_NOBODY if os.geteuid() == 0 else os.geteuid())
    # -f counts in blocks of 512 bytes, -v in KiB.
    begin = f"ulimit -c 0; ulimit -f {MOST_FILES_SIZE >> 9}; ulimit -n {MOST_OPEN_FILES}; "
    begin += f"ulimit -t {int(seconds) + 1}; ulimit -v {MOST_MEMORY >> 10}; "
    begin += f"ulimit -p {processes} 2>/dev/null || ulimit -u {processes}; "
    begin += 'cp -R /given/. /result && exec "$@"' if folder is not None else 'exec "$@"'
    links = [
        word for target, place in _LINKS if Path(place).exists() for word in ("--symlink", target, place)
    ]
    given = ("--ro-bind", str(folder), "/given") if folder is not None else ()
    reading = _filter()
    filtering = ("--seccomp", str(reading)) if reading is not None else ()
    arguments = (
        *("bwrap", "--unshare-all", "--unshare-user", "--disable-userns", "--die-with-parent"),
        *("--new-session", "--clearenv", "--cap-drop", "ALL", *_SEEN, *links),
        *("--proc", "/proc", "--dev", "/dev", "--size", str(MOST_FILES_SIZE), "--tmpfs", "/tmp"),  # noqa: S108 - its own
        *("--size", str(MOST_FILES_SIZE), "--tmpfs", "/result", *given, "--chdir", "/result"),
        *("--size", str(MOST_SHARED), "--tmpfs", "/dev/shm", "--remount-ro", "/dev"),  # noqa: S108 - its own
        *filtering,
        *("--setenv", "PATH", "/usr/local/bin:/usr/bin:/bin", "--setenv", "HOME", "/tmp"),  # noqa: S108 - its own
        *("--setenv", "LANG", "C.UTF-8", "--setenv", "PYTHONDONTWRITEBYTECODE", "1"),
        *("/bin/sh", "-c", begin, "sh", *command),
    )
    other = _NOBODY if os.geteuid() == 0 else None
    try:
        process = subprocess.Popen(
            arguments,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            env={"PATH": os.environ.get("PATH", os.defpath)},
            cwd="/",
            start_new_session=True,
            user=other,
            group=other,
            extra_groups=None if other is None else (),
            pass_fds=() if reading is None else (reading,),
        )
    finally:
        if reading is not None:
            os.close(reading)
    with process:
        return _watched(process, seconds)


def _filter() -> int | None:
    """An open file with the filter of system calls; None where this machine's calls are not known."""
    program = refusing_filter()
    if program is None:
        return None
    reading, writing = os.pipe()
    os.write(writing, program)  # far less than a pipe holds
    os.close(writing)
    return reading


def _watched(process: subprocess.Popen[bytes], seconds: float) -> Ended:
    """Read what a process writes until it ends, or until a bound ends it and all that it began."""
    assert process.stdout is not None  # noqa: S101 - it was begun with a pipe
    begun = time.monotonic()
    written, kept, bound, look_at, reads = 0, b"", "", begun + _LOOK, True
    with selectors.DefaultSelector() as selector:
        selector.register(process.stdout, selectors.EVENT_READ)
        while not bound:
            now = time.monotonic()
            if now - begun >= seconds:
                bound = f"it took more than {seconds:g} s"
            elif now >= look_at:
                look_at = now + _LOOK
                if memory_below(process.pid, _IN_MEMORY) > MOST_MEMORY:
                    bound = f"it held more than {in_mib(MOST_MEMORY)} of memory"
            elif not reads:  # it closed its output and goes on
                if _ends_within(process, min(_LOOK, begun + seconds - now)):
                    break
            elif selector.select(min(look_at - now, begun + seconds - now)):
                piece = os.read(process.stdout.fileno(), 1 << 16)
                reads = bool(piece)
                written += len(piece)
                kept = (kept + piece)[-_KEPT:]
                if written > MOST_OUTPUT:
                    bound = f"it wrote more than {in_mib(MOST_OUTPUT)}"
    if bound:
        _end(process)
    code = process.wait()
    # A shell says 128 and the signal's number where a signal ended what it began.
    return Ended(128 - code if code > 128 else code, kept.decode("utf-8", "replace"), bound)


def _ends_within(process: subprocess.Popen[bytes], seconds: float) -> bool:
    try:
        process.wait(max(0.0, seconds))
    except subprocess.TimeoutExpired:
        return False
    return True


def _end(process: subprocess.Popen[bytes]) -> None:
    """End a process, and wait until all that it began has ended: what it wrote to is closed then."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(process.pid, signal.SIGKILL)
    process.kill()
    deadline = time.monotonic() + _LAST
    output = process.stdout.fileno() if process.stdout else -1
    with selectors.DefaultSelector() as selector:
        selector.register(output, selectors.EVENT_READ)
        while (left := deadline - time.monotonic()) > 0:
            if selector.select(left) and not os.read(output, 1 << 16):
                break


def _processes_of(user: int) -> int:
    """How many processes a user has."""
    found = 0
    with os.scandir("/proc") as entries:
        for entry in entries:
            if entry.name.isdigit():
                with contextlib.suppress(OSError):
                    found += entry.stat().st_uid == user
    return found
