"""Pack one repository a learner and scenario, each with numbers of its own; the ledger writes them down."""

from __future__ import annotations

import argparse
import sys
from datetime import UTC, datetime
from pathlib import Path

from muddled_orchard.classroom.handing_out import enrol, exercises_in, made
from muddled_orchard.commands.options import (
    add_course,
    add_jobs,
    add_ledger,
    add_quiet,
    course_of,
    ledger_of,
)
from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Columns
from muddled_orchard.files.archives.packing import FORMATS
from muddled_orchard.files.course.course_file import CourseFile
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.roster import columns_from, read_roster
from muddled_orchard.reports.terminal.progress import with_progress

MOST_ROWS = 8
"""How many hand-outs are shown, a row each."""

EXAMPLES = (
    "muddled handout press-limit stale-main --roster class.csv --out out",
    "muddled handout --course course.toml",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled handout`."""
    parser.add_argument(
        "scenarios", metavar="SCENARIO", nargs="*",
        help="a scenario file, a folder of them, or the id of a bundled one "
        "(default: the exercises of the course that are open)",
    )  # fmt: skip
    add_course(parser)
    parser.add_argument(
        "--roster", metavar="FILE", type=Path, help="CSV with an id and a name for each; - is standard input"
    )
    parser.add_argument(
        "--roster-columns", metavar="WHICH", help='which columns of it: id=Username,name="Full name"'
    )
    parser.add_argument(
        "--out",
        metavar="DIR",
        type=Path,
        help="where the archives go: DIR/EXERCISE/LEARNER.tar.gz",
    )
    parser.add_argument("--pack", choices=FORMATS, help=f"what each learner gets (default: {FORMATS[0]})")
    add_ledger(parser)
    add_jobs(parser)
    parser.add_argument("--json", action="store_true", help="print what was handed out as JSON instead")
    add_quiet(parser, "no progress; say nothing when all goes well")


def run(options: argparse.Namespace) -> int:
    """Check everything first, then hand out; what is there already stays as it is."""
    course = course_of(options)
    named = columns_from(options.roster_columns) if options.roster_columns else {}
    places, waiting = _exercises(options.scenarios, course)
    file = _needed("roster", options.roster, course)
    out = _needed("out", options.out, course)
    roster = read_roster(file, named)
    learners = roster.learners
    if roster.columns.guessed:
        _tell_guess(file, roster.columns)
    pack = options.pack or (course.plan.pack if course else None) or FORMATS[0]
    exercises = exercises_in(places, pack)
    path = ledger_of(options, course)
    ledger = Ledger(path, create=True)
    try:
        wanted = enrol(ledger, exercises, learners, out)
        count = 0
        shown: list[HandOut] = []  # in the order of exercises and roster, as they are made
        try:
            with made(exercises, wanted, out, options.jobs) as portions:
                for portion in with_progress(
                    portions, len(wanted), "Handing out", quiet=options.quiet, size=len
                ):
                    ledger.add_hand_outs(portion)
                    count += len(portion)
                    shown += portion if options.json else portion[: MOST_ROWS - len(shown)]
        except KeyboardInterrupt:
            written = f"{count} of {len(wanted)} were handed out and written down"
            print(f"{written}; the same command goes on from there.", file=sys.stderr)
            raise
    finally:
        ledger.close()
    ready = len(learners) * len(exercises) - count
    # What shows it is loaded when there is something to show.
    if options.json:
        from muddled_orchard.reports.json.handout import handout_file

        sys.stdout.write(handout_file(str(path), len(learners), ready, shown))
    elif not options.quiet:
        from muddled_orchard.reports.terminal.console import console
        from muddled_orchard.reports.terminal.handout import show_handed_out

        titles = [exercise.scenario.title for exercise in exercises]
        show_handed_out(console(), titles, learners, shown, count, ready, str(out), str(path))
    if waiting and not options.quiet:
        print(f"Not open yet: {listed(waiting, 6)}.", file=sys.stderr)
    return 0


def _needed(name: str, given: Path | None, course: CourseFile | None) -> Path:
    """A file or folder that was named, here or in the course file."""
    found = given or (course.beside(getattr(course.plan, name)) if course else None)
    if found is None:
        hint = f"Give it here, or as {name} in the course file." if course else ""
        raise BadInput(Problem(f"--{name} is missing", hint or "See: muddled handout --help"))
    return found


def _exercises(named: list[str], course: CourseFile | None) -> tuple[list[str], list[str]]:
    """The scenarios to hand out, and what of the course is not open yet."""
    if named:
        return named, []
    if course is None:
        raise BadInput(Problem("no scenario is named", "Name one, or write a course file (course.toml)."))
    now = datetime.now(UTC)
    closed = {exercise.scenario: exercise.opens for exercise in course.plan.exercise if exercise.opens}
    waiting = [name for name, opens in closed.items() if opens > now]
    places = [str(path) for name, path in course.scenarios.items() if name not in waiting]
    if not places:
        first = min(closed[name] for name in waiting)
        what = f"no exercise of the course is open yet; the first opens {first:%Y-%m-%d %H:%M %z}"
        raise BadInput(Problem(what, "Name one to hand it out all the same."))
    return places, [course.ids[name] for name in waiting]


def _tell_guess(file: Path, columns: Columns) -> None:
    """Which columns were taken that nobody named; on stderr, since it may be wrong."""
    name = f' and "{" ".join(columns.name)}" for the name' if columns.name else ""
    print(f'{file}: took the column "{columns.id}" for the id{name}.', file=sys.stderr)
    print("  Others are named with --roster-columns id=COLUMN,name=COLUMN.", file=sys.stderr)
