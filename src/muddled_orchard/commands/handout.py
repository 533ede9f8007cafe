"""Pack one repository a learner and scenario, each with numbers of its own; the ledger writes them down."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from muddled_orchard.classroom.handing_out import enrol, exercises_in, made
from muddled_orchard.commands.options import add_jobs, add_ledger, add_quiet, add_scenarios
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Columns
from muddled_orchard.files.archives.packing import FORMATS
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.roster import columns_from, read_roster
from muddled_orchard.reports.terminal.progress import with_progress

EXAMPLES = ("muddled handout press-limit stale-main --roster class.csv --out out",)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled handout`."""
    add_scenarios(parser)
    parser.add_argument(
        "--roster",
        metavar="FILE",
        type=Path,
        required=True,
        help="CSV with an id and a name for each; - is standard input",
    )
    parser.add_argument(
        "--roster-columns", metavar="WHICH", help='which columns of it: id=Username,name="Full name"'
    )
    parser.add_argument(
        "--out",
        metavar="DIR",
        type=Path,
        required=True,
        help="where the archives go: DIR/EXERCISE/LEARNER.tar.gz",
    )
    parser.add_argument(
        "--pack", choices=FORMATS, default=FORMATS[0], help="what each learner gets (default: %(default)s)"
    )
    add_ledger(parser)
    add_jobs(parser)
    parser.add_argument("--json", action="store_true", help="print what was handed out as JSON instead")
    add_quiet(parser, "no progress; say nothing when all goes well")


def run(options: argparse.Namespace) -> int:
    """Check everything first, then hand out; what is there already stays as it is."""
    named = columns_from(options.roster_columns) if options.roster_columns else {}
    roster = read_roster(options.roster, named)
    learners = roster.learners
    if roster.columns.guessed:
        _tell_guess(options.roster, roster.columns)
    exercises = exercises_in(options.scenarios, options.pack)
    ledger = Ledger(options.ledger, create=True)
    try:
        wanted = enrol(ledger, exercises, learners, options.out)
        done: list[HandOut] = []
        try:
            with made(exercises, wanted, options.out, options.jobs) as portions:
                for portion in with_progress(
                    portions, len(wanted), "Handing out", quiet=options.quiet, size=len
                ):
                    ledger.add_hand_outs(portion)
                    done += portion
        except KeyboardInterrupt:
            written = f"{len(done)} of {len(wanted)} were handed out and written down"
            print(f"{written}; the same command goes on from there.", file=sys.stderr)
            raise
    finally:
        ledger.close()
    order = [learner.id for learner in learners]
    done.sort(key=lambda one: (one.exercise, order.index(one.learner)))
    ready = len(learners) * len(exercises) - len(done)
    # What shows it is loaded when there is something to show.
    if options.json:
        from muddled_orchard.reports.json.handout import handout_file

        sys.stdout.write(handout_file(str(options.ledger), len(learners), ready, done))
    elif not options.quiet:
        from muddled_orchard.reports.terminal.console import console
        from muddled_orchard.reports.terminal.handout import show_handed_out

        titles = [exercise.scenario.title for exercise in exercises]
        show_handed_out(console(), titles, learners, done, ready, str(options.out), str(options.ledger))
    return 0


def _tell_guess(file: Path, columns: Columns) -> None:
    """Which columns were taken that nobody named; on stderr, since it may be wrong."""
    name = f' and "{" ".join(columns.name)}" for the name' if columns.name else ""
    print(f'{file}: took the column "{columns.id}" for the id{name}.', file=sys.stderr)
    print("  Others are named with --roster-columns id=COLUMN,name=COLUMN.", file=sys.stderr)
