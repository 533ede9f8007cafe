"""Show what the course's database holds, or export it."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from muddled_orchard.classroom.standing import read_class
from muddled_orchard.commands.ledger.as_json import ledger_json
from muddled_orchard.commands.ledger.course_csv import COURSE_TABLES, course_rows
from muddled_orchard.commands.ledger.course_terminal import show_totals
from muddled_orchard.commands.ledger.csv import TABLES, ledger_rows
from muddled_orchard.commands.ledger.terminal import show_ledger
from muddled_orchard.commands.options import (
    add_course,
    add_ledger,
    add_table_form,
    course_of,
    ledger_of,
    on_disk,
    table_form_of,
)
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.grading.unseen import UNSEEN
from muddled_orchard.files.course.course_file import CourseFile
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.show.json.writing import json_text
from muddled_orchard.show.spreadsheet import (
    Rows,
    TableForm,
    table_file,
)
from muddled_orchard.show.terminal.console import console
from muddled_orchard.system.output import PRIVATE, write_file

BY_ITSELF_WORD = "default"

EXAMPLES = (
    "muddled ledger",
    "muddled ledger --csv grades.csv --table totals",
    "muddled ledger --csv in.csv --table totals --columns Login=id,Grade=total",
    "muddled ledger --forget ada",
    "muddled ledger --backup monday.db",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled ledger`."""
    add_ledger(parser)
    add_course(parser)
    parser.add_argument(
        "--table",
        choices=(*TABLES, *COURSE_TABLES),
        metavar="TABLE",
        default=TABLES[0],
        help=f"what --csv exports: {', '.join((*TABLES, *COURSE_TABLES))} (default: %(default)s)",
    )
    parser.add_argument("--csv", metavar="FILE", type=Path, help="export a table (CSV); - is standard output")
    add_table_form(parser)
    parser.add_argument(
        "--unseen",
        choices=(*UNSEEN, BY_ITSELF_WORD),
        help="set for the course what is earned where a submission can't show it, as a bundle can't: "
        f"nothing (missed), or it isn't counted (skipped); {BY_ITSELF_WORD} is missed for delivered alone",
    )
    parser.add_argument("--forget", metavar="LEARNER", help="delete one person with all that is kept of them")
    parser.add_argument(
        "--anonymous", action="store_true", help="replace all ids and names by numbers, for good"
    )
    parser.add_argument(
        "--backup", metavar="FILE", type=on_disk,
        help="write a copy of it, as it is at one moment, also while a host works with it",
    )  # fmt: skip
    parser.add_argument("--json", action="store_true", help="print everything as JSON instead")


def run(options: argparse.Namespace) -> int:
    """Set, show or export."""
    form = table_form_of(options)
    course = course_of(options)
    path = ledger_of(options, course)
    ledger = Ledger(path)
    try:
        if options.unseen is not None:
            ledger.set("unseen", None if options.unseen == BY_ITSELF_WORD else options.unseen)
            return 0
        if options.backup is not None:
            ledger.copy_to(options.backup)
            print(f"{options.backup}: a copy of {path}. To put it back, end what works with it first.")
            return 0
        if options.forget is not None:
            gone = counted(ledger.forget(options.forget), "grading")
            print(f"Deleted {options.forget}: the hand-outs, and {gone}. Copies of the file still have them.")
            return 0
        if options.anonymous:
            count = counted(ledger.make_anonymous(), "learner")
            print(f"{count} became numbers. Who is who can't be told from this file any more.")
            return 0
        _show(options, str(path), ledger, course, form)
    finally:
        ledger.close()
    return 0


def _show(
    options: argparse.Namespace,
    path: str,
    ledger: Ledger,
    course: CourseFile | None,
    form: TableForm | None,
) -> None:
    if form is not None:
        if options.table in COURSE_TABLES:
            rows: Rows = course_rows(options.table, read_class(ledger, course))
        else:
            rows = ledger_rows(options.table, ledger.learners(), ledger.hand_outs(), ledger.each_grading())
        write_file(options.csv, table_file(rows, form), PRIVATE)
        return
    record = read_class(ledger, course)
    standing = record.standing if course else None
    if options.json:
        told = ledger_json(record.learners, ledger.hand_outs(), ledger.each_grading(), standing)
        sys.stdout.write(json_text(told))
        return
    show_ledger(console(), path, record.learners, record.given, record.works)
    if standing is not None:
        show_totals(console(), standing.plan, record.names, standing.totals)
