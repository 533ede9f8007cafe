"""The whole round in one go: hand out to thirty made-up learners, act as each of them, grade what returns."""

from __future__ import annotations

import argparse
from pathlib import Path

from muddled_orchard.classroom.marking import GradingRun
from muddled_orchard.classroom.standing import read_class
from muddled_orchard.commands.demo.made_class import (
    BACK,
    COURSE,
    EXERCISE,
    LEARNERS,
    LEDGER,
    READ_ALOUD,
    hand_out,
    prepare,
    work,
)
from muddled_orchard.commands.demo.terminal import show_demo
from muddled_orchard.commands.grade.command import grade_all
from muddled_orchard.commands.options import add_jobs, add_quiet, on_disk
from muddled_orchard.commands.reply.replying import chosen, replied
from muddled_orchard.commands.tally.command import count_class, write_page
from muddled_orchard.commands.walkthrough.page import walkthrough_page
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.feedback import Telling
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.files.archives.submissions import find_submissions
from muddled_orchard.files.course.course_file import load_course
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary, load, scenario_path
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.show.terminal.plain import Plain
from muddled_orchard.show.terminal.progress import with_progress
from muddled_orchard.system.output import write_file
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import Machines
from muddled_orchard.vcs.walkthrough.walking import walk_through

CLASS_PAGE, FEEDBACK, WALKTHROUGH = "class.html", "feedback", "walkthrough.html"
PASSWORDS = "passwords.csv"

EXAMPLES = (
    "muddled demo",
    "muddled demo somewhere-else",
    "muddled demo --host",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled demo`."""
    parser.add_argument(
        "folder", metavar="DIR", type=on_disk, nargs="?", default=Path("muddled-demo"),
        help="a new or an empty folder (default: %(default)s)",
    )  # fmt: skip
    parser.add_argument(
        "--host", action="store_true",
        help="instead: a running lesson, in which the class clones and pushes while you watch the board",
    )  # fmt: skip
    parser.add_argument(
        "--port", metavar="N", type=int, default=8000, help="where --host listens (default: %(default)s)"
    )
    add_jobs(parser)
    add_quiet(parser, "no progress")


def run(options: argparse.Namespace) -> int:
    """Hand out, work, grade, show; or serve a class at work."""
    folder: Path = options.folder
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise BadInput(
            Problem("this is not an empty folder", "Name another: muddled demo DIR", file=str(folder))
        )
    if options.host:
        return _serve(folder, options)
    walkthrough = walk_through(load(scenario_path(EXERCISE)), PLAIN_VARIANT)
    hand_outs = hand_out(folder, options.jobs)
    at_work = work(folder, hand_outs, options.jobs)
    for _ in with_progress(at_work, len(hand_outs), "Learners at work", quiet=options.quiet):
        pass
    ledger = Ledger(folder / LEDGER)
    try:
        course = GradingRun(ScenarioLibrary(), ledger)
        graded = {
            exercise: grade_all(
                find_submissions([folder / back]).handed,
                course,
                Bounds(),
                Machines(options.jobs),
                quiet=options.quiet,
                in_full=exercise == EXERCISE,
            )
            for exercise, back in BACK.items()
        }
        done = graded[EXERCISE]
        findings = course.findings(done.entries)
        plan = load_course(folder / COURSE)
        counted = count_class(ledger, plan)
        record = read_class(ledger, plan)
        totals = chosen(record, (), ())
        writing = replied(ledger, record, totals, Telling(key=True), folder / FEEDBACK, options.jobs)
        with writing as going:
            for _ in with_progress(going, len(totals), "Writing feedback", quiet=options.quiet):
                pass
    finally:
        ledger.close()
    write_page(counted, folder / CLASS_PAGE)
    write_file(folder / WALKTHROUGH, walkthrough_page(walkthrough).encode())
    behaviours = {id_: named(behaviour).said for id_, (_, behaviour, form) in LEARNERS.items() if form}
    show_demo(Plain(), str(folder), walkthrough, behaviours, done.entries, done.results, findings, READ_ALOUD)
    return 0


def _serve(folder: Path, options: argparse.Namespace) -> int:
    """A host on the demo data, and a class that comes in while it runs."""
    import threading

    from muddled_orchard.commands.demo.live_class import LiveClass, come_in
    from muddled_orchard.commands.host.command import host_options, serve_with, write_passwords_with
    from muddled_orchard.core.course.passwords import INSTRUCTOR
    from muddled_orchard.files.course.password_file import read_passwords

    prepare(folder)
    about = ["--course", str(folder / COURSE), "--port", str(options.port), "--quiet"]
    write_passwords_with(host_options([*about, "--passwords", str(folder / PASSWORDS)]))
    hosting = host_options(about)
    passwords = read_passwords(folder / PASSWORDS)
    over = threading.Event()
    with temporary_folder() as sessions:

        def begun(url: str) -> None:
            print(f"The instructor's password is {passwords[INSTRUCTOR]}; everybody's: {folder / PASSWORDS}")
            print("The class comes in now: the board fills over the next minutes.", flush=True)
            live = LiveClass(url, passwords, sessions)
            threading.Thread(target=come_in, args=(live, folder / LEDGER, over), daemon=True).start()

        try:
            return serve_with(hosting, begun)
        finally:
            over.set()
