"""The parser. A command's module is imported only when that command runs, so `--help` is quick."""

from __future__ import annotations

import argparse
import importlib
import sys
from collections.abc import Sequence
from typing import Any, NoReturn

from muddled_orchard import __version__

DONE, WRONG_USE = 0, 2

COMMANDS = {
    "catalogue": "list the bundled scenarios: kind of conflict, operation, difficulty",
    "sketch": "begin a scenario file for a kind of conflict",
    "survey": "check scenarios and show what they will do",
    "rehearse": "act out typical learners and check that each is graded as expected",
    "plant": "build one practice repository",
    "handout": "pack one repository a learner, each with numbers of its own",
    "peek": "for learners: what is pending, which side is which, what is left to do",
    "grade": "grade one submission or a whole folder of them",
    "ledger": "show what the course's database holds, or export it",
    "demo": "the whole round on made-up learners, in one go",
}

ROUND = """\
Muddled Orchard makes Git repositories whose branches conflict, and grades what learners make of them.
  1. muddled catalogue                     the scenarios there are; muddled survey ID looks into one
  2. muddled plant press-limit practice    a practice folder: BRIEF.md to read, work/ to work in
  3. muddled grade practice                did they get it, where not, and why
To see it all at once, try: muddled demo"""


class Parser(argparse.ArgumentParser):
    """A parser whose errors take two lines: what is wrong, and where to read on."""

    def _print_message(self, message: str, file: Any = None) -> None:
        """Write help: unlike argparse's own, it doesn't hide that nobody could take it."""
        (file or sys.stderr).write(message)

    def error(self, message: str) -> NoReturn:
        """Leave with exit code 2."""
        message = message[:1].upper() + message[1:]
        self.exit(WRONG_USE, f"{message}.\n  See: {self.prog} --help\n")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run `muddled` with these arguments (those of the process without any) and return its exit code."""
    from muddled_orchard.system.stopping import Stopped, leave_be, open_standard_streams, stoppable

    try:
        with stoppable():
            open_standard_streams()
            return _written(list(sys.argv[1:] if arguments is None else arguments))
    except Stopped as stopped:
        leave_be()
        print("Stopped.", file=sys.stderr)
        return stopped.code


def _written(given: list[str]) -> int:
    """Run, and make sure that standard output has taken everything."""
    from muddled_orchard.system.stopping import give_up_stdout

    code: int | str | None
    try:
        try:
            code = _guarded(given)
        except SystemExit as leaving:  # the parser, after help or an error
            code = leaving.code
        sys.stdout.flush()
    except BrokenPipeError:
        give_up_stdout()
        print("Standard output was closed before everything was written.", file=sys.stderr)
        return WRONG_USE
    except OSError as error:
        give_up_stdout()
        where = f"{error.filename}: " if error.filename else "standard output: "
        print(_printable(f"{where}{error.strerror or error}"), file=sys.stderr)
        return WRONG_USE
    return code if isinstance(code, int) else DONE


def _guarded(given: list[str]) -> int:
    """Run a command, and say in a few lines what went wrong if something did."""
    if not given:
        print(ROUND)
        return DONE
    if given[0].startswith("-"):
        parser, subparsers = _parser()
        for name, what in COMMANDS.items():
            subparsers.add_parser(name, help=what)
        parser.parse_args(given)
        return DONE
    # Not at the top: what errors are made of takes longer to load than `--help` may take.
    from muddled_orchard.core.problems import BadInput, Problem, likely

    try:
        if given[0] not in COMMANDS:
            raise BadInput(Problem(f'there is no command "{given[0]}"', likely(given[0], COMMANDS)))
        return _run(given)
    except BadInput as bad:
        for problem in bad.problems:
            print(_printable(str(problem)), file=sys.stderr)
    except UnicodeEncodeError as error:
        name = error.object[error.start : error.end]
        hint = "Set the variable LC_ALL to C.UTF-8, or PYTHONUTF8 to 1."
        print(f'This system is set to {error.encoding}, which has no "{name}".\n  {hint}', file=sys.stderr)
    except MemoryError:
        print("There is not enough memory.\n  --jobs 1 takes the least.", file=sys.stderr)
    return WRONG_USE


def _run(given: list[str]) -> int:
    command = given[0]
    module = importlib.import_module(f"muddled_orchard.commands.{command}")
    parser, subparsers = _parser()
    own = subparsers.add_parser(command, help=COMMANDS[command], description=module.__doc__)
    module.add_options(own)
    return int(module.run(parser.parse_args(given)))


def _parser() -> tuple[Parser, argparse._SubParsersAction[Parser]]:
    parser = Parser(prog="muddled", description=ROUND, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--version", action="version", version=f"muddled {__version__}")
    return parser, parser.add_subparsers(dest="command", metavar="COMMAND", title="commands")


def _printable(text: str) -> str:
    """Without control characters: names in messages come from files that anybody may have made."""
    return "".join(
        letter if letter.isprintable() or letter == "\n" else repr(letter)[1:-1] for letter in text
    )
