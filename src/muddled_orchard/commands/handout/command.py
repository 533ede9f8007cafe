"""Pack one repository a learner and scenario, each with numbers of its own; the ledger writes them down."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Collection, Sequence
from datetime import UTC, datetime
from pathlib import Path

from msgspec.structs import replace

from muddled_orchard.classroom.handing_out import enrol, exercises_in, once_more, refuse_begun
from muddled_orchard.classroom.making import (
    Exercise,
    HandOutToMake,
    lying_there,
    made,
    taken_as_they_are,
)
from muddled_orchard.classroom.roles import give_roles
from muddled_orchard.commands.handout.handed_out import HandedOut
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
    tell_roster,
)
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.sources import Pushed, Source, once_each, sources
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
    "muddled handout --afresh suvi press-limit --other",
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
    parser.add_argument(
        "--anew", metavar="LEARNER", nargs="+",
        help="the scenario was changed and hands out something else: these, who have not begun, get that",
    )  # fmt: skip
    parser.add_argument(
        "--afresh", metavar=("LEARNER", "EXERCISE"), nargs=2,
        help="give one learner what they were handed out once more",
    )  # fmt: skip
    parser.add_argument("--other", action="store_true", help="with --afresh: with other values than before")
    add_ledger(parser)
    add_jobs(parser)
    parser.add_argument("--json", action="store_true", help="print what was handed out as JSON instead")
    add_quiet(parser, "no progress; say nothing when all goes well")


def run(options: argparse.Namespace) -> int:
    """Check everything first, then hand out; what is there already stays as it is."""
    _refuse_contradictions(options)
    course = course_of(options)
    if options.afresh is not None:
        return _afresh(options, course)
    named = columns_from(options.roster_columns) if options.roster_columns else {}
    places, waiting = _exercises(options.scenarios, course)
    file = _needed("roster", options.roster, course)
    out = _needed("out", options.out, course)
    roster = read_roster(file, named)
    learners = roster.learners
    tell_roster(file, roster)
    exercises = exercises_in(places, _pack(options, course))
    teams = course.for_teams if course else ()
    wanted_there = _sources(options.push, exercises, learners, teams)
    urls = {(source.exercise, source.learner): source.url for source in wanted_there}
    path = ledger_of(options, course)
    ledger = Ledger(path, create=True)
    try:
        if options.anew:
            ids = [exercise.scenario.id for exercise in exercises]
            refuse_begun(ledger, ids, options.anew, [learner.id for learner in learners])
        enrolment = enrol(
            ledger, exercises, learners, out, urls, for_teams=teams, replacing=options.anew or ()
        )
        lies_there = lying_there(enrolment.exercises, enrolment.wanted, out)
        shown, count = _made(ledger, enrolment.exercises, enrolment.wanted, out, options)
        give_roles(ledger, exercises, course.roles_given if course else {})
    finally:
        ledger.close()
    pushes: list[Pushed] = []
    if wanted_there:
        each = once_each(wanted_there)
        with pushed(each, out, Bounds(), ON_SERVERS_AT_ONCE) as going:
            pushes += with_progress(going, len(each), "Pushing", quiet=options.quiet)
    titles = [exercise.scenario.title for exercise in exercises]
    ready = len(learners) * len(exercises) - count
    _show(options, HandedOut(titles, learners, shown, count, ready, out, path, pushes))
    if not options.quiet:
        notes = [one.said for one in enrolment.mended if one.before]
        notes += ["  muddled grade FOLDER --compare says whose marks change."] if notes else []
        notes += [taken_as_they_are(lies_there)] if lies_there else []
        notes += [f"Not open yet: {listed(waiting, 6)}."] if waiting else []
        for note in notes:
            print(note, file=sys.stderr)
    failed = sum(one.state == "failed" for one in pushes)
    return 0 if not failed else NOTHING if failed == len(pushes) else SOME


def _refuse_contradictions(options: argparse.Namespace) -> None:
    if options.other and options.afresh is None:
        raise BadInput(Problem("--other goes with --afresh LEARNER EXERCISE"))
    if options.afresh is None:
        return
    if options.scenarios or options.anew or options.push:
        what = "--afresh is for one learner and one exercise, and pushes nothing"
        raise BadInput(Problem(what, "Leave SCENARIO, --anew and --push out."))


def _afresh(options: argparse.Namespace, course: CourseFile | None) -> int:
    """One learner gets what they were handed out once more, or another variant of it."""
    learner, id_ = options.afresh
    out = _needed("out", options.out, course)
    path = ledger_of(options, course)
    form = options.pack or (course.plan.pack if course else None) or FORMATS[0]
    own = {of: str(course.scenarios[name]) for name, of in course.ids.items()} if course else {}
    ledger = Ledger(path)
    try:
        present = exercises_in([own[id_]], form)[0] if id_ in own else None
        again = once_more(ledger, learner, id_, form, present, other=options.other)
        shown, count = _made(ledger, again.exercises, again.wanted, out, options)
        give_roles(ledger, again.exercises, course.roles_given if course else {})
        learners = [ledger.learners()[piece.learner] for piece in again.wanted]
    finally:
        ledger.close()
    titles = [again.exercises[0].scenario.title]
    _show(options, HandedOut(titles, learners, shown, count, 0, out, path, []))
    return 0


def _made(
    ledger: Ledger,
    exercises: Sequence[Exercise],
    wanted: Sequence[HandOutToMake],
    out: Path,
    options: argparse.Namespace,
) -> tuple[list[HandOut], int]:
    """Make hand-outs and write them down: those that are shown, in the order of exercises and roster, and how
    many there are."""
    count, shown = 0, list[HandOut]()
    try:
        with made(exercises, wanted, out, options.jobs) as portions:
            for portion in with_progress(portions, len(wanted), "Handing out", quiet=options.quiet, size=len):
                ledger.add_hand_outs(portion)
                count += len(portion)
                shown += portion if options.json else portion[: MOST_ROWS - len(shown)]
    except KeyboardInterrupt:
        written = f"{count} of {len(wanted)} were handed out and written down"
        print(f"{written}; the same command goes on from there.", file=sys.stderr)
        raise
    return shown, count


def _show(options: argparse.Namespace, done: HandedOut) -> None:
    """What people read, or JSON. What shows it is loaded when there is something to show."""
    if options.json:
        from muddled_orchard.commands.handout.as_json import handout_file

        about = (str(done.ledger), len(done.learners), done.ready, done.shown, done.pushes)
        sys.stdout.write(handout_file(*about))
        return
    from muddled_orchard.commands.handout.terminal import show_handed_out, show_pushed, show_what_next
    from muddled_orchard.show.terminal.plain import Plain

    on = Plain(sys.stderr if options.quiet else None)
    if not options.quiet:
        show_handed_out(on, done)
    show_pushed(on, done.pushes, quiet=options.quiet)
    if not options.quiet:
        bare = options.push is not None or options.pack == BARE
        show_what_next(on, str(done.out), str(done.ledger), options.push, bare=bare)


def _pack(options: argparse.Namespace, course: CourseFile | None) -> str:
    """What each learner gets. Raises BadInput where that can't be pushed."""
    if options.push is None:
        return options.pack or (course.plan.pack if course else None) or FORMATS[0]
    if options.pack not in (None, BARE):
        what = f"--push makes bare repositories, and --pack {options.pack} makes none"
        raise BadInput(Problem(what, "Leave --pack out."))
    return BARE


def _sources(
    template: str | None, exercises: list[Exercise], learners: Sequence[Learner], for_teams: Collection[str]
) -> list[Source]:
    """Where each hand-out is pushed to; a team's to one place, where the exercise (an id) is `for_teams`.
    Raises BadInput where others go to one place."""
    if template is None:
        return []
    given = {learner.id: [exercise.scenario.id for exercise in exercises] for learner in learners}
    found = list(sources(learners, template, given, "--push"))
    if len(exercises) == 1:  # the template need not name it
        only = exercises[0].scenario.id
        found = [replace(source, exercise=only, place=f"{only}/{source.learner}.git") for source in found]
    teams = {learner.id: learner.team for learner in learners}
    whose: dict[str, set[tuple[str, str]]] = {}
    for source in found:
        team = teams[source.learner] if source.exercise in for_teams else ""
        whose.setdefault(source.url, set()).add((source.exercise, team or source.learner))
    if any(len(several) > 1 for several in whose.values()) or len(found) < len(learners) * len(exercises):
        hint = "It needs {id} (or {team}, for a team's exercise) and, with several exercises, {exercise}."
        raise BadInput(Problem("--push: several hand-outs would go to one repository", hint))
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
