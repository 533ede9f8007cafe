"""What a class got right and wrong: each exercise, each conflict, what is hard, and who worked alike.

All from the ledger: nothing is graded again. Of several attempts the one that counts is taken.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct

from muddled_orchard.classroom.standing import read_class
from muddled_orchard.classroom.tallying import tally_of
from muddled_orchard.commands.options import (
    add_course,
    add_ledger,
    add_table_form,
    course_of,
    ledger_of,
    new_file,
    table_form_of,
)
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.item_figures import ItemStatistics
from muddled_orchard.core.course.likeness import Pair, alike
from muddled_orchard.core.course.tally import Tally
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.system.output import PRIVATE, STDOUT, write_file

if TYPE_CHECKING:
    from muddled_orchard.files.course.course_file import CourseFile

EXAMPLES = (
    "muddled tally",
    "muddled tally --page class.html",
    "muddled tally --picture class.png --csv items.csv",
)

NO_STATISTICS = "Item statistics take pandas: pip install 'muddled-orchard[statistics]'"


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled tally`."""
    parser.add_argument("--page", metavar="FILE", type=new_file, help="write a page that stands alone (HTML)")
    parser.add_argument(
        "--picture",
        metavar="FILE",
        type=new_file,
        help="draw the class; FILE ends in .png or .svg (matplotlib)",
    )
    parser.add_argument(
        "--csv", metavar="FILE", type=new_file, help="write a row an item (CSV); - is standard output"
    )
    add_table_form(parser, excuses=False)
    parser.add_argument("--json", action="store_true", help="print everything as JSON instead")
    add_ledger(parser)
    add_course(parser)


def run(options: argparse.Namespace) -> int:
    """Read the ledger, count, show."""
    table_form_of(options)  # before anything is counted
    if options.json + sum(getattr(options, name) == STDOUT for name in ("page", "csv", "picture")) > 1:
        raise BadInput(Problem("only one thing can go to standard output", "Name a file for the others."))
    course = course_of(options)
    path = ledger_of(options, course)
    ledger = Ledger(path)
    try:
        found = count_class(ledger, course)
    finally:
        ledger.close()
    if not found.counted.totals:
        what = "nobody has handed anything in" if found.handed_out else "nothing was handed out"
        hint = "muddled grade writes down what comes back." if found.handed_out else "muddled handout begins."
        raise BadInput(Problem(f"{what} yet: there is nothing to count", hint, file=str(path)))
    if found.statistics is None:
        print(f"{NO_STATISTICS}. All else is shown without them.", file=sys.stderr)
    written = _write(options, found)
    if options.json:
        from muddled_orchard.commands.tally.as_json import tally_json
        from muddled_orchard.show.json.writing import json_text

        sys.stdout.write(json_text(tally_json(found.counted, found.statistics, found.pairs)))
    elif not written:
        from muddled_orchard.commands.tally.terminal import show_tally
        from muddled_orchard.show.terminal.plain import Plain

        show_tally(Plain(), found.counted, found.statistics, found.pairs)
    return 0


def _write(options: argparse.Namespace, found: Counted) -> bool:
    """Write the files that were asked for; whether there were any."""
    if options.page is not None:
        write_page(found, options.page)
    if options.picture is not None:
        from muddled_orchard.commands.tally.figure import draw_tally

        draw_tally(found.counted, options.picture)
    form = table_form_of(options)
    if form is not None:
        from muddled_orchard.commands.tally.csv import tally_rows
        from muddled_orchard.show.spreadsheet import table_file

        rows = tally_rows(found.counted, found.statistics)
        write_file(options.csv, table_file(rows, form), PRIVATE)
    return any(file is not None for file in (options.page, options.picture, options.csv))


class Counted(Struct, frozen=True):
    """A class counted: whether anything was handed out, what came of it, the item statistics (None: there is
    no pandas), and who worked alike."""

    handed_out: bool
    counted: Tally
    statistics: ItemStatistics | None
    pairs: list[Pair]


def count_class(ledger: Ledger, course: CourseFile | None) -> Counted:
    """Count a class from its ledger."""
    record = read_class(ledger, course)
    counted = tally_of(ledger, record)
    try:
        from muddled_orchard.core.course.items import item_statistics

        statistics = item_statistics(counted) if counted.totals else None
    except ModuleNotFoundError:
        statistics = None
    return Counted(bool(record.given), counted, statistics, alike(record))


def write_page(found: Counted, file: Path) -> None:
    """Write the page of a class."""
    from muddled_orchard.commands.tally.page import tally_page

    page = tally_page(found.counted, found.statistics, found.pairs)
    write_file(file, page.encode("utf-8", "backslashreplace"), PRIVATE)
