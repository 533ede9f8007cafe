"""Grade one submission or a whole folder of them; nothing in a submission is run or changed."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path

from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.files.catalogue import Shelf
from muddled_orchard.files.submissions import find_submissions
from muddled_orchard.reports.grade_json import result_file
from muddled_orchard.reports.grade_view import show_many, show_one
from muddled_orchard.reports.graded import Graded
from muddled_orchard.reports.learner_view import STRENGTHS, show_for_learner
from muddled_orchard.reports.terminal import console, with_progress
from muddled_orchard.vcs.grading import grader


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled grade`."""
    parser.add_argument(
        "submissions", metavar="SUBMISSION", nargs="+", type=Path,
        help="a practice folder, its work/, a bare repository, or a folder full of these",
    )  # fmt: skip
    parser.add_argument(
        "--scenarios", metavar="PATH", action="append", default=[],
        help="a scenario file, or a folder of them, besides the bundled ones; can be repeated",
    )  # fmt: skip
    parser.add_argument(
        "--pass-mark", metavar="PERCENT", type=float, help="exit with 1 if anybody is below this"
    )
    parser.add_argument(
        "--for-learner", action="store_true", help="feedback to try again with: it leaves out what is wanted"
    )
    parser.add_argument(
        "--hint",
        type=int,
        choices=STRENGTHS,
        help="how much --for-learner gives away (default: 1, where to look)",
    )
    parser.add_argument("--json", action="store_true", help="print the result file (JSON) instead")
    parser.add_argument("--quiet", action="store_true", help="no progress, and no view of the results")


def run(options: argparse.Namespace) -> int:
    """Grade and show."""
    if options.pass_mark is not None and not 0 <= options.pass_mark <= 100:
        raise BadInput(Problem(f"--pass-mark {options.pass_mark:g} is no percentage", "Give 0 to 100."))
    if options.for_learner and options.json:
        raise BadInput(Problem("the result file says what is wanted", "Use --for-learner without --json."))
    if options.hint and not options.for_learner:
        raise BadInput(Problem("--hint goes with --for-learner"))
    shelf = Shelf(options.scenarios)
    submissions = find_submissions(options.submissions)
    results = grade_all(submissions, shelf, quiet=options.quiet)
    if options.json:
        sys.stdout.write(result_file(results))
    elif options.for_learner:
        for result in results:
            show_for_learner(console(), result, options.hint or STRENGTHS[0])
    elif not options.quiet:
        show(results)
    return exit_code(results, options.pass_mark)


def grade_all(submissions: Sequence[tuple[Path, str]], shelf: Shelf, *, quiet: bool) -> list[Graded]:
    """Grade (path, learner) pairs, with progress."""

    def graded() -> Iterator[Graded]:
        with grader(shelf.find) as one:
            paths = [path for path, _ in submissions]
            for (path, learner), assessment in zip(submissions, one.grade(paths), strict=True):
                yield Graded(str(path), learner, assessment)

    return list(with_progress(graded(), len(submissions), "Grading", quiet=quiet))


def show(results: Sequence[Graded]) -> None:
    """Prose for one, a table for many."""
    if len(results) == 1:
        show_one(console(), results[0])
    else:
        show_many(console(), results)


def exit_code(results: Sequence[Graded], pass_mark: float | None) -> int:
    """2 if nothing could be read, 1 if somebody is below the pass mark, else 0."""
    if all(result.assessment.state == "unreadable" for result in results):
        return 2
    below = pass_mark is not None and any(result.assessment.percent < pass_mark for result in results)
    return 1 if below else 0
