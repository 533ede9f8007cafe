"""Repositories on servers, several at once: each within bounds, and none that costs another anything."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from typing import TypeVar

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.course.sources import Source
from muddled_orchard.system.workers import LOST, PORTIONS_AHEAD, Awaited, in_order, why_lost, workers

Done = TypeVar("Done")

_TIDYING = 5.0
"""Seconds beyond the bounds for what is done around them."""


@contextmanager
def side_by_side(
    sources: Sequence[Source],
    work: Callable[[Source], Done],
    failed: Callable[[Source, str], Done],
    doing: str,
    bounds: Bounds,
    jobs: int,
) -> Iterator[Iterator[Done]]:
    """What `work` makes of each source, in order, `jobs` at once; or what `failed` makes of it and a reason,
    where it takes more than two questions to a server may, or takes its process down. `doing` is what it is,
    in words."""
    jobs = max(1, min(jobs, len(sources)))

    def result(source: Source, sent: Awaited[Done]) -> Done:
        try:
            return sent.result()
        except LOST as error:
            return failed(source, why_lost(error, f"{doing} it", bounds, source.place))

    with workers(jobs, _prepared, work) as pool:
        submit = partial(pool.submit, seconds=2 * bounds.seconds + _TIDYING)
        begun = in_order(sources, submit, PORTIONS_AHEAD * jobs)
        yield (result(source, sent) for source, sent in begun)


def _prepared(work: Callable[[Source], Done]) -> Callable[[Source], Done]:
    return work


def has_branches(refs: str) -> bool:
    """Whether a server that said this of its refs has any branch."""
    return any("\trefs/heads/" in line for line in refs.splitlines())
