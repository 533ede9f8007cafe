"""CSV for spreadsheets, in which nothing becomes a formula."""

from __future__ import annotations

import csv
import io
import shlex
import unicodedata
from collections.abc import Iterable, Iterator, Mapping, Sequence

from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.show.terminal.characters import printable

Rows = Iterable[Sequence[object]]
"""A table: the names of its columns, then its rows."""

BYTE_ORDER_MARK = "\ufeff"
"""What some spreadsheets take for the sign that a file is UTF-8."""

EXCUSED = object()
"""What stands in a table where somebody is excused."""

_FORMULA = ("=", "+", "-", "@")


class TableForm(Struct, frozen=True, kw_only=True):
    """How a table is written as CSV: which columns under which headings (None: all), what stands between
    cells, what a number's fraction begins with, what stands where somebody is excused, and whether it begins
    with a byte order mark."""

    columns: Mapping[str, str] | None = None
    delimiter: str = ","
    decimal: str = "."
    excused: str = ""
    bom: bool = False


PLAIN = TableForm()


def table_file(rows: Rows, form: TableForm = PLAIN) -> bytes:
    """A table as a file, each value as a safe cell. Raises BadInput for a column that there isn't."""
    out = io.StringIO(newline="")
    asked = rows if form.columns is None else mapped(rows, form.columns)
    writer = csv.writer(out, delimiter=form.delimiter, lineterminator="\n")
    writer.writerows([_written(value, form) for value in row] for row in asked)
    return f"{BYTE_ORDER_MARK if form.bom else ''}{out.getvalue()}".encode("utf-8", "backslashreplace")


def _written(value: object, form: TableForm) -> object:
    if value is EXCUSED:
        return cell(form.excused)
    if isinstance(value, float) and form.decimal != ".":
        return str(value).replace(".", form.decimal)
    return cell(value)


def columns_asked(text: str) -> dict[str, str]:
    """`Username=id,"Final grade"=total` as a mapping from headings to columns of ours.

    Raises BadInput for anything else.
    """
    lexer = shlex.shlex(text, posix=True, punctuation_chars=False)
    lexer.whitespace, lexer.whitespace_split, lexer.commenters = ",", True, ""
    lexer.quotes = '"'
    try:
        parts = [part.rpartition("=") for part in lexer]
    except ValueError:
        parts = [("", "", "")]
    found = {heading.strip(): column.strip() for heading, _, column in parts}
    if not parts or not all(found) or not all(found.values()) or len(found) != len(parts):
        hint = 'Write it as in Username=id,"Final grade"=total.'
        raise BadInput(Problem(f"--columns {text} can't be read", hint))
    return found


def mapped(rows: Rows, columns: Mapping[str, str]) -> Iterator[Sequence[object]]:
    """A table with these columns alone, in this order, under their new headings. Raises BadInput for a column
    that there isn't."""
    table = iter(rows)
    names = list(next(table))
    for column in columns.values():
        if column not in names:
            raise BadInput(Problem(f'there is no column "{column}"', likely(column, map(str, names))))
    places = [names.index(column) for column in columns.values()]
    yield list(columns)
    for row in table:
        yield [row[place] for place in places]


def cell(value: object) -> object:
    """A value that no spreadsheet takes for a formula: such text gets an apostrophe before it.

    Names come from whoever handed in. Some spreadsheets pass over spaces at the beginning, and take the wide
    forms of East Asian scripts (`＝`) and other forms of a sign for the sign itself.
    """
    if not isinstance(value, str):
        return value
    text = printable(value)
    begins_as = unicodedata.normalize("NFKC", text).lstrip()
    return f"'{text}" if begins_as.startswith(_FORMULA) else text
