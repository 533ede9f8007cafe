"""Manual pages: one for the program, one for each command."""

from __future__ import annotations

import re
import textwrap
from datetime import UTC, datetime

from argparse_manpage.manpage import Manpage

from muddled_orchard import __version__
from muddled_orchard.commands.parser import COMMANDS, Parser, commands_of

_WIDTH = 78


def manual_pages(whole: Parser) -> dict[str, str]:
    """A page for the program and one for each command, by file name."""
    about = "make Git repositories that conflict, and grade the results"
    pages = {"muddled.1": _page("muddled", about, whole)}
    for command, parser in commands_of(whole).items():
        pages[f"muddled-{command}.1"] = _page(f"muddled-{command}", COMMANDS[command], parser)
    return pages


def _page(name: str, about: str, parser: Parser) -> str:
    """A page, with the title and the NAME line that `man` and `whatis` look for."""
    made = str(Manpage(parser, format="single-commands-section"))
    body = made.partition(".SH SYNOPSIS\n")[2].partition(".SH COMMENTS")[0]
    today = datetime.now(UTC).date().isoformat()
    named = textwrap.wrap(f"{_escaped(name)} \\- {_escaped(about)}", _WIDTH, break_on_hyphens=False)
    lines = [
        f'.TH {_escaped(name.upper())} 1 "{today}" "muddled {__version__}" "Muddled Orchard"',
        *(".SH NAME", *named, ".SH SYNOPSIS"),
        *_tidy(body),
        *_examples(parser),
        *_ENDS,
    ]
    return "".join(f"{line}\n" for line in lines)


def _examples(parser: Parser) -> list[str]:
    """The examples that its help ends with, a line each."""
    lines = [_escaped(line.strip()) for line in (parser.epilog or "").splitlines()[1:]]
    return [".SH EXAMPLES", ".nf", *lines, ".fi"] if lines else []


_ENDS = (
    ".SH EXIT STATUS",
    *(".TP", "0", "done"),
    *(".TP", "1", "done, and something fell short"),
    *(".TP", "2", "wrong use, or what can't be read"),
    *(".SH SEE ALSO", "git(1), muddled(1)"),
)


def _tidy(body: str) -> list[str]:
    """Lines as mandoc wants them: none empty, and none that is long without need."""
    lines: list[str] = []
    for line in body.splitlines():
        if not line.strip():
            if lines and not lines[-1].startswith((".SH", ".PP", ".TP")):
                lines.append(".PP")
        elif line.startswith("."):
            if lines and lines[-1] == ".PP" and re.match(r"\.(SH|TP|SS)\b", line):
                lines.pop()
            lines.append(line)
        else:
            wrapped = textwrap.wrap(line.strip(), _WIDTH, break_long_words=False, break_on_hyphens=False)
            # A dot or an apostrophe at the beginning would be a command.
            lines += [f"\\&{part}" if part.startswith((".", "'")) else part for part in wrapped]
    while lines and lines[-1] == ".PP":
        lines.pop()
    return lines


def _escaped(text: str) -> str:
    return text.replace("\\", "\\e").replace("-", "\\-")
