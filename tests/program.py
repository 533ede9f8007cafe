"""The program, run in processes that are forked from one which has loaded it already.

Starting Python and loading what a command needs takes longer than most commands do. Whatever is about starting
and stopping itself is tested with `PROGRAM`, as it is installed.
"""

from __future__ import annotations

import functools
import gc
import importlib
import json
import os
import pkgutil
import subprocess
import sys
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import muddled_orchard

_LARGE = ("core.course.items", "show.figures.png")
"""pandas and Matplotlib take half of the memory, and forking takes twice as long with them: they are loaded in a
process of their own, for the commands that need them."""

_LOADED_LATE = ("email.header", "logging.handlers", "pebble", "platformdirs", "pygit2", "tarfile", "zipfile")
"""What the program loads where it is used: not anew in each process."""


def run(
    arguments: Sequence[str], folder: Path | None, environment: Mapping[str, str]
) -> subprocess.CompletedProcess[str]:
    """Run `muddled` with arguments in a folder, as `subprocess.run` would."""
    with tempfile.TemporaryFile("w+") as out, tempfile.TemporaryFile("w+") as err:
        asked = {
            "arguments": arguments,
            "folder": str(folder or Path.cwd()),
            "environment": dict(environment),
            "streams": [f"/proc/{os.getpid()}/fd/{stream.fileno()}" for stream in (out, err)],
        }
        code = _ask(asked)
        out.seek(0)
        err.seek(0)
        return subprocess.CompletedProcess(["muddled", *arguments], code, out.read(), err.read())


@functools.cache
def _server(*large: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "tests.program", *large],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parent.parent,
    )  # fmt: skip


def _ask(asked: dict[str, Any]) -> int:
    server = _server(*_LARGE) if asked["arguments"][:1] == ["tally"] else _server()
    assert server.stdin is not None
    assert server.stdout is not None
    print(json.dumps(asked), file=server.stdin, flush=True)
    return int(server.stdout.readline())


def _serve(*large: str) -> None:
    """Load everything, of what is large only what is named; then run what each line on standard input asks for, and
    answer with the exit code."""
    for module in pkgutil.walk_packages(muddled_orchard.__path__, "muddled_orchard."):
        if not module.name.endswith(("__main__", *_LARGE)):
            importlib.import_module(module.name)
    for name in (*_LOADED_LATE, *(f"muddled_orchard.{name}" for name in large)):
        importlib.import_module(name)
    gc.freeze()  # what is loaded by now stays, and is not looked through again in every fork
    for line in sys.stdin:
        child = os.fork()
        if not child:
            _run(**json.loads(line))
        _, status = os.waitpid(child, 0)
        print(os.waitstatus_to_exitcode(status), flush=True)


def _run(arguments: list[str], folder: str, environment: dict[str, str], streams: list[str]) -> None:
    from muddled_orchard.cli import main

    for number, stream in enumerate((os.devnull, *streams)):
        opened = os.open(stream, os.O_RDWR)
        os.dup2(opened, number)
        os.close(opened)
    os.chdir(folder)
    os.environ.clear()
    os.environ.update(environment)
    sys.argv = ["muddled", *arguments]
    try:
        code: Any = main()
    except SystemExit as left:
        code = left.code
    sys.stdout.flush()
    sys.stderr.flush()
    # Taking down all that was loaded before the fork would take longer than most commands do.
    os._exit(code if isinstance(code, int) else int(code is not None))


if __name__ == "__main__":
    _serve(*sys.argv[1:])
