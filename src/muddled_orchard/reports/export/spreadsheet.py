"""CSV for spreadsheets, in which nothing becomes a formula."""

from __future__ import annotations

import csv
import io
import unicodedata
from collections.abc import Iterable

from muddled_orchard.reports.terminal.console import printable

_FORMULA = ("=", "+", "-", "@")


def csv_text(rows: Iterable[Iterable[object]]) -> str:
    """Rows as CSV, each value as a safe cell."""
    out = io.StringIO(newline="")
    csv.writer(out, lineterminator="\n").writerows([cell(value) for value in row] for row in rows)
    return out.getvalue()


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
