"""The roster: a CSV file with an id and a name for each learner, and whatever else a course keeps there."""

from __future__ import annotations

import csv
import io
import sys
from collections.abc import Mapping
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.course.roster import Columns, Learner, columns_in, misfits

STDIN = Path("-")


class Roster(Struct, frozen=True):
    """Who takes part, in the order of the file, and which columns say so."""

    learners: tuple[Learner, ...]
    columns: Columns


def columns_from(names: str) -> dict[str, str]:
    """`id=Username,name="Full name"` as a mapping. Raises BadInput for anything else."""
    parts = [part.strip().split("=", 1) for part in names.split(",")]
    found = {part[0]: part[-1].strip().strip('"') for part in parts}
    if any(len(part) != 2 for part in parts) or not found.keys() <= {"id", "name"} or not all(found.values()):
        hint = 'Write it as in id=Username,name="Full name".'
        raise BadInput(Problem(f"--roster-columns {names} can't be read", hint))
    return found


def read_roster(path: Path, named: Mapping[str, str] | None = None) -> Roster:
    """The learners of a file, or of standard input (`-`); `named` says which columns hold the `id` and the
    `name`.

    It is UTF-8, with or without a byte order mark, with commas, semicolons or tabs. Raises BadInput with all
    problems, each with its line.
    """
    try:
        data = sys.stdin.buffer.read() if path == STDIN else path.read_bytes()
    except OSError as error:
        raise BadInput(Problem(f"can't be read: {error.strerror}", file=str(path))) from None
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        hint = 'Save the file as "CSV UTF-8".'
        raise BadInput(Problem("this is no UTF-8", hint, file=str(path), line=line)) from None
    problems: list[Problem] = []
    columns, rows = _rows(text, named or {}, problems)
    problems += misfits(rows)
    if not rows and not problems:
        problems.append(Problem("there is nobody in it", "Write a line for each learner below the heading."))
    if problems:
        raise BadInput([problem.at(str(path), problem.line) for problem in problems])
    return Roster(tuple(learner for _, learner in rows), columns)


def _rows(
    text: str, named: Mapping[str, str], problems: list[Problem]
) -> tuple[Columns, list[tuple[int, Learner]]]:
    heading = next(iter(text.splitlines()), "")
    delimiter = max(",;\t", key=heading.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    rows: list[tuple[int, Learner]] = []
    columns = Columns("id", ())
    try:
        names = [name.strip() for name in next(reader, [])]
        columns = _columns(names, named, problems)
        if problems:
            return columns, []
        line = reader.line_num + 1
        for row in reader:
            if any(cell.strip() for cell in row):
                _add(row, names, columns, line, rows, problems)
            line = reader.line_num + 1
    except csv.Error as error:
        problems.append(Problem(f"this is no CSV: {error}", "Check its quotes.", line=reader.line_num))
    return columns, rows


def _columns(names: list[str], named: Mapping[str, str], problems: list[Problem]) -> Columns:
    lower = {name.casefold(): name for name in reversed(names)}
    for heading in named.values():
        if heading.casefold() not in lower:
            problems.append(Problem(f'there is no column "{heading}"', likely(heading, names), line=1))
    columns = columns_in(names)
    if columns is None and "id" not in named:
        hint = f"{likely('id', names)} Name it: --roster-columns id=COLUMN,name=COLUMN"
        problems.append(Problem('there is no column "id"', hint, line=1))
    elif (columns is None or not columns.name) and "name" not in named:
        hint = f"{likely('name', names)} Name it: --roster-columns name=COLUMN"
        problems.append(Problem('there is no column "name"', hint, line=1))
    if problems:
        return Columns("id", ())
    id_ = lower[named["id"].casefold()] if "id" in named else columns.id if columns else ""
    name = (lower[named["name"].casefold()],) if "name" in named else columns.name if columns else ()
    return Columns(id_, name, columns is not None and columns.guessed and not {"id", "name"} <= named.keys())


def _add(
    row: list[str], names: list[str], columns: Columns, line: int, rows: list[tuple[int, Learner]],
    problems: list[Problem],
) -> None:  # fmt: skip
    if len(row) > len(names):
        what = f"this line has {len(row)} cells, and the heading {len(names)}"
        problems.append(Problem(what, "Put quotes around what holds a comma.", line=line))
        return
    cells = [cell.strip() for cell in row] + [""] * (len(names) - len(row))
    found = dict(zip(names, cells, strict=True))
    name = " ".join(found[column] for column in columns.name if found[column])
    more = {key: cell for key, cell in found.items() if key != columns.id and key not in columns.name}
    rows.append((line, Learner(found[columns.id], name or found[columns.id], more)))
