"""Where everybody stands right now, who needs help first: from folders, or from what a host receives."""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Protocol

from muddled_orchard.classroom.marking import GradingRun
from muddled_orchard.classroom.standing import allowances_of
from muddled_orchard.commands.board.folder_board import folder_board
from muddled_orchard.commands.board.ledger_board import LedgerBoard, RowDetail
from muddled_orchard.commands.options import (
    add_bounds,
    add_course,
    add_exercise,
    add_jobs,
    add_ledger,
    bounds_of,
    course_of,
    exercise_of,
    ledger_of,
)
from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.course.board import Board
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.files.course.course_file import CourseFile
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.scenarios.own_scenarios import beside

EXAMPLES = (
    "muddled board",
    "muddled board /srv/practice --every 10",
    "muddled board --show ada",
)

_EVERY = 5.0
_SHORTEST = 0.5


class _Boards(Protocol):
    def look(self) -> Board:
        """The board as it is now."""

    def details(self, learner: str) -> list[RowDetail]:
        """What is behind a learner's row."""


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled board`."""
    parser.add_argument(
        "folders", metavar="FOLDER", nargs="*", type=Path,
        help="practice folders, or folders full of them (default: what a host has written in the ledger)",
    )  # fmt: skip
    parser.add_argument(
        "--every", metavar="SECONDS", type=float, default=_EVERY,
        help="how often it is looked (default: %(default)g)",
    )  # fmt: skip
    parser.add_argument("--once", action="store_true", help="look once, and end")
    parser.add_argument(
        "--show", metavar="LEARNER", help="what is behind a row: the conflict as it was left, and both sides"
    )
    parser.add_argument(
        "--scenarios", metavar="PATH", action="append", default=[],
        help="a scenario file or a folder of them, before the ledger's and the bundled ones; can be repeated",
    )  # fmt: skip
    add_exercise(parser)
    add_ledger(parser, ", where there is one")
    add_course(parser)
    add_jobs(parser)
    add_bounds(parser)
    parser.add_argument("--json", action="store_true", help="print JSON instead, once")


def run(options: argparse.Namespace) -> int:
    """Show the board, again and again where somebody looks at a terminal."""
    if options.every < _SHORTEST:
        raise BadInput(Problem(f"--every {options.every:g} is too often", f"Give {_SHORTEST:g} or more."))
    course = course_of(options)
    title = course.plan.title if course else "The class"
    with _boards(options, course) as boards:
        if options.show is not None:
            _open(boards, options.show)
        elif options.json:
            from muddled_orchard.commands.board.as_json import board_file

            sys.stdout.write(board_file(boards.look()))
        else:
            _watch(boards, title, options.every, once=options.once)
    return 0


@contextmanager
def _boards(options: argparse.Namespace, course: CourseFile | None) -> Iterator[_Boards]:
    path = ledger_of(options, course)
    if not options.folders:
        ledger = HostLedger(path)
        try:
            order = [course.ids[exercise.scenario] for exercise in course.plan.exercise] if course else []
            yield LedgerBoard(ledger, order, ledger.titles(), course.plan if course else None)
        finally:
            ledger.close()
        return
    named = [*options.scenarios, *(course.own_scenarios if course else ())]
    known = HostLedger(path) if options.ledger is not None or path.is_file() else None
    try:
        allowances = allowances_of(known, course.plan if course else None)
        library = ScenarioLibrary(named, beside(options.folders))
        about = GradingRun(library, known, allowances, exercise_of(options, library))
        with folder_board(options.folders, about, bounds_of(options), options.jobs, known) as boards:
            yield boards
    finally:
        if known is not None:
            known.close()


def _watch(boards: _Boards, title: str, every: float, *, once: bool) -> None:
    from muddled_orchard.commands.board.terminal import board_view
    from muddled_orchard.show.terminal.console import console

    on = console()
    if once or not on.is_terminal:
        on.print(board_view(on, title, boards.look(), datetime.now().astimezone()))
        return
    from rich.live import Live

    with Live(console=on, screen=True, auto_refresh=False) as live:
        while True:
            shown = boards.look()
            view = board_view(on, title, shown, datetime.now().astimezone(), most=on.height)
            live.update(view, refresh=True)
            time.sleep(every)


def _open(boards: _Boards, learner: str) -> None:
    """What is behind a row. Raises BadInput where there is no such learner."""
    from muddled_orchard.core.course.one_result import result_blocks
    from muddled_orchard.show.document.terminal import show_blocks
    from muddled_orchard.show.terminal.peeked import show_peek
    from muddled_orchard.show.terminal.plain import Plain

    shown = boards.look().rows
    rows = {who: row for row in shown for who in (row.learner, *row.seen.team)}
    if learner not in rows:
        raise BadInput(Problem(f'there is no learner "{learner}" on the board', likely(learner, rows)))
    on = Plain()
    details = boards.details(learner)
    begun = [
        detail
        for detail in details
        if detail.assessment.state != "untouched" or not (detail.looked and detail.looked.done)
    ]
    details = [detail for detail in begun if detail.assessment.state != "untouched"] or begun or details
    if not details:
        print("There is nothing of theirs to be seen yet.")
    for number, detail in enumerate(details):
        if number:
            on.line()
        if detail.looked is not None and not detail.looked.done:
            show_peek(on, detail.looked)
            on.line()
        name = rows[learner].name
        result = Collected(
            submission=detail.place, learner=learner, name=name, known=True, assessment=detail.assessment
        )
        show_blocks(on, result_blocks(result))
