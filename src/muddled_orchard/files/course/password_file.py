"""The list of a class's passwords, as an instructor keeps and prints it: CSV with an id, a name and the
password for each."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.passwords import GivenPassword
from muddled_orchard.system.output import PRIVATE, write_file

_COLUMNS = ("id", "name", "password")


def read_passwords(path: Path) -> dict[str, str]:
    """The passwords in a list, by id; none where there is no such file. Raises BadInput where it is no such
    list, so that nothing else is overwritten."""
    if not path.exists():
        return {}
    try:
        rows = list(csv.reader(io.StringIO(path.read_text("utf-8-sig"))))
    except (OSError, ValueError, csv.Error) as error:
        raise _no_list(path, str(error)) from None
    if not rows or tuple(rows[0]) != _COLUMNS or any(len(row) != len(_COLUMNS) for row in rows):
        raise _no_list(path, f"its columns are not {', '.join(_COLUMNS)}")
    return {row[0]: row[2] for row in rows[1:]}


def write_passwords(path: Path, passwords: Sequence[GivenPassword]) -> None:
    """Write a list, which nobody else may read. Raises BadInput."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    writer.writerows((password.id, password.name, password.password) for password in passwords)
    write_file(path, out.getvalue().encode(), PRIVATE)


def _no_list(path: Path, why: str) -> BadInput:
    hint = "Name a new file, or the list that muddled host has written."
    return BadInput(Problem(f"this is no list of passwords: {why}", hint, file=str(path)))
