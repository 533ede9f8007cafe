"""For learners: what is pending, which side is which, what is left to do. It knows no answers."""

from __future__ import annotations

import argparse
from pathlib import Path

from muddled_orchard.commands.options import add_quiet
from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.reports.peek_view import show_peek
from muddled_orchard.reports.terminal import console
from muddled_orchard.vcs.peeking import peek_at

EXAMPLES = (
    "muddled peek",
    "muddled peek practice/work",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled peek`."""
    parser.add_argument(
        "folder", metavar="DIR", type=Path, nargs="?", default=Path(), help="the repository (default: here)"
    )
    add_quiet(parser, "say nothing; the exit code is 1 while work is left")


def run(options: argparse.Namespace) -> int:
    """Look and show; 1 while work is left."""
    folder: Path = options.folder
    if not folder.is_dir():
        raise BadInput(Problem("there is no such folder", "Check the path.", file=str(folder)))
    found = peek_at(folder)
    if not options.quiet:
        show_peek(console(), found)
    return 0 if found.done else 1
