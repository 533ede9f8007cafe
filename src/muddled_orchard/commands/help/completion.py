"""Completion for shells: commands and options, and what there is in this folder: scenarios, learners,
exercises."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

import shtab

from muddled_orchard.commands.options import COURSE_FILE, LEDGER
from muddled_orchard.commands.parser import Parser, commands_of
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.files.scenarios.bundled import bundled_ids

_ASKED_BY = {"SCENARIO": "scenarios", "LEARNER": "learners", "EXERCISE": "exercises"}
"""What completes the value of an option, by what help calls it; all else is completed with files."""

_BASH = """
_muddled_{what}() {{
  compgen -W "$(muddled help --words {what} 2>/dev/null)" -- "$1"
  {files}
}}"""
_ZSH = """
_muddled_{what}() {{
  local -a words
  words=(${{(f)"$(muddled help --words {what} 2>/dev/null)"}})
  compadd -a words
  {files}
}}"""
_FILES = {"bash": 'compgen -f -- "$1"', "zsh": "_files"}


def completion(whole: Parser, shell: str) -> str:
    """What makes a shell complete the program's command lines."""
    for parser in commands_of(whole).values():
        for action in parser._actions:
            named = action.metavar[0] if isinstance(action.metavar, tuple) else action.metavar
            what = _ASKED_BY.get(named or "")
            if what is not None:
                function = f"_muddled_{what}"
                asked = f"muddled help --words {what}"
                by_shell = {"bash": function, "zsh": function, "fish": f"({asked})", "tcsh": f"`{asked}`"}
                action.complete = by_shell  # type: ignore[attr-defined]  # where shtab looks for it
            elif action.metavar in ("FILE", "SUBMISSION", "FOLDER", "PATH"):
                action.complete = shtab.FILE  # type: ignore[attr-defined]
            elif action.metavar == "DIR":
                action.complete = shtab.DIRECTORY  # type: ignore[attr-defined]
    functions = {"bash": _functions(_BASH, "bash"), "zsh": _functions(_ZSH, "zsh")}
    return shtab.complete(whole, shell=shell, preamble=functions.get(shell, ""))


def _functions(template: str, shell: str) -> str:
    return "".join(
        template.format(what=what, files=_FILES[shell] if what == "scenarios" else "true")
        for what in _ASKED_BY.values()
    )


def words_here(what: str) -> Iterable[str]:
    """The scenarios that are bundled or lie here, or the learners or exercises of the course in this folder;
    nothing where there is none."""
    if what == "scenarios":
        own = (path.name for path in Path().glob("*.toml") if path.name != COURSE_FILE)
        return [*bundled_ids(), *sorted(own)]
    from muddled_orchard.files.course.course_file import load_course
    from muddled_orchard.files.course.ledger import Ledger

    path = Path(LEDGER)
    with suppress(BadInput):
        if Path(COURSE_FILE).is_file():
            path = load_course(Path(COURSE_FILE)).ledger
        ledger = Ledger(path)
        try:
            return list(ledger.learners()) if what == "learners" else list(ledger.titles())
        finally:
            ledger.close()
    return ()
