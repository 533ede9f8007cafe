"""Work in processes of its own: in the pool, and a process for each piece."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from functools import partial

import pytest

from muddled_orchard.system.workers import WorkerLost, Workers, single_worker, workers


def _prepared(base: int) -> Callable[[str], int]:
    return partial(_work, base)


def _work(base: int, piece: str) -> int:
    if piece == "dies":
        os.kill(os.getpid(), signal.SIGKILL)
    if piece == "hangs":
        time.sleep(60)
    return base + int(piece)


@pytest.mark.parametrize("crew", [single_worker, partial(workers, 2)], ids=["single", "pool"])
def test_each_piece_ends_as_it_does(
    crew: Callable[..., AbstractContextManager[Workers[str, int]]],
) -> None:
    before = time.monotonic()
    with crew(_prepared, 40) as working:
        sent = [working.submit(piece, 0.5) for piece in ("1", "dies", "hangs", "no number", "2")]
        assert sent[0].result() == 41
        with pytest.raises(WorkerLost):
            sent[1].result()
        with pytest.raises(TimeoutError):
            sent[2].result()
        with pytest.raises(ValueError, match="no number"):
            sent[3].result()
        assert sent[4].result() == 42
        working.submit("hangs")  # nobody waits for it
    assert time.monotonic() - before < 30
