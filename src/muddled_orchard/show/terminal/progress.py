"""How far long work is: a bar on a terminal, a line every few seconds elsewhere."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

T = TypeVar("T")

_EVERY = 3.0  # seconds between two lines where there is no terminal


def with_progress(
    items: Iterable[T], total: int, what: str, *, quiet: bool, size: Callable[[T], int] = lambda _: 1
) -> Iterator[T]:
    """The items, with how far it is on stderr: a bar with rate and time left on a terminal, elsewhere a line
    every few seconds. `size` says how much of `total` an item is."""
    if quiet or total < 2:
        return iter(items)
    if sys.stderr.isatty():
        from muddled_orchard.show.terminal.bar import with_bar  # only who sees it waits for it

        return with_bar(items, total, what, size)
    return _told_in_lines(items, total, what, size)


def _told_in_lines(items: Iterable[T], total: int, what: str, size: Callable[[T], int]) -> Iterator[T]:
    begun = last = time.monotonic()
    done = 0
    for item in items:
        done += size(item)
        now = time.monotonic()
        if now - last >= _EVERY and done < total:
            last = now
            rate = done / (now - begun)
            left = (total - done) / rate
            rate_text = f"{rate:.0f}/s" if rate >= 1 else f"{60 * rate:.0f}/min"
            print(f"{what}: {done} of {total}, {rate_text}, {left:.0f} s left", file=sys.stderr, flush=True)
        yield item
