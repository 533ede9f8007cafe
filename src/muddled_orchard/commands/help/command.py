"""Show what a command does; write manual pages, or completion for a shell."""

from __future__ import annotations

import argparse
import sys

from muddled_orchard.commands.options import on_disk
from muddled_orchard.commands.parser import COMMANDS, Parser, commands_of, whole_parser
from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.system.output import write_file

EXAMPLES = (
    "muddled help grade",
    "muddled help --completion bash > muddled.bash",
    "muddled help --manual ~/.local/share/man/man1",
)
SHELLS = ("bash", "zsh", "fish", "tcsh")


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled help`."""
    parser.add_argument("about", metavar="COMMAND", nargs="?", help="the command to tell about")
    parser.add_argument(
        "--completion", metavar="SHELL", choices=SHELLS,
        help=f"print what makes a shell complete commands and options: {', '.join(SHELLS)}",
    )  # fmt: skip
    parser.add_argument(
        "--manual", metavar="DIR", type=on_disk, help="write a manual page (man) for each command"
    )


def run(options: argparse.Namespace) -> int:
    """Print help, or what was asked for instead."""
    whole = whole_parser()
    if options.about is not None and options.about not in COMMANDS:
        raise BadInput(Problem(f'there is no command "{options.about}"', likely(options.about, COMMANDS)))
    if options.completion is not None:
        import shtab

        sys.stdout.write(shtab.complete(whole, shell=options.completion))
    elif options.manual is not None:
        for name, text in _manual(whole).items():
            write_file(options.manual / name, text.encode())
    elif options.about is not None:
        sys.stdout.write(commands_of(whole)[options.about].format_help())
    else:
        sys.stdout.write(whole.format_help())
    return 0


def _manual(whole: Parser) -> dict[str, str]:
    """A page for the program and one for each command, by file name."""
    from argparse_manpage.manpage import Manpage

    pages = {"muddled.1": whole, **{f"muddled-{name}.1": one for name, one in commands_of(whole).items()}}
    return {name: str(Manpage(parser, format="single-commands-section")) for name, parser in pages.items()}
