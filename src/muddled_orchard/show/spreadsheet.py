"""CSV for spreadsheets, in which nothing becomes a formula."""

from __future__ import annotations

import csv
import io
import shlex
import unicodedata
from collections.abc import Iterable, Iterator, Mapping, Sequence

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.show.terminal.characters import printable

Rows = Iterable[Sequence[object]]
"""A table: the names of its columns, then its rows."""

BYTE_ORDER_MARK = "\ufeff"
"""What some spreadsheets take for the sign that a file is UTF-8."""

_FORMULA = ("=", "+", "-", "@")


def csv_text(rows: Iterable[Iterable[object]]) -> str:
    """Rows as CSV, each value as a safe cell."""
    out = io.StringIO(newline="")
    csv.writer(out, lineterminator="\n").writerows([cell(value) for value in row] for row in rows)
    return out.getvalue()


def table_file(rows: Rows, columns: Mapping[str, str] | None, *, bom: bool) -> bytes:
    """A table as a file: with these columns alone (None: all), and with a byte order mark where that is asked
    for."""
    text = csv_text(rows if columns is None else mapped(rows, columns))
    return f"{BYTE_ORDER_MARK if bom else ''}{text}".encode("utf-8", "backslashreplace")


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
