"""Push hand-outs to a server: many at once, and again without harm.

A repository that has any branch already is left as it is: its learner may be at work in it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from pathlib import Path

from muddled_orchard.classroom.gathering import TIDYING, has_branches
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.course.gathering import Pushed, Source, without_secret
from muddled_orchard.system.workers import PORTIONS_AHEAD, Awaited, WorkerLost, in_order, workers
from muddled_orchard.vcs.ask import git


@contextmanager
def pushed(sources: Sequence[Source], out: Path, bounds: Bounds, jobs: int) -> Iterator[Iterator[Pushed]]:
    """Push the repository at each place below `out` to its URL, in order, `jobs` at once."""
    git.require()
    jobs = max(1, min(jobs, len(sources)))
    with workers(jobs, _pusher, out, bounds, git.credential_helpers()) as pool:
        # Asking and pushing each have the bound.
        submit = partial(pool.submit, seconds=2 * bounds.seconds + TIDYING)
        yield (
            _result(source, sent, bounds) for source, sent in in_order(sources, submit, PORTIONS_AHEAD * jobs)
        )


def _result(source: Source, sent: Awaited[Pushed], bounds: Bounds) -> Pushed:
    try:
        return sent.result()
    except TimeoutError:
        return Pushed(source, "failed", f"pushing it took more than {counted(bounds.seconds, 'second')}")
    except WorkerLost:
        return Pushed(source, "failed", "pushing it ended unexpectedly")


def _pusher(out: Path, bounds: Bounds, helpers: Sequence[str]) -> Callable[[Source], Pushed]:
    return partial(_push, out, bounds, helpers)


def _push(out: Path, bounds: Bounds, helpers: Sequence[str], source: Source) -> Pushed:
    try:
        if has_branches(git.remote_refs(source.url, bounds, helpers=helpers)):
            return Pushed(source, "there")
        git.push_branches(out / source.place, source.url, bounds, helpers=helpers)
    except git.GitFailed as failed:
        return Pushed(source, "failed", without_secret(failed.said))
    return Pushed(source, "pushed")
