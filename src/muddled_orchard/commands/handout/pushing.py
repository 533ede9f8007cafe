"""Push hand-outs to a server: many at once, and again without harm.

A repository that has any branch already is left as it is: its learner may be at work in it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from pathlib import Path

from muddled_orchard.classroom.at_servers import has_branches, side_by_side
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.course.sources import Pushed, Source, without_secret
from muddled_orchard.vcs.ask import git


@contextmanager
def pushed(sources: Sequence[Source], out: Path, bounds: Bounds, jobs: int) -> Iterator[Iterator[Pushed]]:
    """Push the repository at each place below `out` to its URL, in order, `jobs` at once."""
    git.require()
    work = partial(_push, out, bounds, git.credential_helpers())
    with side_by_side(sources, work, _failed, "pushing", bounds, jobs) as going:
        yield going


def _failed(source: Source, reason: str) -> Pushed:
    return Pushed(source, "failed", reason)


def _push(out: Path, bounds: Bounds, helpers: Sequence[str], source: Source) -> Pushed:
    try:
        if has_branches(git.remote_refs(source.url, bounds, helpers=helpers)):
            return Pushed(source, "there")
        git.push_branches(out / source.place, source.url, bounds, helpers=helpers)
    except git.GitFailed as failed:
        return Pushed(source, "failed", without_secret(failed.said))
    return Pushed(source, "pushed")
