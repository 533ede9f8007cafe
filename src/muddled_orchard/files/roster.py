"""The roster: a CSV file with the columns id and name, and whatever else a course keeps there."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from muddled_orchard.core.problems import BadInput, Problem, likely
from muddled_orchard.core.roster import Learner, misfits


def read_roster(path: Path) -> list[Learner]:
    """The learners, in the order of the file.

    It is UTF-8, with or without a byte order mark, with commas or semicolons. Raises BadInput with all
    problems, each with its line.
    """
    try:
        data = path.read_bytes()
    except OSError as error:
        raise BadInput(Problem(f"can't be read: {error.strerror}", file=str(path))) from None
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        hint = 'Save the file as "CSV UTF-8".'
        raise BadInput(Problem("this is no UTF-8", hint, file=str(path), line=line)) from None
    problems: list[Problem] = []
    rows = _rows(text, problems)
    problems += misfits(rows)
    if not rows and not problems:
        problems.append(Problem("there is nobody in it", "Write a line for each learner below the heading."))
    if problems:
        raise BadInput([problem.at(str(path), problem.line) for problem in problems])
    return [learner for _, learner in rows]


def _rows(text: str, problems: list[Problem]) -> list[tuple[int, Learner]]:
    heading = next(iter(text.splitlines()), "")
    delimiter = ";" if heading.count(";") > heading.count(",") else ","
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    rows: list[tuple[int, Learner]] = []
    try:
        columns = [name.strip() for name in next(reader, [])]
        lower = [name.casefold() for name in columns]
        for wanted in ("id", "name"):
            if wanted not in lower:
                problems.append(Problem(f'there is no column "{wanted}"', likely(wanted, columns), line=1))
        if problems:
            return []
        line = reader.line_num + 1
        for row in reader:
            if any(cell.strip() for cell in row):
                _add(row, columns, lower, line, rows, problems)
            line = reader.line_num + 1
    except csv.Error as error:
        problems.append(Problem(f"this is no CSV: {error}", "Check its quotes.", line=reader.line_num))
    return rows


def _add(
    row: list[str], columns: list[str], lower: list[str], line: int, rows: list[tuple[int, Learner]],
    problems: list[Problem],
) -> None:  # fmt: skip
    if len(row) > len(columns):
        said = f"this line has {len(row)} cells, and the heading {len(columns)}"
        problems.append(Problem(said, "Put quotes around what holds a comma.", line=line))
        return
    cells = [cell.strip() for cell in row] + [""] * (len(columns) - len(row))
    found = dict(zip(lower, cells, strict=True))
    more = {
        name: cell for name, cell in zip(columns, cells, strict=True) if name.casefold() not in ("id", "name")
    }
    rows.append((line, Learner(found["id"], found["name"] or found["id"], more)))
