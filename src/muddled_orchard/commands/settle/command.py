"""Let a person say the last word on a criterion, a conflict or all of it; the grader's stands beside it.

A verdict on a criterion or a conflict holds for the work that was looked at, also when that is graded again;
what is handed in later is graded by itself. A verdict on the whole exercise holds whatever is handed in.
"""

from __future__ import annotations

import argparse
import getpass
import re
import sys
from collections.abc import Iterable, Iterator
from datetime import datetime, tzinfo
from functools import partial

from msgspec import Struct

from muddled_orchard.commands.options import add_course, add_ledger, course_of, ledger_of
from muddled_orchard.commands.settle.as_json import settle_json
from muddled_orchard.commands.settle.terminal import (
    show_allowed,
    show_how_to_answer,
    show_settled,
    show_waiting,
    show_whose,
    show_work,
)
from muddled_orchard.commands.settle.work_to_settle import Settling
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.class_record import WorkToSettle
from muddled_orchard.core.course.totals import Attempt
from muddled_orchard.core.grading.settling import ALL
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.show.json.writing import json_text
from muddled_orchard.show.terminal.plain import Plain

EXAMPLES = (
    "muddled settle",
    "muddled settle suvi press-limit --on press.toml --earns 50",
    "muddled settle --next",
    "muddled settle suvi press-limit --due 2031-09-12T18:00 --reason Ill",
    "muddled settle suvi press-limit --on press.toml --undo",
    "muddled settle ada two-at-one-line --met --team",
)

ALLOWED = "due"
"""What stands for what is allowed to a learner, where a verdict is taken back."""

_LONGEST_REASON = 1_000


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled settle`."""
    parser.add_argument(
        "learner", metavar="LEARNER", nargs="?", help="whose work (default: list what needs a look)"
    )
    parser.add_argument("exercise", metavar="EXERCISE", nargs="?", help="the exercise's id")
    parser.add_argument(
        "--on",
        metavar="WHAT",
        default=ALL,
        help="what the verdict is on: a criterion, a conflict (FILE, FILE:HUNK or FILE@COMMIT), all of the "
        f"exercise, or, to take back --due or --excuse, {ALLOWED} (default: %(default)s)",
    )
    verdict = parser.add_mutually_exclusive_group()
    verdict.add_argument("--met", action="store_true", help="it earns all of its points")
    verdict.add_argument("--missed", action="store_true", help="it earns none of its points")
    verdict.add_argument(
        "--earns", metavar="PERCENT", type=_percent, help="it earns this share of its points"
    )
    verdict.add_argument("--as-graded", action="store_true", help="looked at, and it stays as graded")
    parser.add_argument(
        "--due", metavar="TIME",
        help="this learner has time until then: 2031-09-12T18:00, or 2031-09-12 for the end of that day",
    )  # fmt: skip
    parser.add_argument(
        "--excuse", action="store_true", help="this learner is excused: the exercise counts nowhere"
    )
    parser.add_argument("--undo", action="store_true", help="take the newest verdict on it back")
    parser.add_argument(
        "--next",
        action="store_true",
        help="go through what needs a look, one by one; answers are lines on standard input",
    )
    parser.add_argument("--reason", metavar="TEXT", default="", help="why; the learner reads it too")
    parser.add_argument("--by", metavar="NAME", default="", help="who says so (default: your login name)")
    parser.add_argument(
        "--submission",
        metavar="PATH",
        help="the attempt, as the ledger names it (default: the one that counts)",
    )
    parser.add_argument(
        "--team", action="store_true", help="for all who share the work with LEARNER, not for one alone"
    )
    add_ledger(parser)
    add_course(parser)
    parser.add_argument(
        "--json", action="store_true", help="print what needs a look and every verdict as JSON"
    )


def run(options: argparse.Namespace) -> int:
    """List, show, settle or take back."""
    earned, given = _verdict(options)
    allows = options.due is not None or options.excuse
    if given + (options.due is not None) + options.excuse > 1:
        what = "a verdict, --due and --excuse are three things"
        raise BadInput(Problem(what, "Say one after the other."))
    _refuse_contradictions(options, given=given or allows)
    course = course_of(options)
    ledger = Ledger(ledger_of(options, course))
    try:
        settling = Settling(ledger, course)
        if options.next:
            _one_by_one(settling, _by(options))
        elif options.learner is None:
            if options.json:
                sys.stdout.write(json_text(settle_json(settling.record, list(settling.record.waiting()))))
            else:
                show_waiting(Plain(), settling.record, list(settling.record.waiting()))
        else:
            _settle_one(options, settling, earned, given=given)
    finally:
        ledger.close()
    return 0


def _settle_one(
    options: argparse.Namespace, settling: Settling, earned: float | None, *, given: bool
) -> None:
    """Show what a learner made of an exercise, settle it or take that back; with --team for all of it."""
    on, by, reason = Plain(), partial(_by, options), _reason(options.reason)
    works, others = _works(options, settling)
    if options.due is not None or options.excuse:
        due = None if options.excuse else time_of(options.due, settling.zone_of(works[0].exercise))
        allowed = settling.allow(works, due, by(), reason)
        show_allowed(on, settling.record, allowed)
    elif options.undo and options.on == ALLOWED:
        allowed = settling.disallow(works)  # the record is read anew by that
        show_allowed(on, settling.record, allowed, undone=True)
    elif options.undo:
        gone, again = settling.undo(works, options.on)
        _show_after(settling, works[0])
        show_settled(on, gone, again, undone=True)
    elif given:
        before = settling.settle(works, options.on, earned, by(), reason)
        _show_after(settling, works[0])
        show_settled(on, None, before, undone=False)
    else:
        show_work(on, works[0], settling.record)
        return
    show_whose(on, settling.record, [one.learner for one in works], others)


def _works(options: argparse.Namespace, settling: Settling) -> tuple[list[WorkToSettle], list[str]]:
    """The work that it is about, that of others with it where they were asked for, and who else shares it."""
    work = settling.work_of(options.learner, options.exercise, options.submission)
    others = settling.sharing(work)
    if not options.team:
        return [work], others
    if not others:
        raise BadInput(Problem(f"{work.learner} shares {work.exercise} with nobody", "Leave --team out."))
    return [work, *(settling.work_of(one, work.exercise, options.submission) for one in others)], []


def _show_after(settling: Settling, work: WorkToSettle) -> None:
    again = settling.work(work.learner, work.exercise, work.attempt)
    show_work(Plain(), again, settling.record)


def _verdict(options: argparse.Namespace) -> tuple[float | None, bool]:
    """The share that is earned (None: as graded), and whether a verdict was given at all."""
    if options.met or options.missed:
        return float(options.met), True
    if options.earns is not None:
        return options.earns / 100, True
    return None, options.as_graded


def _refuse_contradictions(options: argparse.Namespace, *, given: bool) -> None:
    if options.learner is not None and options.exercise is None:
        raise BadInput(
            Problem(f"which exercise of {options.learner}?", "Say: muddled settle LEARNER EXERCISE ...")
        )
    if given + options.undo + options.next > 1:
        raise BadInput(Problem("a verdict, --undo and --next are three things", "Ask for one of them."))
    alone = options.learner is None
    if options.next and not alone:
        raise BadInput(Problem("--next goes through the whole class", "Leave LEARNER and EXERCISE out."))
    about_one = (given, options.undo, options.on != ALL, options.submission is not None, options.team)
    if alone and any(about_one):
        raise BadInput(Problem("whose work is it about?", "Say: muddled settle LEARNER EXERCISE ..."))
    if options.json and not (alone and not options.next):
        raise BadInput(Problem("--json lists: it goes with no LEARNER and no verdict"))
    if (options.due is not None or options.excuse) and options.on != ALL:
        raise BadInput(Problem("--due and --excuse are about all of the exercise", "Leave --on out."))
    if options.team and not (given or options.undo):
        raise BadInput(
            Problem("--team goes with a verdict", "What one of a team made is what all of it made.")
        )
    if options.reason and not given:
        what = "--reason goes with a verdict"
        hint = "Give --met, --missed, --earns PERCENT, --as-graded, --due TIME or --excuse."
        raise BadInput(Problem(what, hint))


def _by(options: argparse.Namespace) -> str:
    if options.by.strip():
        return " ".join(str(options.by).split())[:100]
    try:
        return getpass.getuser()
    except (OSError, KeyError, ImportError):
        raise BadInput(Problem("this system doesn't say who you are", "Give --by NAME.")) from None


def _reason(text: str) -> str:
    return " ".join(text.split())[:_LONGEST_REASON]


def time_of(text: str, zone: tzinfo | None) -> datetime:
    """A time that a person typed; without a zone of its own it is in `zone` (None: this machine's). Raises
    BadInput."""
    try:
        found = datetime.fromisoformat(text.strip())
    except ValueError:
        hint = "Write it as 2031-09-12T18:00, or 2031-09-12 for the end of that day."
        raise BadInput(Problem(f'--due "{text}" is no time', hint)) from None
    if re.fullmatch(r"\d{4}-?\d{2}-?\d{2}", text.strip()):
        found = found.replace(hour=23, minute=59)
    if found.tzinfo is None:
        found = found.replace(tzinfo=zone) if zone is not None else found.astimezone()
    return found


def _percent(text: str) -> float:
    """A percentage. Raises ArgumentTypeError."""
    match = re.fullmatch(r"(\d{1,3}(?:\.\d{1,3})?)%?", text)
    if match is None or float(match[1]) > 100:
        raise argparse.ArgumentTypeError(f"{text} is no percentage from 0 to 100")
    return float(match[1])


# -- One by one -------------------------------------------------------------------------------------------


class _Answer(Struct, frozen=True):
    """A verdict that was typed: on what, the share (None: as graded), and why."""

    on: str
    earned: float | None
    reason: str


_VERDICT = pattern(r'(?:"([^"]+)"|(\S+))\s+(\d{1,3}(?:\.\d{1,3})?)\s*%?(?:\s+(.*))?')
_LATER, _STOP = "later", "stop"


def _understood(line: str) -> _Answer | str | None:
    """What a line of the person's means: a verdict, `later`, `stop`, or None where it means nothing."""
    line = line.strip()
    word, _, rest = line.partition(" ")
    if word.lower() in (_LATER, _STOP) and not rest:
        return word.lower()
    if word.lower() == "ok":
        return _Answer(ALL, None, _reason(rest))
    match = _VERDICT.fullmatch(line)
    if match is None or float(match[3]) > 100:
        return None
    return _Answer(match[1] or match[2], float(match[3]) / 100, _reason(match[4] or ""))


def _one_by_one(settling: Settling, by: str) -> None:
    """Show each that needs a look, and take the verdict; what was said is written down at once."""
    on = Plain()
    waiting = _by_work(settling.record.waiting())
    if not waiting:
        show_waiting(on, settling.record, [])
        return
    lines = _lines()
    done = 0
    for number, attempts in enumerate(waiting, start=1):
        works = [settling.work(attempt.learner, attempt.exercise, attempt) for attempt in attempts]
        work = works[0]
        show_work(on, work, settling.record, f"{number} of {len(waiting)}: ")
        show_whose(on, settling.record, [one.learner for one in works], [])
        show_how_to_answer(on, work)
        for line in lines:
            answer = _understood(line)
            if isinstance(answer, str):
                break
            if answer is None:
                print("That was not understood: nothing was written down.", file=sys.stderr)
                continue
            try:
                settling.settle(works, answer.on, answer.earned, by, answer.reason)
            except BadInput as bad:
                print(*bad.problems, sep="\n", file=sys.stderr)
                continue
            show_settled(on, None, None, undone=False)
            done += 1
            break
        else:
            answer = _STOP
        if answer == _STOP:
            break
    left = sum(1 for _ in settling.record.waiting())
    print(f"\n{counted(done, 'verdict')} given, {left} still to be looked at.")


def _by_work(attempts: Iterable[Attempt]) -> list[list[Attempt]]:
    """The same attempts, those together that are one work of a team."""
    found: dict[tuple[str, int], list[Attempt]] = {}
    for attempt in attempts:
        found.setdefault((attempt.exercise, attempt.work.grading.id), []).append(attempt)
    return list(found.values())


def _lines() -> Iterator[str]:
    """What the person types; a script's lines as well."""
    while True:
        if sys.stdin.isatty():
            print("> ", end="", flush=True)
        line = sys.stdin.readline()
        if not line:
            return
        if line.strip():
            yield line
