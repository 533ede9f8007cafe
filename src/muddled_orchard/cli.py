"""The program. A command's module is imported only when that command runs, so `--help` is quick."""

from __future__ import annotations

import importlib
import os
import shlex
import sys
from collections.abc import Sequence

from muddled_orchard.commands.parser import COMMANDS, ROUND, WRONG_USE, parser_of, top_parser
from muddled_orchard.system import LOG_VARIABLE

DONE = 0
STOPPED_READING = 128 + 13
"""What shells say of a program whose reader went away (SIGPIPE)."""


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
    except BrokenPipeError:  # who reads has seen enough
        give_up_stdout()
        return STOPPED_READING
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
    if given[0] in ("-h", "--help", "-V", "--version"):
        top_parser().parse_args(given[:1])
    # Not at the top: what errors are made of takes longer to load than `--help` may take.
    _load_msgspec()
    from muddled_orchard.core.base.problems import BadInput

    try:
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


def _load_msgspec() -> None:
    """Load msgspec without typing_extensions, an eighth of what `peek` takes: all that it would have from
    there `typing` has since Python 3.11, and that is where it looks next."""
    if "typing_extensions" not in sys.modules:
        sys.modules["typing_extensions"] = None  # type: ignore[assignment]  # so that it can't be imported
        try:
            importlib.import_module("msgspec")
        finally:
            del sys.modules["typing_extensions"]


def _run(given: list[str]) -> int:
    from muddled_orchard.core.base.problems import BadInput, Problem, likely

    given = _before_command(given)
    if not given:
        print(ROUND)
        return DONE
    command = given[0]
    if command.startswith("-"):
        top_parser().refuse_unknown(given)
    if command not in COMMANDS:
        raise BadInput(Problem(f'there is no command "{command}"', likely(command, COMMANDS)))
    module = importlib.import_module(f"muddled_orchard.commands.{command}.command")
    return int(module.run(parser_of(command, module).parse_strictly(given[1:])))


def _before_command(given: list[str]) -> list[str]:
    """Do what options before a command say (go where `-C DIR` says, log where `--log FILE` does), and give
    the rest; `-q` is the command's own."""
    file, quiet = None, False
    while given and given[0].startswith(("-C", "--log", "-q", "--quiet")):
        if given[0] in ("-q", "--quiet"):
            given, quiet = given[1:], True
            continue
        name = "-C" if given[0].startswith("-C") else "--log"
        value, rest = given[0].removeprefix(name).removeprefix("="), given[1:]
        if not value:
            value, rest = "".join(rest[:1]), rest[1:]
        if not value:
            top_parser().error(f"{name} needs a {'folder' if name == '-C' else 'file'}")
        if name == "-C":
            os.chdir(value)
        else:
            file = value
        given = rest
    if quiet and given:
        given = [given[0], "--quiet", *given[1:]]
    if file or LOG_VARIABLE in os.environ:
        from muddled_orchard.system.log import log, write_log

        write_log(file)
        log().info("muddled %s", shlex.join(given))
    return given


def _printable(text: str) -> str:
    """Without control characters: names in messages come from files that anybody may have made."""
    return "".join(
        letter if letter.isprintable() or letter == "\n" else repr(letter)[1:-1] for letter in text
    )
