"""For learners: what is pending, which side is which, what is left to do. It knows no answers."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

from muddled_orchard.commands.options import add_quiet
from muddled_orchard.core.base.phrases import command, paths
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.roles import ROLES
from muddled_orchard.show.terminal.peeked import show_peek
from muddled_orchard.show.terminal.plain import Plain
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
    parser.add_argument(
        "--role", type=int, choices=ROLES, help="which role is yours, where a team has given its tasks out"
    )
    parser.add_argument("--json", action="store_true", help="print JSON instead")
    add_quiet(parser, "say nothing; the exit code is 1 while work is left")


def run(options: argparse.Namespace) -> int:
    """Look and show; 1 while work is left."""
    folder: Path = options.folder
    if not folder.is_dir():
        raise BadInput(Problem("there is no such folder", "Check the path.", file=str(folder)))
    peek, top = peek_at(folder, options.role)
    if options.json:
        from muddled_orchard.commands.peek.as_json import peek_file

        sys.stdout.write(peek_file(peek))
    elif not options.quiet:
        show_peek(Plain(), peek, from_here(top))
    return 0 if peek.done else 1


def from_here(top: Path) -> tuple[list[str], str]:
    """How commands are typed where the user stands: what goes to a repository first, if it lies elsewhere,
    and what its paths begin with there."""
    here = Path.cwd()
    way = os.path.relpath(top.resolve(), here)
    if here.is_relative_to(top.resolve()):
        return [], "" if way == "." else f"{way}/"
    return [command("cd", *paths([way]))], ""
