"""Practise alone until it sits: the next exercise, looked at, with hints, and again with other values.

A drill is no exam: the keys of bundled exercises are on your machine.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

from muddled_orchard.commands.drill.practising import Drill
from muddled_orchard.commands.drill.terminal import (
    show_begun,
    show_looked,
    show_nothing_due,
    show_standings,
)
from muddled_orchard.commands.options import add_course, course_of, new_file, on_disk
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.show.terminal.plain import Plain

EXAMPLES = (
    "muddled drill",
    "muddled drill rebase",
    "muddled drill --check",
    "muddled drill --export drilled.zip",
)

FOLDER = Path("drill")


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled drill`."""
    parser.add_argument(
        "kinds", metavar="KIND", nargs="*",
        help="what to drill: an operation or a kind of conflict, as in rebase or modify/delete; next is what "
        "most needs it (default: look at the exercise at hand, else show where you stand)",
    )  # fmt: skip
    instead = parser.add_mutually_exclusive_group()
    instead.add_argument("--any", action="store_true", help="the next exercise, whatever is most wanting")
    instead.add_argument("--check", action="store_true", help="look at the exercise at hand")
    instead.add_argument(
        "--show", action="store_true", help="show the answer to the exercise at hand; it then counts as wrong"
    )
    instead.add_argument("--table", action="store_true", help="show where you stand")
    instead.add_argument(
        "--export", metavar="FILE", type=new_file, help="pack what you have done (zip), to hand it in"
    )
    parser.add_argument(
        "--folder",
        metavar="DIR",
        type=on_disk,
        default=FOLDER,
        help="where the exercises lie (default: drill)",
    )
    add_course(parser)
    instead.add_argument("--json", action="store_true", help="print where you stand as JSON instead")


def run(options: argparse.Namespace) -> int:
    """Show, begin, look or pack; 1 while the exercise at hand is not right."""
    if options.kinds and (options.check or options.show or options.table or options.export or options.json):
        hint = "muddled drill KIND begins an exercise; the options are for what was begun."
        raise BadInput(Problem(f'"{options.kinds[0]}" and an option don\'t go together', hint))
    course, now = course_of(options), datetime.now(UTC)
    drill = Drill(options.folder, course.ids.values() if course else ())
    if options.export is not None:
        count = drill.export(options.export)
        print(f"Written: {options.export}, with {count} of your exercises.", file=sys.stderr)
        return 0
    if options.json:
        from muddled_orchard.commands.drill.as_json import drill_file

        sys.stdout.write(drill_file(drill))
        return 0
    if options.show:
        return _show(drill, now)
    if options.kinds or options.any:
        return _begin(drill, options.kinds or (course.plan.drill if course else ()), now)
    if options.check or (drill.at_hand is not None and not options.table):
        looked = drill.look(now)
        show_looked(Plain(), drill, looked)
        return 0 if looked.right else 1
    show_standings(Plain(), drill)
    return 0


def _begin(drill: Drill, wanted: Sequence[str], now: datetime) -> int:
    if drill.at_hand is not None:
        what = f"{drill.place(drill.at_hand)} is at hand"
        hint = "muddled drill looks at it; muddled drill --show gives its answer, and another one."
        raise BadInput(Problem(what, hint))
    begun = drill.begin(wanted, now)
    if begun is None:
        show_nothing_due(Plain(), drill, wanted)
    else:
        show_begun(Plain(), drill, begun)
    return 0


def _show(drill: Drill, now: datetime) -> int:
    """The answer as the walkthrough demonstrates it, and the same task with other values."""
    from muddled_orchard.commands.drill.terminal import show_answer

    given, again = drill.give_away(now)
    show_answer(Plain(), given)
    show_begun(Plain(), drill, again, again=True)
    return 0
