"""Options that several commands share."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.problems import BadInput, Problem, likely

if TYPE_CHECKING:
    from muddled_orchard.files.course.course_file import CourseFile
    from muddled_orchard.files.course.roster_file import Roster
    from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
    from muddled_orchard.show.spreadsheet import TableForm
    from muddled_orchard.system.workers import Machines


ON_SERVERS_AT_ONCE = 8
"""How many repositories are fetched or pushed side by side, where nothing else is said."""


def on_disk(text: str) -> Path:
    """A folder or database that an option names: `-` is standard output, which can be neither."""
    if text == "-":
        raise argparse.ArgumentTypeError("- is standard output, and this needs a place on the disk")
    return Path(text)


def new_file(text: str) -> Path:
    """A file to be written that an option names: its folder has to be there, and `-` is standard output."""
    path = Path(text)
    if text != "-" and not path.parent.is_dir():
        raise argparse.ArgumentTypeError(f"there is no folder {path.parent}")
    return path


def add_scenarios(parser: argparse.ArgumentParser) -> None:
    """`SCENARIO...`: files, folders of them, and bundled ids."""
    parser.add_argument(
        "scenarios", metavar="SCENARIO", nargs="+",
        help="a scenario file, a folder of them, or the id of a bundled one",
    )  # fmt: skip


def add_quiet(parser: argparse.ArgumentParser, what: str) -> None:
    """`-q`, `--quiet`."""
    parser.add_argument("-q", "--quiet", action="store_true", help=what)


def add_jobs(parser: argparse.ArgumentParser) -> None:
    """`--jobs N`: how many processes work side by side."""
    parser.add_argument(
        "--jobs", metavar="N", type=positive, default=cores(),
        help="how many processes work side by side (default: one a core, here %(default)s)",
    )  # fmt: skip


def add_run_rules(parser: argparse.ArgumentParser) -> None:
    """`--run-rules`: whether commands of rules are run."""
    parser.add_argument(
        "--run-rules", action="store_true",
        help="run the commands of the scenario's rules over each result, in a sandbox (bubblewrap)",
    )  # fmt: skip


def add_course(parser: argparse.ArgumentParser) -> None:
    """`--course FILE`: the course that a command works for."""
    parser.add_argument(
        "--course", metavar="FILE", type=Path,
        help="the course file, or the id of a bundled course (default: course.toml, where there is one)",
    )  # fmt: skip


def course_of(options: argparse.Namespace) -> CourseFile | None:
    """The course that was named, or the one that lies here; None without one."""
    named: Path | None = options.course
    if named is None and not Path(COURSE_FILE).is_file():
        return None
    from muddled_orchard.files.course.course_file import load_course

    return load_course(named or Path(COURSE_FILE))


def add_cluster(parser: argparse.ArgumentParser) -> None:
    """`--cluster ADDRESS`: where to work, if not here."""
    parser.add_argument(
        "--cluster", metavar="ADDRESS",
        help="work on the Dask cluster whose scheduler has this address, as in tcp://host:8786",
    )  # fmt: skip


def machines_of(options: argparse.Namespace) -> Machines:
    """Where the work is to be done."""
    from muddled_orchard.system.workers import Machines  # not every command has work for many

    ship = bool(getattr(options, "ship", False))
    if ship and options.cluster is None:
        raise BadInput(Problem("--ship goes with --cluster ADDRESS"))
    return Machines(options.jobs, options.cluster, ship)


LEDGER = "orchard.db"

COURSE_FILE = "course.toml"
"""The course file that is taken where none is named."""


def add_ledger(parser: argparse.ArgumentParser, more: str = "") -> None:
    """`--ledger FILE`: the course's database."""
    text = f"the course's database{more} (default: what the course file names, else {LEDGER})"
    parser.add_argument("--ledger", metavar="FILE", type=on_disk, help=text)


def tell_roster(file: Path, roster: Roster) -> None:
    """What was taken of a roster that nobody named; on stderr, since it may be wrong."""
    columns = roster.columns
    if columns.guessed:
        name = f' and "{" ".join(columns.name)}" for the name' if columns.name else ""
        print(f'{file}: took the column "{columns.id}" for the id{name}.', file=sys.stderr)
        print("  Others are named with --roster-columns id=COLUMN,name=COLUMN.", file=sys.stderr)
    for sentence in roster.taken:
        print(f"{file}: {sentence}", file=sys.stderr)


def ledger_of(options: argparse.Namespace, course: CourseFile | None) -> Path:
    """Where the course's database is."""
    named: Path | None = options.ledger
    return named or (course.ledger if course else Path(LEDGER))


def add_table_form(parser: argparse.ArgumentParser, *, excuses: bool = True) -> None:
    """How a table is written with `--csv`; `excuses`: people may be excused in it."""
    parser.add_argument(
        "--columns",
        metavar="WHICH",
        help='with --csv: these columns alone, under other headings: Username=id,"Final grade"=total',
    )
    parser.add_argument(
        "--delimiter", metavar="SIGN",
        help='with --csv: what stands between cells: , or ";" or tab (default: ,)',
    )  # fmt: skip
    parser.add_argument(
        "--decimal", choices=(".", ","), help="with --csv: what a number's fraction begins with (default: .)"
    )
    if excuses:
        parser.add_argument(
            "--excused",
            metavar="TEXT",
            help="with --csv: what stands where somebody is excused (default: nothing)",
        )
    parser.add_argument(
        "--bom", action="store_true", help="with --csv: begin with a byte order mark, for some spreadsheets"
    )


def table_form_of(options: argparse.Namespace) -> TableForm | None:
    """How a table is to be written; None where none is. Raises BadInput where that can't be read, or there is
    no table to write."""
    named = [name for name in _TABLE_FORM if getattr(options, name, None) not in (None, False)]
    if options.csv is None:
        if named:
            raise BadInput(Problem(f"--{named[0]} goes with --csv FILE"))
        return None
    from muddled_orchard.show.spreadsheet import TableForm, columns_asked

    delimiter = {"tab": "\t", "\\t": "\t", None: ","}.get(options.delimiter, options.delimiter)
    if delimiter not in (",", ";", "\t", "|", ":"):
        raise BadInput(
            Problem(f'--delimiter "{options.delimiter}" is no such sign', 'It is , or ";" or tab.')
        )
    decimal = options.decimal or "."
    if decimal == delimiter:
        what = "--decimal and --delimiter are the same sign"
        raise BadInput(Problem(what, 'Where numbers have a comma, cells have --delimiter ";" between them.'))
    return TableForm(
        columns=columns_asked(options.columns) if options.columns is not None else None,
        delimiter=delimiter,
        decimal=decimal,
        excused=getattr(options, "excused", None) or "",
        bom=options.bom,
    )


_TABLE_FORM = ("columns", "delimiter", "decimal", "excused", "bom")


def add_bounds(parser: argparse.ArgumentParser, plain: Bounds | None = None) -> None:
    """What one submission may cost; `plain` are the bounds of a command that has its own."""
    plain = plain or Bounds()
    for name, unit, most, what in (
        ("size", "MIB", plain.size >> 20, "the most that an archive may unpack to"),
        ("entries", "N", plain.entries, "the most files that an archive may have"),
        ("seconds", "N", plain.seconds, "the longest that reading one submission may take"),
        ("memory", "MIB", plain.memory >> 20, "the most memory that a worker may take"),
    ):
        text = f"{what} (default: %(default)s{' MiB' if unit == 'MIB' else ''})"
        parser.add_argument(f"--most-{name}", metavar=unit, type=positive, default=most, help=text)


def bounds_of(options: argparse.Namespace) -> Bounds:
    """The bounds that were given."""
    return Bounds(
        size=options.most_size << 20,
        entries=options.most_entries,
        seconds=options.most_seconds,
        memory=options.most_memory << 20,
    )


def cores() -> int:
    """The cores that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def positive(text: str) -> int:
    """A whole number above 0. Raises ArgumentTypeError."""
    number = int(text) if text.isdecimal() and len(text) < 10 else 0
    if number < 1:
        raise argparse.ArgumentTypeError(f"{text} is no whole number above 0, or too large")
    return number


def add_exercise(parser: argparse.ArgumentParser) -> None:
    """The exercise of what says nothing itself."""
    parser.add_argument(
        "--exercise", metavar="ID",
        help="what those are of that say nothing themselves: an exercise that begins with git init",
    )  # fmt: skip


def exercise_of(options: argparse.Namespace, library: ScenarioLibrary) -> str:
    """The exercise of what says nothing itself; empty where none was named. Raises BadInput where it can't be
    one."""
    id_: str | None = options.exercise
    if id_ is None:
        return ""
    scenario = library.find(id_)
    if scenario is None:
        from muddled_orchard.files.scenarios.bundled import bundled_ids

        hint = likely(id_, [*library.given_ids(), *bundled_ids()])
        raise BadInput(Problem(f'--exercise: there is no exercise "{id_}"', hint))
    if not scenario.start.own:
        what = f"--exercise is for what begins with git init: {id_} is planted, and says itself what it is"
        raise BadInput(Problem(what, "Leave --exercise out."))
    return id_
