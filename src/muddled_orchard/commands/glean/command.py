"""Find the conflicts of a real history, with how each was resolved, and make exercises of them."""

from __future__ import annotations

import argparse
import sys
from datetime import date
from pathlib import Path

from muddled_orchard.commands.glean.terminal import show_found, show_made
from muddled_orchard.commands.options import new_file, on_disk, positive
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.show.terminal.plain import Plain
from muddled_orchard.system.output import STDOUT

EXAMPLES = (
    "muddled glean orchard",
    "muddled glean orchard --kind modify/delete --most 5",
    "muddled glean orchard --take 3f2a91c my-exercise.toml",
    "muddled glean orchard --branches main picking my-exercise.toml",
)

MOST = 20


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled glean`."""
    parser.add_argument(
        "repository", metavar="REPOSITORY", type=on_disk, help="a repository, or a folder with one in it"
    )
    parser.add_argument(
        "file",
        metavar="FILE",
        nargs="?",
        type=new_file,
        help="the scenario file to write (with --take, --branches)",
    )
    what = parser.add_mutually_exclusive_group()
    what.add_argument(
        "--take", metavar="COMMIT",
        help="make an exercise of what this commit merged, copied or took back; its result is the answer",
    )  # fmt: skip
    what.add_argument(
        "--branches", metavar=("OURS", "THEIRS"), nargs=2,
        help="make an exercise of two branches that were never merged; its answers are still to be written",
    )  # fmt: skip
    what.add_argument("--json", action="store_true", help="print what was found as JSON instead")
    listing = parser.add_argument_group("of the list")
    listing.add_argument(
        "--since",
        metavar="DATE",
        type=_day,
        help="only what was committed since then (YYYY-MM-DD)",
    )
    listing.add_argument(
        "--path", metavar="PATH", default="", help="only conflicts in this file, or below this folder"
    )
    listing.add_argument(
        "--kind",
        metavar="KIND",
        default="",
        help="only conflicts of this kind, as in contents or modify/delete",
    )
    listing.add_argument(
        "--most", metavar="N", type=positive, default=MOST, help=f"list so many (default: {MOST})"
    )
    made = parser.add_argument_group("of the exercise")
    made.add_argument(
        "--whole", action="store_true", help="keep every file, not only what the conflict needs"
    )
    made.add_argument(
        "--commits", choices=("squash", "keep"),
        help="one commit for each side, or all of them (default: all where they are few)",
    )  # fmt: skip
    made.add_argument(
        "--keep-names", action="store_true", help="leave people's names (default: they become a made-up cast)"
    )
    parser.add_argument("--quiet", action="store_true", help="no progress")


def _day(text: str) -> str:
    try:
        return date.fromisoformat(text).isoformat()
    except ValueError:
        raise argparse.ArgumentTypeError(f'"{text}" is no date; write it as in 2031-09-01') from None


def run(options: argparse.Namespace) -> int:
    """List, or write a file; 1 where what was written does not prove itself yet."""
    if options.take is None and options.branches is None:
        if options.file is not None:
            hint = "Say of what: --take COMMIT, or --branches OURS THEIRS."
            raise BadInput(Problem(f"nothing is written to {options.file}", hint))
        return _list(options)
    if options.file is None or options.file == STDOUT:
        what = "where to?" if options.file is None else "an exercise is proved in its file"
        raise BadInput(Problem(what, "Name a file: muddled glean REPOSITORY --take COMMIT my-exercise.toml"))
    return _make(options, options.file)


def _list(options: argparse.Namespace) -> int:
    from muddled_orchard.commands.glean.found import Wanted, find

    wanted = Wanted(options.since or "", options.path.strip("/"), options.kind, options.most)
    found = find(options.repository, wanted, quiet=options.quiet or options.json)
    if options.json:
        from muddled_orchard.commands.glean.as_json import glean_file

        sys.stdout.write(glean_file(found))
    else:
        show_found(Plain(), str(options.repository), found)
    return 0


def _make(options: argparse.Namespace, file: Path) -> int:
    from muddled_orchard.commands.glean.making import ToTake, make

    wanted = ToTake(options.take, options.branches, options.whole, options.commits, options.keep_names)
    made = make(options.repository, file, wanted)
    show_made(Plain(), made)
    return 1 if made.faults else 0
