"""The one way to write a file: all of it or nothing, and never through something that is no plain file."""

from __future__ import annotations

import os
import stat
import sys
import tempfile
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.system.temporary import IN_THE_MAKING, hold

STDOUT = Path("-")
"""What stands for standard output where a file is named."""

PUBLIC, PRIVATE = 0o666, 0o600
"""The modes of new files, before the umask: as files are made, and for the owner alone."""


def write_file(path: Path, data: bytes, mode: int = PUBLIC) -> None:
    """Put a file in place whole, or leave everything as it was.

    An existing file keeps its mode; a new one gets `mode` less the umask. `-` is standard output. Raises
    BadInput where it can't be written, and for a link, a device, a pipe or a folder, which would be replaced.
    """
    if path == STDOUT:
        _write_to_stdout(data)
        return
    try:
        kept = _mode_of_plain_file(path)
        path.parent.mkdir(parents=True, exist_ok=True)
        _place(path, data, mode & ~umask() if kept is None else kept, new=False)
    except OSError as error:
        raise _cant_be_written(error, path) from None


def write_new_file(path: Path, data: bytes) -> None:
    """Write a file that must not exist yet, whole or not at all. `-` is standard output. Raises BadInput
    where that can't be."""
    if path == STDOUT:
        _write_to_stdout(data)
        return
    try:
        _place(path, data, PUBLIC & ~umask(), new=True)
    except FileExistsError:
        hint = "Name a new one; nothing was written."
        raise BadInput(Problem("this file exists already", hint, file=str(path))) from None
    except OSError as error:
        raise _cant_be_written(error, path) from None


def tell(text: str) -> None:
    """Tell whoever runs this something beside the results: a line on standard error."""
    print(text, file=sys.stderr)


def write_all(descriptor: int, data: bytes) -> None:
    """Write everything to an open file: the system may take less at a time. Raises OSError."""
    left = memoryview(data)
    while left:
        left = left[os.write(descriptor, left) :]


def make_private(path: Path) -> None:
    """Make an empty file that only its owner may read, where there is none. Raises OSError."""
    os.close(os.open(path, os.O_RDWR | os.O_CREAT, PRIVATE))


def _mode_of_plain_file(path: Path) -> int | None:
    try:
        mode = os.lstat(path).st_mode
    except FileNotFoundError:
        return None
    if not stat.S_ISREG(mode):
        kind = "a link" if stat.S_ISLNK(mode) else "a folder" if stat.S_ISDIR(mode) else "no plain file"
        hint = "Name a plain file, or - for standard output; nothing was written."
        raise BadInput(Problem(f"this is {kind}", hint, file=str(path)))
    return stat.S_IMODE(mode)


def _place(path: Path, data: bytes, mode: int, *, new: bool) -> None:
    descriptor, name = tempfile.mkstemp(prefix=IN_THE_MAKING, dir=path.parent)
    try:
        try:
            hold(descriptor)
            write_all(descriptor, data)
            os.chmod(name, mode)  # noqa: PTH101 - it is a name, from mkstemp
        finally:
            os.close(descriptor)
        if new:
            os.link(name, path)  # unlike renaming, it never replaces what is there
        else:
            os.replace(name, path)  # noqa: PTH105
            name = ""
    finally:
        if name:
            os.unlink(name)  # noqa: PTH108


def _write_to_stdout(data: bytes) -> None:
    sys.stdout.flush()
    sys.stdout.buffer.write(data)
    sys.stdout.buffer.flush()


def _cant_be_written(error: OSError, path: Path) -> BadInput:
    reason = error.strerror or str(error)
    return BadInput(Problem(f"can't be written: {reason}", "Nothing that was there is lost.", file=str(path)))


def umask() -> int:
    """The bits that new files of this process don't get."""
    mask = os.umask(0)
    os.umask(mask)
    return mask
