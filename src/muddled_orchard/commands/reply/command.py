"""Write each learner's feedback over all their exercises: a page, Markdown and plain text, to send back.

All from the ledger: nothing is graded again. Without --key nothing says what was wanted.
"""

from __future__ import annotations

import argparse
import sys
from contextlib import ExitStack
from pathlib import Path

from muddled_orchard.classroom.standing import read_class
from muddled_orchard.commands.options import (
    add_course,
    add_jobs,
    add_ledger,
    add_quiet,
    course_of,
    ledger_of,
    new_file,
    on_disk,
)
from muddled_orchard.commands.reply.replying import FORMS, NAME, chosen, packed_names, replied
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.class_record import ClassRecord
from muddled_orchard.core.course.feedback import PLAIN, Telling
from muddled_orchard.core.course.totals import LearnerTotal
from muddled_orchard.core.git.trees import PLAIN_FILE, File
from muddled_orchard.core.grading.assessment import HINTS
from muddled_orchard.files.archives.packing import pack
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.show.terminal.progress import with_progress
from muddled_orchard.system.output import PRIVATE, STDOUT, write_file
from muddled_orchard.system.temporary import temporary_folder

EXAMPLES = (
    "muddled reply --out feedback",
    "muddled reply --zip feedback.zip --hint 1",
    "muddled reply suvi --out feedback --key",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled reply`."""
    parser.add_argument("learners", metavar="LEARNER", nargs="*", help="whose (default: everybody's)")
    parser.add_argument(
        "--out", metavar="DIR", type=on_disk, help="the folder to write to, a folder a learner"
    )
    parser.add_argument(
        "--zip", metavar="FILE", type=new_file,
        help="pack all of it, in the layout in which submissions came, so that a platform takes it back",
    )  # fmt: skip
    parser.add_argument(
        "--exercise", metavar="ID", action="append", default=[], help="only this one; can be repeated"
    )
    parser.add_argument("--key", action="store_true", help="say what was wanted, and why")
    parser.add_argument(
        "--hint", type=int, choices=HINTS,
        help=f"without --key: 1 where to look, 2 what is wrong there, 3 how to find out (default: {PLAIN})",
    )  # fmt: skip
    add_ledger(parser)
    add_course(parser)
    add_jobs(parser)
    add_quiet(parser, "no progress, and nothing said")


def run(options: argparse.Namespace) -> int:
    """Read the ledger, write everybody's files, pack them."""
    if options.out is None and options.zip is None:
        raise BadInput(Problem("where to?", "Name a folder with --out DIR, or an archive with --zip FILE."))
    if options.key and options.hint:
        raise BadInput(Problem("--key tells everything, --hint does not", "Ask for one of them."))
    course = course_of(options)
    path = ledger_of(options, course)
    with ExitStack() as held:
        ledger = Ledger(path)
        held.callback(ledger.close)
        record = read_class(ledger, course)
        totals = chosen(record, options.learners, options.exercise)
        if not totals:
            hint = "muddled handout begins."
            raise BadInput(
                Problem("nothing was handed out: there is nothing to reply to", hint, file=str(path))
            )
        out: Path = options.out or held.enter_context(temporary_folder())
        telling = Telling(key=options.key, hint=options.hint or PLAIN)
        done = 0
        try:
            with replied(ledger, record, totals, telling, out, options.jobs) as going:
                for _ in with_progress(going, len(totals), "Writing", quiet=options.quiet):
                    done += 1
        except KeyboardInterrupt:
            said = f"The feedback of {done} of {len(totals)} is written"
            print(f"{said}; the same command writes all of it.", file=sys.stderr)
            raise
        packed = _pack(options.zip, out, record, totals) if options.zip is not None else 0
    if not options.quiet and options.zip != STDOUT:
        _say(options, len(totals), packed)
    return 0


def _pack(archive: Path, out: Path, record: ClassRecord, totals: list[LearnerTotal]) -> int:
    """Pack the files of those who handed something in, in the layout of their submissions; how many."""
    names = packed_names(record, totals)
    files = {
        f"{name}/{NAME}.{form}": File(PLAIN_FILE, (out / learner / f"{NAME}.{form}").read_bytes())
        for learner, name in names.items()
        for form in FORMS
    }
    write_file(archive, pack(files, "", "zip"), PRIVATE)
    return len(names)


def _say(options: argparse.Namespace, count: int, packed: int) -> None:
    if options.out is not None:
        files = f"{NAME}.html, {NAME}.md and {NAME}.txt"
        print(f"{counted(count, 'learner')}: {options.out}/LEARNER/ has {files}.")
    if options.zip is not None:
        who = f"the {packed} who handed something in"
        print(f"{options.zip} has the feedback of {who}, as their work was called.")
    if not options.key:
        print("Nothing in it says what was wanted; --key does.")
