"""Grade one submission or a whole folder of them; nothing in a submission is run or changed."""

from __future__ import annotations

import argparse
import importlib
import os
import sys
from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.classroom.marking import GradingRun, RunRecord, marked
from muddled_orchard.classroom.standing import allowances_of
from muddled_orchard.commands.grade.fetching import fetched, is_url
from muddled_orchard.commands.grade.writers import WRITERS, Graded
from muddled_orchard.commands.options import (
    LEDGER,
    add_bounds,
    add_cluster,
    add_course,
    add_exercise,
    add_jobs,
    add_ledger,
    add_quiet,
    add_run_rules,
    add_table_form,
    bounds_of,
    course_of,
    exercise_of,
    machines_of,
    new_file,
    table_form_of,
)
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.changes import MarkChange, in_order_of_size, mark_change, summed
from muddled_orchard.core.course.class_entry import ClassEntry, class_entry
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.findings import ClassFinding, passed_over
from muddled_orchard.core.grading.assessment import HINTS
from muddled_orchard.core.grading.hints import for_learner
from muddled_orchard.files.archives.submissions import Handed, find_submissions
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.scenarios.own_scenarios import beside
from muddled_orchard.files.stored_results import prepare_reading
from muddled_orchard.show.terminal.progress import with_progress
from muddled_orchard.system.output import PRIVATE, PUBLIC, STDOUT, write_file
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import Machines

if TYPE_CHECKING:
    from muddled_orchard.files.course.course_file import CourseFile
    from muddled_orchard.files.course.ledger import Ledger
    from muddled_orchard.files.spool import Spool

UNREADABLE = 2

_MOST_IN_MEMORY = 500
"""How many results are kept in memory; more lie on the disk."""

EXAMPLES = (
    "muddled grade practice",
    "muddled grade handed-in --ledger orchard.db --csv grades.csv",
    "muddled grade practice --for-learner --hint 2",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled grade`."""
    parser.add_argument(
        "submissions", metavar="SUBMISSION", nargs="+",
        help="a practice folder, a repository (also its URL), an archive, a bundle, or a folder or zip file"
        " full of these",
    )  # fmt: skip
    parser.add_argument(
        "--scenarios", metavar="PATH", action="append", default=[],
        help="a scenario file or a folder of them, before the ledger's and the bundled ones; can be repeated",
    )  # fmt: skip
    add_exercise(parser)
    add_ledger(parser, ", where there is one")
    add_course(parser)
    parser.add_argument(
        "--again", action="store_true", help="grade anew what the ledger has graded and hasn't changed"
    )
    parser.add_argument(
        "--compare",
        action="store_true",
        help="grade all of it anew, write nothing, and say whose marks would change, and by what",
    )
    parser.add_argument(
        "--pass-mark", metavar="PERCENT", type=float, help="exit with 1 if anybody is below this"
    )
    parser.add_argument(
        "--for-learner",
        action="store_true",
        help="feedback to try again with: every output leaves out what is wanted",
    )
    parser.add_argument(
        "--hint", type=int, choices=HINTS,
        help="with --for-learner: 1 where to look (default), 2 what is wrong there, 3 how to find out",
    )  # fmt: skip
    for writer in WRITERS:
        parser.add_argument(f"--{writer.option}", metavar="FILE", type=new_file, help=writer.help)
    parser.add_argument(
        "--wide", action="store_true", help="with --csv: a row a learner, a column with points an exercise"
    )
    add_table_form(parser)
    add_run_rules(parser)
    parser.add_argument("--json", action="store_true", help="print the result file (JSON) instead")
    add_jobs(parser)
    add_cluster(parser)
    parser.add_argument(
        "--ship",
        action="store_true",
        help="with --cluster: send submissions there; else its machines see them under the same paths",
    )
    add_bounds(parser)
    add_quiet(parser, "no progress, and no view of the results")


def run(options: argparse.Namespace) -> int:
    """Grade, write files, show."""
    _refuse_contradictions(options)
    if options.pass_mark is None and (plan := course_of(options)) is not None:
        options.pass_mark = plan.plan.pass_mark
    done, findings, course = _graded(options)
    shown = done.results
    # What is wanted, and what the pile shows, stays with the course.
    if options.for_learner:
        strength = options.hint or HINTS[0]
        shown = [replace(result, assessment=for_learner(result.assessment, strength)) for result in shown]
        findings = ()
    _write(options, course, shown)
    found = () if options.for_learner else in_order_of_size(done.changes)
    if options.json:
        from muddled_orchard.commands.grade.as_json import result_file

        sys.stdout.write(result_file(shown, findings, found))
    elif options.compare:
        show_compared(done, found)
    elif not any(_to_stdout(options)):
        _show(options, done, findings)
        if found and not options.quiet:
            show_changed(found)
    return exit_code(done.entries, options.pass_mark)


def _to_stdout(options: argparse.Namespace) -> list[bool]:
    """For each output that a person may want to pass on: whether it goes to standard output."""
    return [*(getattr(options, writer.key) == STDOUT for writer in WRITERS), options.json]


def _refuse_contradictions(options: argparse.Namespace) -> None:
    if options.pass_mark is not None and not 0 <= options.pass_mark <= 100:
        raise BadInput(Problem(f"--pass-mark {options.pass_mark:g} is no percentage", "Give 0 to 100."))
    if options.compare and (options.for_learner or any(getattr(options, writer.key) for writer in WRITERS)):
        raise BadInput(Problem("--compare writes no file and is for nobody else", "It goes with --json."))
    if options.hint and not options.for_learner:
        raise BadInput(Problem("--hint goes with --for-learner"))
    if options.wide and options.csv is None:
        raise BadInput(Problem("--wide goes with --csv FILE"))
    table_form_of(options)  # before anything is graded
    machines_of(options)
    if sum(_to_stdout(options)) > 1:
        raise BadInput(Problem("only one thing can go to standard output", "Name a file for the others."))


def _graded(options: argparse.Namespace) -> tuple[GradedClass, tuple[ClassFinding, ...], GradingRun]:
    """The submissions that were named, graded; what the pile shows; and the course that they belong to."""
    urls = [named for named in options.submissions if is_url(named)]
    places = [Path(named) for named in options.submissions if not is_url(named)]
    course_file = course_of(options)
    named = [*(options.scenarios or ()), *(course_file.own_scenarios if course_file else ())]
    library = ScenarioLibrary(named, beside(places))
    bounds = replace(bounds_of(options), own=_own_files(options))
    with ExitStack() as folders:
        pile = find_submissions(places, lambda: folders.enter_context(temporary_folder()), bounds)
        if urls:
            folder = folders.enter_context(temporary_folder())
            pile = replace(pile, handed=(*pile.handed, *(fetched(url, folder, bounds) for url in urls)))
        ledger = _ledger(options.ledger, course_file)
        if ledger is not None:
            folders.callback(ledger.close)
        elif options.compare:
            what = "--compare compares with what a ledger holds, and there is none here"
            raise BadInput(Problem(what, "Name it with --ledger."))
        allowances = allowances_of(ledger, course_file.plan if course_file else None)
        course = GradingRun(library, ledger, allowances, exercise_of(options, library))
        for one in course.scenarios.passed_over:
            print(one.said, file=sys.stderr)
        in_full = any(_to_stdout(options)) or any(getattr(options, writer.key) for writer in WRITERS)
        done = grade_all(
            pile.handed,
            course,
            bounds,
            machines_of(options),
            again=options.again or options.compare,
            quiet=options.quiet,
            run_rules=options.run_rules,
            keep=not options.compare,
            in_full=in_full or options.for_learner or len(pile.handed) == 1,
        )
        findings = course.findings(done.entries) if len(done.entries) > 1 or ledger else ()
        return done, (*findings, *passed_over(pile.pages, pile.empty)), course


def _show(
    options: argparse.Namespace,
    done: GradedClass,
    findings: Sequence[ClassFinding],
) -> None:
    """What people read. What shows it is loaded when there are results: the class comes first."""
    if options.quiet:
        if exit_code(done.entries, options.pass_mark) == UNREADABLE:
            why = dict.fromkeys(entry.reason for entry in done.entries)
            print(f"Nothing could be read: {listed(list(why), 2)}.", file=sys.stderr)
    elif options.for_learner:
        from muddled_orchard.core.course.one_result import learner_blocks
        from muddled_orchard.show.document.terminal import show_blocks
        from muddled_orchard.show.terminal.plain import Plain

        for number, result in enumerate(done.results):  # it leaves out by itself what is wanted
            if number:
                print()
            show_blocks(Plain(), learner_blocks(result, options.hint or HINTS[0]))
    else:
        show(done, findings)


def _own_files(options: argparse.Namespace) -> tuple[str, ...]:
    """The full paths of what this run writes, also in its next turn: continuous integration grades the folder
    that it stands in."""
    files = [file for writer in WRITERS if (file := getattr(options, writer.key)) is not None]
    ledger = options.ledger or Path(LEDGER)
    files += [ledger.with_name(ledger.name + more) for more in ("", "-wal", "-shm", "-journal")]
    return tuple(os.path.realpath(file) for file in files if str(file) != "-")


def _ledger(named: Path | None, course: CourseFile | None) -> Ledger | None:
    path = named or (course.ledger if course else Path(LEDGER))
    if named is None and not path.is_file():
        return None
    from muddled_orchard.files.course.ledger import Ledger  # SQLite takes its time, and not everybody has one

    return Ledger(path)


class GradedClass(Struct, frozen=True):
    """What was graded: an entry for each submission, whose marks have changed, and the results in full where
    these are wanted (`results` is empty otherwise)."""

    entries: list[ClassEntry]
    changes: list[MarkChange]
    results: Sequence[Collected]

    @property
    def compared(self) -> int:
        """How many were compared with an earlier grading of the same work."""
        return sum(entry.compared for entry in self.entries)


def grade_all(
    submissions: Sequence[Handed],
    course: GradingRun,
    bounds: Bounds,
    machines: Machines,
    *,
    again: bool = False,
    quiet: bool,
    run_rules: bool = False,
    keep: bool = True,
    in_full: bool = False,
) -> GradedClass:
    """Grade with progress. Whoever stops it is told how to go on. With `in_full` the results are kept as a
    whole: of a large class on the disk."""
    results: list[Collected] | Spool = [] if len(submissions) <= _MOST_IN_MEMORY else _spool()
    done = GradedClass([], [], results)
    kept = RunRecord() if keep else None
    try:
        with marked(
            submissions, course, bounds, machines, again=again, run_rules=run_rules, keep=kept
        ) as going:
            if len(submissions) == 1 and not quiet:
                _load_view()  # while it is graded
            for collected in with_progress(going, len(submissions), "Grading", quiet=quiet):
                done.entries.append(class_entry(collected))
                if (change := mark_change(collected)) is not None:
                    done.changes.append(change)
                if in_full:
                    results.append(collected)
    except KeyboardInterrupt:
        count, where = len(done.entries), "without a ledger nothing is kept"
        if course.ledger and kept is not None:
            count = kept.count
            where = "they are in the ledger: the same command goes on from there"
        print(f"{count} of {len(submissions)} were graded; {where}.", file=sys.stderr)
        raise
    return done


def _spool() -> Spool:
    from muddled_orchard.files.spool import Spool

    return Spool()


def _write(options: argparse.Namespace, course: GradingRun, results: Sequence[Collected]) -> None:
    graded = Graded(
        results=results,
        hand_outs=course.hand_outs,
        roster=course.roster,
        excused=course.excused,
        wide=options.wide,
        hint=(options.hint or HINTS[0]) if options.for_learner else None,
        form=table_form_of(options),
    )
    for writer in WRITERS:
        file = getattr(options, writer.key)
        if file is not None:
            write_file(file, writer.content(graded), PRIVATE if writer.private else PUBLIC)


def _load_view() -> None:
    prepare_reading()
    for name in ("core.course.one_result", "show.document.terminal"):
        importlib.import_module(f"muddled_orchard.{name}")


def show(done: GradedClass, findings: Sequence[ClassFinding] = ()) -> None:
    """Prose for one, a table for many."""
    if len(done.entries) == 1:
        from muddled_orchard.commands.grade.class_findings import show_findings
        from muddled_orchard.core.course.one_result import result_blocks
        from muddled_orchard.show.document.terminal import show_blocks
        from muddled_orchard.show.terminal.plain import Plain

        show_blocks(Plain(), result_blocks(done.results[0]))
        show_findings(Plain(), [finding for finding in findings if finding.submissions])
    else:
        from muddled_orchard.commands.grade.terminal import show_many
        from muddled_orchard.show.terminal.plain import Plain

        show_many(Plain(), done.entries, findings)


def show_changed(changes: Sequence[MarkChange]) -> None:
    """Whose marks have changed, below the table."""
    from muddled_orchard.commands.grade.changed_marks import show_changes
    from muddled_orchard.show.terminal.plain import Plain

    show_changes(Plain(), changes)


def show_compared(done: GradedClass, changes: Sequence[MarkChange]) -> None:
    """Whose marks would change, and that nothing was written."""
    from muddled_orchard.show.terminal.plain import Plain

    show_changed(changes)
    Plain().line(summed(changes, done.compared))
    if done.compared < len(done.entries):
        print(f"{counted(len(done.entries) - done.compared, 'submission')} had not been graded before.")
    print("Nothing was written: the ledger is as it was.")


def exit_code(entries: Sequence[ClassEntry], pass_mark: float | None) -> int:
    """2 if nothing could be read, 1 if somebody is below the pass mark, else 0."""
    if all(entry.state == "unreadable" for entry in entries):
        return UNREADABLE
    below = pass_mark is not None and any(
        entry.counted < pass_mark for entry in entries if entry.uncounted != "practice"
    )
    return 1 if below else 0
