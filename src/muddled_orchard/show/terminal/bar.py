"""The bar that shows on a terminal how far long work is."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

from rich.progress import (
    BarColumn,
    MofNCompleteColumn,
    Progress,
    ProgressColumn,
    Task,
    TextColumn,
    TimeRemainingColumn,
)
from rich.text import Text

from muddled_orchard.show.terminal.console import console

T = TypeVar("T")


def with_bar(items: Iterable[T], total: int, what: str, size: Callable[[T], int]) -> Iterator[T]:
    """The items, with a bar on stderr that is gone afterwards; `size` says how much of `total` an item is."""
    columns = (
        TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), _Rate(), TimeRemainingColumn()
    )  # fmt: skip
    with Progress(*columns, console=console(sys.stderr), transient=True) as progress:
        task = progress.add_task(what, total=total)
        for item in items:
            progress.advance(task, size(item))
            yield item


class _Rate(ProgressColumn):
    """How many a second."""

    def render(self, task: Task) -> Text:
        """Nothing before there is a rate to tell."""
        return Text(f"{task.speed:.0f}/s" if task.speed else "", style="faint")
