"""Say of what is wrong with a scenario in which file and line it is."""

from __future__ import annotations

from pathlib import Path

from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.files.scenarios.toml_text import text_of


def with_lines(bad: BadInput, path: Path, text: str | None = None) -> BadInput:
    """The same problems, each with the file and the line of its key; those that name a file stay."""
    if all(problem.file is not None for problem in bad.problems):
        return bad
    from muddled_orchard.files.scenarios.toml_lines import (
        line_of,  # the parser behind it is only for bad news
    )

    content = text_of(path) if text is None else text
    placed = [
        problem if problem.file else problem.at(str(path), problem.line or line_of(content, problem.key))
        for problem in bad.problems
    ]
    return BadInput(sorted(placed, key=lambda problem: problem.line or 0))
