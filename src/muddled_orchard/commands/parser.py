"""The parser: the commands there are, their help, and how wrong use is told."""

from __future__ import annotations

import argparse
import importlib
import sys
from collections.abc import Sequence
from itertools import takewhile
from typing import Any, NoReturn

from muddled_orchard import __version__

WRONG_USE = 2

COMMANDS = {
    "catalogue": "list the bundled scenarios: kind of conflict, operation, difficulty",
    "sketch": "begin a scenario file for a kind of conflict",
    "glean": "find the conflicts of a real history, and make exercises of them",
    "survey": "check scenarios and show what they will do",
    "walkthrough": "demonstrate one step by step, with what Git really answers",
    "rehearse": "act out typical learners, and check that they are graded right",
    "plant": "build one practice repository",
    "handout": "pack one repository a learner, each with numbers of its own",
    "peek": "for learners: what is pending, which side is which, what is left",
    "drill": "for learners: practise one kind of conflict until it sits",
    "host": "serve a course over Git: learners clone and push, and hear back at once",
    "board": "where everybody stands right now, who needs help first",
    "gather": "fetch each learner's repository from a server, to grade",
    "grade": "grade one submission or a whole folder of them",
    "tally": "what a class got right and wrong, by exercise and conflict",
    "reply": "write each learner's feedback, to send back",
    "settle": "a person's verdict over the grader's, and what needs a look",
    "ledger": "show what the course's database holds, or export it",
    "demo": "the whole round on made-up learners, in one go",
    "help": "what a command does; also as manual pages, and completion for a shell",
}

ROUND = """\
Muddled Orchard makes Git repositories that conflict, and grades the results.
  1. muddled catalogue                    what there is; muddled survey ID: one
  2. muddled plant press-limit practice   BRIEF.md to read, work/ to work in
  3. muddled grade practice               did they get it, where not, and why
To see it all at once, try: muddled demo"""

_WIDTH = 78


class Parser(argparse.ArgumentParser):
    """A parser whose errors take two lines: what is wrong, and where to read on.

    Options may stand before, between and behind what they are for.
    """

    def __init__(self, **more: Any) -> None:
        super().__init__(**{"formatter_class": _help_format, "allow_abbrev": False, **more})
        self.module: Any = None
        """The command's, whose texts are a part of the help."""

    def format_help(self) -> str:
        """The help, with what the command's module says."""
        if self.module is not None:
            self.description, self.epilog = _about(self.module)
        return super().format_help()

    def parse_strictly(self, given: Sequence[str]) -> argparse.Namespace:
        """The options; leaves with exit code 2, and the likeliest option, for what there isn't."""
        self.refuse_unknown(given)
        if {"-h", "--help"} & set(takewhile(lambda word: word != "--", given)):
            self.parse_args(["--help"])  # argparse takes the defaults of words away before it looks for this
        # argparse can't do both: words between options, and a -- after which all are words.
        parse = self.parse_known_args if "--" in given else self.parse_known_intermixed_args
        options, others = parse(list(given))
        if others:
            self.error(f'"{others[0]}" is one word too many')
        return options

    def refuse_unknown(self, given: Sequence[str]) -> None:
        """Leave with exit code 2 where an option is given that there isn't."""
        known = [name for action in self._actions for name in action.option_strings]
        for word in takewhile(lambda word: word != "--", given):
            name = word.split("=")[0] if word.startswith("--") else word[:2]
            if len(name) > 1 and name[0] == "-" and name not in known:
                from muddled_orchard.core.base.problems import likely

                for action in top_parser()._actions:
                    if name in action.option_strings:
                        program, _, own = self.prog.partition(" ")
                        value = f" {action.metavar}" if action.metavar else ""
                        hint = f"As in: {program} {name}{value} {own}."
                        self.error(f'"{name}" stands before the command', hint)
                begins = [one for one in known if one.startswith(name)] if name.startswith("--") else []
                close = f'Did you mean "{begins[0]}"?' if len(begins) == 1 else likely(name, known)
                self.error(f'there is no option "{name}"', close if close.startswith("Did") else "")

    def _print_message(self, message: str, file: Any = None) -> None:
        """Write help: unlike argparse's own, it doesn't hide that nobody could take it."""
        (file or sys.stderr).write(message)

    def error(self, message: str, hint: str = "") -> NoReturn:
        """Leave with exit code 2."""
        message = message[:1].upper() + message[1:]
        self.exit(WRONG_USE, f"{message}.\n  {f'{hint} ' if hint else ''}See: {self.prog} --help\n")


def _help_format(prog: str) -> argparse.HelpFormatter:
    return argparse.RawDescriptionHelpFormatter(prog, max_help_position=24, width=_WIDTH)


def whole_parser() -> Parser:
    """The parser with all commands and their options, for those who describe it. Loads every command."""
    parser = top_parser()
    for name, own in commands_of(parser).items():
        module = importlib.import_module(f"muddled_orchard.commands.{name}.command")
        module.add_options(own)
        own.description, own.epilog = _about(module)
    return parser


def commands_of(parser: Parser) -> dict[str, Parser]:
    """The parsers of the commands in the program's, by name."""
    (commands,) = (action for action in parser._actions if isinstance(action, argparse._SubParsersAction))
    return dict(commands.choices)


def parser_of(command: str, module: Any) -> Parser:
    """The parser of one command, which is in this module."""
    parser = Parser(prog=f"muddled {command}")
    parser.module = module
    module.add_options(parser)
    return parser


def _about(module: Any) -> tuple[str, str]:
    """What a command's help says before and after its options."""
    import textwrap  # it takes a millisecond of every start

    examples = "".join(f"\n  {line}" for line in module.EXAMPLES)
    return textwrap.fill(module.__doc__ or "", _WIDTH), f"examples:{examples}"


def top_parser() -> Parser:
    """The parser of what stands before a command, and of the commands' names."""
    parser = Parser(prog="muddled", description=ROUND)
    parser.add_argument("-V", "--version", action="version", version=f"muddled {__version__}")
    parser.add_argument("-C", metavar="DIR", help="go there first; before the command")
    parser.add_argument(
        "-q", "--quiet", action="store_true", help="as behind the command, where it has that option"
    )
    parser.add_argument(
        "--log", metavar="FILE", help="note there what goes wrong unseen (or the variable MUDDLED_LOG says)"
    )
    subparsers = parser.add_subparsers(dest="command", metavar="COMMAND", title="commands")
    for name, what in COMMANDS.items():
        subparsers.add_parser(name, help=what, description=what)
    return parser
