"""Show what a command does; write manual pages, or completion for a shell."""

from __future__ import annotations

import argparse
import sys

from muddled_orchard.commands.options import on_disk
from muddled_orchard.commands.parser import COMMANDS, commands_of, whole_parser
from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.system.output import write_file

EXAMPLES = (
    "muddled help grade",
    "muddled help --completion bash > muddled.bash",
    "muddled help --manual ~/.local/share/man",
)
SECTION = "man1"
WORDS = ("scenarios", "learners", "exercises")
SHELLS = ("bash", "zsh", "fish", "tcsh")


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled help`."""
    parser.add_argument("about", metavar="COMMAND", nargs="?", help="the command to tell about")
    parser.add_argument(
        "--completion", metavar="SHELL", choices=SHELLS,
        help=f"print what makes a shell complete commands and options: {', '.join(SHELLS)}",
    )  # fmt: skip
    parser.add_argument(
        "--words", metavar="WHAT", choices=WORDS,
        help=f"print what there is here, one a line, as completion asks for it: {', '.join(WORDS)}",
    )  # fmt: skip
    parser.add_argument(
        "--manual",
        metavar="DIR",
        type=on_disk,
        help=f"write a manual page for each command, into {SECTION} below DIR; then man -M DIR reads them",
    )


def run(options: argparse.Namespace) -> int:
    """Print help, or what was asked for instead."""
    if options.words is not None:
        from muddled_orchard.commands.help.completion import words_here

        sys.stdout.writelines(f"{word}\n" for word in words_here(options.words))
        return 0
    whole = whole_parser()
    if options.about is not None and options.about not in COMMANDS:
        raise BadInput(Problem(f'there is no command "{options.about}"', likely(options.about, COMMANDS)))
    if options.completion is not None:
        from muddled_orchard.commands.help.completion import completion

        sys.stdout.write(completion(whole, options.completion))
    elif options.manual is not None:
        from muddled_orchard.commands.help.manual import manual_pages

        folder = options.manual if options.manual.name == SECTION else options.manual / SECTION
        for name, text in manual_pages(whole).items():
            write_file(folder / name, text.encode())
    elif options.about is not None:
        sys.stdout.write(commands_of(whole)[options.about].format_help())
    else:
        sys.stdout.write(whole.format_help())
    return 0
