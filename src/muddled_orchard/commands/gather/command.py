"""Fetch every learner's repository from a server into a folder for `grade`; again only what has changed."""

from __future__ import annotations

import argparse
import sys
from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path

from muddled_orchard.commands.gather.fetching_all import gathered
from muddled_orchard.commands.options import (
    ON_SERVERS_AT_ONCE,
    add_bounds,
    add_course,
    add_ledger,
    add_quiet,
    bounds_of,
    course_of,
    ledger_of,
    on_disk,
    positive,
)
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.sources import (
    COLUMN,
    Gathered,
    Source,
    by_column,
    once_each,
    sources,
    unknown,
)
from muddled_orchard.files.course.course_file import CourseFile
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.roster_file import columns_from, read_roster
from muddled_orchard.show.terminal.progress import with_progress

EXAMPLES = (
    "muddled gather --roster class.csv --out handed-in",
    "muddled gather --url 'https://git.orchard.example/{id}.git' --out handed-in",
)

NOTHING, SOME = 2, 1


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled gather`."""
    parser.add_argument("learners", metavar="LEARNER", nargs="*", help="only these (default: everybody)")
    parser.add_argument(
        "--url", metavar="TEMPLATE",
        help="where they lie, with {id}, {exercise}, and columns of the roster by name",
    )  # fmt: skip
    parser.add_argument(
        "--column", metavar="NAME", default=COLUMN,
        help="the column of the roster with each one's URL (default: %(default)s)",
    )  # fmt: skip
    parser.add_argument(
        "--roster", metavar="FILE", type=Path,
        help="CSV with an id and a name for each (default: the ledger's learners)",
    )  # fmt: skip
    parser.add_argument(
        "--roster-columns", metavar="WHICH", help='which columns of it: id=Username,name="Full name"'
    )
    parser.add_argument(
        "--out", metavar="DIR", type=on_disk, required=True, help="where they go: DIR/[EXERCISE/]LEARNER.git"
    )
    add_course(parser)
    add_ledger(parser)
    parser.add_argument(
        "--jobs", metavar="N", type=positive, default=ON_SERVERS_AT_ONCE,
        help="how many are fetched at once (default: %(default)s)",
    )  # fmt: skip
    parser.add_argument("--json", action="store_true", help="print JSON instead")
    add_bounds(parser)
    add_quiet(parser, "only who could not be reached")


def run(options: argparse.Namespace) -> int:
    """Gather, and tell who could not be reached; 1 if somebody could not, 2 if nobody could."""
    wanted = _sources(options)
    found: list[Gathered] = []
    try:
        with gathered(wanted, options.out, bounds_of(options), options.jobs) as going:
            for one in with_progress(going, len(wanted), "Gathering", quiet=options.quiet):
                found.append(one)
    except KeyboardInterrupt:
        print(
            f"{len(found)} of {len(wanted)} were gathered; the same command goes on from there.",
            file=sys.stderr,
        )
        raise
    if options.json:
        from muddled_orchard.commands.gather.as_json import gather_file

        sys.stdout.write(gather_file(str(options.out), found))
    else:
        from muddled_orchard.commands.gather.terminal import show_gathered
        from muddled_orchard.show.terminal.plain import Plain

        on = Plain(sys.stderr if options.quiet else None)
        show_gathered(on, str(options.out), found, quiet=options.quiet)
    failed = Counter(one.state for one in found)["failed"]
    return NOTHING if failed == len(found) else SOME if failed else 0


def _sources(options: argparse.Namespace) -> list[Source]:
    """What is to be fetched. Raises BadInput where that can't be told."""
    course = course_of(options)
    learners, given = _class(options, course)
    if options.learners:
        if (wrong := unknown(options.learners, learners)) is not None:
            raise wrong
        learners = [learner for learner in learners if learner.id in options.learners]
    if options.url is None:
        return once_each(by_column(learners, options.column))
    found = once_each(sources(learners, options.url, given))
    if not found:
        hint = "muddled handout does that; or leave {exercise} out of --url."
        raise BadInput(Problem("nothing was handed out to them", hint))
    return found


def _class(
    options: argparse.Namespace, course: CourseFile | None
) -> tuple[Sequence[Learner], Mapping[str, Sequence[str]]]:
    """Who takes part, and the exercises that each was handed out."""
    path = ledger_of(options, course)
    file = options.roster or (course.beside(course.plan.roster) if course else None)
    learners: Sequence[Learner] = ()
    given: dict[str, list[str]] = {}
    if path.is_file() or options.ledger is not None:
        ledger = Ledger(path)
        learners = list(ledger.learners().values())
        for learner, exercise in ledger.given():
            given.setdefault(learner, []).append(exercise)
        ledger.close()
    if file is not None:
        named = columns_from(options.roster_columns) if options.roster_columns else {}
        learners = read_roster(file, named).learners
    if not learners:
        raise BadInput(Problem("there is no roster and no ledger", "Name one: --roster FILE."))
    return learners, given
