"""A grading as Markdown for the summary of a job: a table, and what was found, folded."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from html import escape

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.one_result import learner_blocks, result_blocks
from muddled_orchard.core.document import Heading
from muddled_orchard.core.grading.summary import SAID, standing
from muddled_orchard.show.document.text import markdown_blocks, plain
from muddled_orchard.show.terminal.characters import printable

MOST_LETTERS = 600_000
"""How long it is at most: pages of jobs take a million bytes."""


def job_summary(collected: Iterable[Collected], hint: int | None = None) -> str:
    """The summary; with a `hint` it leaves out what is wanted, as everything for learners does."""
    results = list(collected)
    parts = list(_table(results))
    length = sum(map(len, parts))
    for number, result in enumerate(results):
        if standing(result.assessment) == "got it":
            continue
        part = _folded(result, hint, alone=len(results) == 1)
        length += len(part)
        if length > MOST_LETTERS:
            parts.append(f"\n{counted(len(results) - number, 'submission')} more are not shown here.\n")
            break
        parts.append(part)
    return "".join(parts)


def _table(results: Sequence[Collected]) -> Iterator[str]:
    yield "| learner | exercise | result | points | % |\n|---|---|---|---:|---:|\n"
    for result in results:
        assessment = result.assessment
        said = SAID[standing(assessment)][0]
        said += f" ({result.uncounted})" if result.uncounted else ""
        points = f"{assessment.points:g} of {assessment.possible:g}" if assessment.possible else ""
        cells = (result.name, assessment.exercise, said, points, f"{result.percent:.0f}")
        yield f"| {' | '.join(plain(cell) for cell in cells)} |\n"


def _folded(result: Collected, hint: int | None, *, alone: bool) -> str:
    blocks = learner_blocks(result, hint) if hint else result_blocks(result)
    told = markdown_blocks(block for block in blocks if not isinstance(block, Heading))
    name = escape(printable(f"{result.name}: {result.assessment.title or result.submission}"))
    return f"\n<details{' open' if alone else ''}><summary>{name}</summary>\n\n{told}\n\n</details>\n"
