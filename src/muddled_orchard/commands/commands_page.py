"""The page of all commands and their options, made from their parsers: `docs/commands.md`."""

from __future__ import annotations

import argparse
import re
import textwrap
from collections.abc import Iterator

from muddled_orchard.commands.parser import Parser, commands_of

_WIDTH = 110

_BEGINNING = """\
# All commands and their options

Made from the parsers by `scripts/schema`; `muddled COMMAND --help` shows the same, with examples.

- `muddled -C DIR COMMAND ...` goes to DIR first; `muddled -V` is the version. Each command has `-h, --help`.
- `muddled --log FILE COMMAND ...` (or the variable `MUDDLED_LOG`) notes in FILE what goes wrong where nobody
  is told the details: which piece of work was lost and why, what a host could not do. FILE is added to.
- `-` is standard output wherever a file is written. Results go to stdout, progress and messages to stderr.
  There is no colour where stdout is no terminal, or `NO_COLOR` is set.
- SCENARIO is a file, or the id of a bundled one (`press-limit`). Which scenario a submission belongs to
  stands in its first commit; your own scenario files are found where they were when you planted from them,
  in the working folder, or where `--scenarios` says. Those that were handed out are in the ledger.
- Exit codes: 0 done; 1 done, and something fell short (somebody is below `--pass-mark`, `survey` found
  errors, `rehearse` a surprise); 2 wrong use, nothing could be read, or the output could not be written; 130
  stopped by Ctrl-C; 141 who reads has seen enough (`| head`); 143 asked to end.
"""


def commands_page(whole: Parser) -> str:
    """The page as Markdown. `whole` is the parser with all commands."""
    parts = [_BEGINNING, *(_command(name, own) for name, own in commands_of(whole).items())]
    return "\n".join(parts)


def _command(name: str, parser: Parser) -> str:
    about = " ".join((parser.description or "").split())
    lines = [f"## {name}", "", textwrap.fill(about, _WIDTH), ""]
    lines += [line for action in parser._actions for line in _option(action)]
    return "\n".join([*lines, ""])


def _option(action: argparse.Action) -> Iterator[str]:
    """An option, or what a command is given, with what it means; nothing of `--help`."""
    if isinstance(action, argparse._HelpAction):
        return
    said = re.sub(r", here \d+", "", (action.help or "") % vars(action)).strip()
    text = f"- `{_written(action)}`: {said}"
    yield from textwrap.wrap(
        text, _WIDTH, subsequent_indent="  ", break_long_words=False, break_on_hyphens=False
    )


def _written(action: argparse.Action) -> str:
    """An option as it is typed: `-q, --quiet`, `--csv FILE`, `SUBMISSION...`."""
    value = str(action.metavar or "|".join(map(str, action.choices or ())) or action.dest.upper())
    if not action.option_strings:
        return f"{value}..." if action.nargs in ("+", "*") else value
    return f"{', '.join(action.option_strings)}{'' if action.nargs == 0 else f' {value}'}"
