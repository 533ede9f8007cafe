"""Show what the course's database holds, or export it."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Mapping, Sequence
from datetime import date
from pathlib import Path

from muddled_orchard.classroom.standing import read_class
from muddled_orchard.commands.ledger.as_json import ledger_json
from muddled_orchard.commands.ledger.course_csv import COURSE_TABLES, course_rows
from muddled_orchard.commands.ledger.course_terminal import show_totals
from muddled_orchard.commands.ledger.csv import TABLES, ledger_rows
from muddled_orchard.commands.ledger.person import (
    REPOSITORIES,
    person_json,
    remove_repositories,
    repositories_of,
)
from muddled_orchard.commands.ledger.terminal import show_ledger, show_rows
from muddled_orchard.commands.options import (
    add_course,
    add_ledger,
    add_table_form,
    course_of,
    ledger_of,
    new_file,
    on_disk,
    table_form_of,
)
from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.grading.unseen import UNSEEN
from muddled_orchard.files.course.course_file import CourseFile
from muddled_orchard.files.course.personal_data import PersonalData
from muddled_orchard.show.json.writing import json_text
from muddled_orchard.show.spreadsheet import (
    Rows,
    TableForm,
    table_file,
)
from muddled_orchard.show.terminal.plain import Plain
from muddled_orchard.system.output import PRIVATE, write_file

BY_ITSELF_WORD = "default"

EXAMPLES = (
    "muddled ledger",
    "muddled ledger --csv grades.csv --table totals",
    "muddled ledger --csv in.csv --table totals --columns Login=id,Grade=total",
    "muddled ledger --person ada",
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
        help=f"show this table, or what --csv exports: {', '.join((*TABLES, *COURSE_TABLES))} "
        f"(default: {TABLES[0]})",
    )
    parser.add_argument(
        "--csv", metavar="FILE", type=new_file, help="export a table (CSV); - is standard output"
    )
    add_table_form(parser)
    parser.add_argument(
        "--unseen",
        choices=(*UNSEEN, BY_ITSELF_WORD),
        help="set for the course what is earned where a submission can't show it, as a bundle can't: "
        f"nothing (missed), or it isn't counted (skipped); {BY_ITSELF_WORD} is missed for delivered alone",
    )
    parser.add_argument("--person", metavar="LEARNER", help="print all that is kept of one person, as JSON")
    parser.add_argument("--forget", metavar="LEARNER", help="delete one person with all that is kept of them")
    parser.add_argument(
        "--forget-before", metavar="DATE", type=_date,
        help="delete everybody of whom nothing was written down since, as in 2031-09-01",
    )  # fmt: skip
    parser.add_argument(
        "--repositories", metavar="DIR", type=on_disk,
        help="where a host keeps what these people pushed (default: repositories, beside the ledger)",
    )  # fmt: skip
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
    ledger = PersonalData(path)
    try:
        if options.unseen is not None:
            ledger.set("unseen", None if options.unseen == BY_ITSELF_WORD else options.unseen)
            return 0
        if options.backup is not None:
            ledger.copy_to(options.backup)
            print(f"{options.backup}: a copy of {path}. To put it back, end what works with it first.")
            return 0
        kept = repositories_of(options.repositories or path.parent / REPOSITORIES, ledger)
        if options.person is not None:
            sys.stdout.write(json_text(person_json(ledger, options.person, kept)))
            return 0
        if options.forget is not None:
            gone = counted(ledger.forget(options.forget), "grading")
            gone += remove_repositories(kept, [options.forget])
            print(f"Deleted {options.forget}: the hand-outs, and {gone}. Copies of the file still have them.")
            return 0
        if options.forget_before is not None:
            print(_forgotten_before(ledger, options.forget_before, kept))
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
    ledger: PersonalData,
    course: CourseFile | None,
    form: TableForm | None,
) -> None:
    if form is not None or options.table is not None:
        rows = _rows(options.table or TABLES[0], ledger, course)
        if form is not None:
            write_file(options.csv, table_file(rows, form), PRIVATE)
        else:
            show_rows(Plain(), rows)
        return
    record = read_class(ledger, course)
    standing = record.standing if course else None
    if options.json:
        told = ledger_json(record.learners, ledger.hand_outs(), ledger.each_grading(), standing)
        sys.stdout.write(json_text(told))
        return
    show_ledger(Plain(), path, record.learners, record.given, record.works)
    if standing is not None:
        show_totals(Plain(), standing.plan, record.names, standing.totals)


def _rows(table: str, ledger: PersonalData, course: CourseFile | None) -> Rows:
    if table in COURSE_TABLES:
        return course_rows(table, read_class(ledger, course))
    return ledger_rows(table, ledger.learners(), ledger.hand_outs(), ledger.each_grading())


def _forgotten_before(ledger: PersonalData, day: date, kept: Mapping[str, Sequence[Path]]) -> str:
    """Delete everybody of whom nothing was written down since a day began; what is told of it."""
    old = [learner for learner, last in ledger.last_written().items() if last < day.isoformat()]
    if not old:
        return f"Of everybody something was written down since {day}: nobody was deleted."
    gone = ledger.forget(*old)
    more = remove_repositories(kept, old)
    whose = f"{counted(len(old), 'learner')} ({listed(old, 6)})"
    return f"Deleted {whose} with {counted(gone, 'grading')}{more}. Copies of the file still have them."


def _date(text: str) -> date:
    """A day. Raises ArgumentTypeError."""
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text} is no date, as in 2031-09-01") from None
