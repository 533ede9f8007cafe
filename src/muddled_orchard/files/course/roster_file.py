"""The roster: a CSV file with an id and a name for each learner, and whatever else a course keeps there."""

from __future__ import annotations

import csv
import io
import sys
from codecs import BOM_UTF16_BE, BOM_UTF16_LE
from collections.abc import Mapping
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.course.roster import Columns, Learner, columns_in, is_of_teams, misfits

STDIN = Path("-")


class Roster(Struct, frozen=True):
    """Who takes part, in the order of the file, which columns say so, and what else was taken as it seemed
    to be meant, as sentences."""

    learners: tuple[Learner, ...]
    columns: Columns
    taken: tuple[str, ...] = ()


def columns_from(names: str) -> dict[str, str]:
    """`id=Username,name="Full name"` as a mapping. Raises BadInput for anything else."""
    parts = [part.strip().split("=", 1) for part in names.split(",")]
    found = {part[0]: part[-1].strip().strip('"') for part in parts}
    known = found.keys() <= {"id", "name", "team"}
    if any(len(part) != 2 for part in parts) or not known or not all(found.values()):
        hint = 'Write it as in id=Username,name="Full name", name=First+Last or team=Group.'
        raise BadInput(Problem(f"--roster-columns {names} can't be read", hint))
    return found


def read_roster(path: Path, named: Mapping[str, str] | None = None) -> Roster:
    """The learners of a file, or of standard input (`-`); `named` says which columns hold the `id`, the
    `name` (of several, with + between them) and the `team`.

    It has commas, semicolons or tabs, and is UTF-8, UTF-16 with its mark, or else Windows-1252. Raises
    BadInput with all problems, each with its line.
    """
    try:
        data = sys.stdin.buffer.read() if path == STDIN else path.read_bytes()
    except OSError as error:
        raise BadInput(Problem(f"can't be read: {error.strerror}", file=str(path))) from None
    problems: list[Problem] = []
    taken: list[str] = []
    columns, rows = _rows(_text(data, taken), named or {}, problems, taken)
    problems += misfits(rows)
    if not rows and not problems:
        problems.append(Problem("there is nobody in it", "Write a line for each learner below the heading."))
    if problems:
        raise BadInput([problem.at(str(path), problem.line) for problem in problems])
    return Roster(tuple(learner for _, learner in rows), columns, tuple(taken))


def _text(data: bytes, taken: list[str]) -> str:
    """A file's text, whichever program wrote it; what was only guessed is told."""
    for encoding in ("utf-16",) if data[:2] in (BOM_UTF16_LE, BOM_UTF16_BE) else ("utf-8-sig", "cp1252"):
        try:
            text = data.decode(encoding)
        except UnicodeDecodeError:
            continue
        if encoding == "cp1252":
            taken.append('It is no UTF-8, and was read as Windows-1252; "CSV UTF-8" is sure.')
        return text
    taken.append('It is no UTF-8, and was read as Latin-1; "CSV UTF-8" is sure.')
    return data.decode("latin-1")


def _rows(
    text: str, named: Mapping[str, str], problems: list[Problem], taken: list[str]
) -> tuple[Columns, list[tuple[int, Learner]]]:
    heading = next((line for line in text.splitlines() if line.strip(" ,;\t")), "")
    delimiter = max(",;\t", key=heading.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    rows: list[tuple[int, Learner]] = []
    columns = Columns("id", ())
    try:
        names = next((cells for row in reader if any(cells := [name.strip() for name in row])), [])
        columns = _columns(names, named, problems, reader.line_num or 1)
        if problems:
            return columns, []
        line = reader.line_num + 1
        for row in reader:
            if any(cell.strip() for cell in row):
                if any(cell.strip().casefold() == _NOBODY for cell in row):
                    taken.append(f"Line {line} says what is possible, and is no learner.")
                else:
                    _add(row, names, columns, line, rows, problems)
            line = reader.line_num + 1
    except csv.Error as error:
        problems.append(Problem(f"this is no CSV: {error}", "Check its quotes.", line=reader.line_num))
    return columns, rows


_NOBODY = "points possible"
"""What stands in the row below the headings of a gradebook that a platform exports."""


def _columns(names: list[str], named: Mapping[str, str], problems: list[Problem], line: int) -> Columns:
    lower = {name.casefold(): name for name in reversed(names)}
    wanted = {
        what: [heading] if heading.casefold() in lower or what != "name" else heading.split("+")
        for what, heading in named.items()
    }
    for heading in (heading.strip() for several in wanted.values() for heading in several):
        if heading.casefold() not in lower:
            problems.append(Problem(f'there is no column "{heading}"', likely(heading, names), line=line))
    columns = columns_in(names)
    if columns is None and "id" not in named:
        hint = f"{likely('id', names)} Name it: --roster-columns id=COLUMN,name=COLUMN"
        problems.append(Problem('there is no column "id"', hint, line=line))
    elif (columns is None or not columns.name) and "name" not in named:
        hint = f"{likely('name', names)} Name it: --roster-columns name=COLUMN"
        problems.append(Problem('there is no column "name"', hint, line=line))
    if problems:
        return Columns("id", ())
    found = {what: tuple(lower[it.strip().casefold()] for it in several) for what, several in wanted.items()}
    id_ = found["id"][0] if "id" in found else columns.id if columns else ""
    name = found.get("name", columns.name if columns else ())
    team = found["team"][0] if "team" in found else next(filter(is_of_teams, names), "")
    guessed = columns is not None and columns.guessed and not {"id", "name"} <= named.keys()
    return Columns(id_, name, guessed, team)


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
    id_ = found[columns.id]
    if id_.startswith("#"):  # as some platforms write it, so that a spreadsheet takes it for text
        more[columns.id], id_ = id_, id_.removeprefix("#")
    if columns.team and not is_of_teams(columns.team):
        more["team"] = found[columns.team]
    rows.append((line, Learner(id_, name or id_, more)))
