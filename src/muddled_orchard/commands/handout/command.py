"""Pack one repository a learner and scenario, each with numbers of its own; the ledger writes them down."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from msgspec.structs import replace

from muddled_orchard.classroom.handing_out import (
    Exercise,
    enrol,
    exercises_in,
    lying_there,
    made,
    taken_as_they_are,
)
from muddled_orchard.commands.handout.pushing import pushed
from muddled_orchard.commands.options import (
    ON_SERVERS_AT_ONCE,
    add_course,
    add_jobs,
    add_ledger,
    add_quiet,
    course_of,
    ledger_of,
    on_disk,
)
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Columns, Learner
from muddled_orchard.core.course.sources import Pushed, Source, sources
from muddled_orchard.files.archives.packing import BARE, FORMATS
from muddled_orchard.files.course.course_file import CourseFile
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.roster_file import columns_from, read_roster
from muddled_orchard.show.terminal.progress import with_progress

MOST_ROWS = 8
"""How many hand-outs are shown, a row each."""

NOTHING, SOME = 2, 1
"""Exit codes: nothing could be pushed, something couldn't."""

EXAMPLES = (
    "muddled handout press-limit stale-main --roster class.csv --out out",
    "muddled handout --course course.toml",
    "muddled handout --push 'https://git.orchard.example/{id}/{exercise}.git'",
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
        type=on_disk,
        help="where the archives go: DIR/EXERCISE/LEARNER.tar.gz",
    )
    parser.add_argument(
        "--pack", choices=FORMATS,
        help=f"what each learner gets (default: {FORMATS[0]}; {BARE}: a repository for a Git server)",
    )  # fmt: skip
    parser.add_argument(
        "--push", metavar="TEMPLATE",
        help="make bare repositories, and push them to this URL with your Git: {id}, {exercise}, and "
        "columns of the roster by name stand for what they hold",
    )  # fmt: skip
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
    exercises = exercises_in(places, _pack(options, course))
    wanted_there = _sources(options.push, exercises, learners)
    urls = {(source.exercise, source.learner): source.url for source in wanted_there}
    path = ledger_of(options, course)
    ledger = Ledger(path, create=True)
    try:
        wanted = enrol(ledger, exercises, learners, out, urls)
        lies_there = lying_there(exercises, wanted, out)
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
    there: list[Pushed] = []
    if wanted_there:
        with pushed(wanted_there, out, Bounds(), ON_SERVERS_AT_ONCE) as going:
            there += with_progress(going, len(wanted_there), "Pushing", quiet=options.quiet)
    ready = len(learners) * len(exercises) - count
    # What shows it is loaded when there is something to show.
    if options.json:
        from muddled_orchard.commands.handout.as_json import handout_file

        sys.stdout.write(handout_file(str(path), len(learners), ready, shown, there))
    else:
        _show(options, exercises, learners, shown, count, ready, out, path, there)
    if lies_there and not options.quiet:
        print(taken_as_they_are(lies_there), file=sys.stderr)
    if waiting and not options.quiet:
        print(f"Not open yet: {listed(waiting, 6)}.", file=sys.stderr)
    failed = sum(one.state == "failed" for one in there)
    return 0 if not failed else NOTHING if failed == len(there) else SOME


def _show(
    options: argparse.Namespace,
    exercises: list[Exercise],
    learners: Sequence[Learner],
    shown: list[HandOut],
    count: int,
    ready: int,
    out: Path,
    ledger: Path,
    there: list[Pushed],
) -> None:
    from muddled_orchard.commands.handout.terminal import show_handed_out, show_pushed, show_what_next
    from muddled_orchard.show.terminal.console import console

    on = console(sys.stderr if options.quiet else None)
    if not options.quiet:
        titles = [exercise.scenario.title for exercise in exercises]
        show_handed_out(on, titles, learners, shown, count, ready, str(out))
    show_pushed(on, there, quiet=options.quiet)
    if not options.quiet:
        show_what_next(on, str(out), str(ledger), options.push, bare=exercises[0].form == BARE)


def _pack(options: argparse.Namespace, course: CourseFile | None) -> str:
    """What each learner gets. Raises BadInput where that can't be pushed."""
    if options.push is None:
        return options.pack or (course.plan.pack if course else None) or FORMATS[0]
    if options.pack not in (None, BARE):
        what = f"--push makes bare repositories, and --pack {options.pack} makes none"
        raise BadInput(Problem(what, "Leave --pack out."))
    return BARE


def _sources(template: str | None, exercises: list[Exercise], learners: Sequence[Learner]) -> list[Source]:
    """Where each hand-out is pushed to. Raises BadInput where two go to one place."""
    if template is None:
        return []
    given = {learner.id: [exercise.scenario.id for exercise in exercises] for learner in learners}
    found = list(sources(learners, template, given, "--push"))
    if len({source.url for source in found}) < len(learners) * len(exercises):
        hint = "It needs {id} and, with several exercises, {exercise}."
        raise BadInput(Problem("--push: several hand-outs would go to one repository", hint))
    if len(exercises) == 1:  # the template need not name it
        only = exercises[0].scenario.id
        return [replace(source, exercise=only, place=f"{only}/{source.learner}.git") for source in found]
    return found


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
