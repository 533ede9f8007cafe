"""Gather a class's repositories from servers: many at once, again only what has changed there.

What a server gives is a submission: it is fetched by Git within bounds, into a new bare repository beside the
old one, whose place it takes when it is whole. Nothing in it is run, and `grade` reads it as any other.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from pathlib import Path

from muddled_orchard.classroom.at_servers import has_branches, side_by_side
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.course.sources import Gathered, Source, without_secret
from muddled_orchard.system.temporary import folder_in_the_making, remove_left_over, settle
from muddled_orchard.vcs.ask import git

_REFS = "gathered-refs"
"""What the server said of its refs when a repository was gathered, in the repository."""


@contextmanager
def gathered(sources: Sequence[Source], out: Path, bounds: Bounds, jobs: int) -> Iterator[Iterator[Gathered]]:
    """Fetch each into its place below `out`, in order, `jobs` at once. What is there stays until the newer
    one is whole."""
    git.require()
    for folder in {(out / source.place).parent for source in sources}:
        folder.mkdir(parents=True, exist_ok=True)
        remove_left_over(folder)
    work = partial(_gather, out, bounds, git.credential_helpers())
    with side_by_side(sources, work, _failed, "fetching", bounds, jobs) as going:
        yield going


def _failed(source: Source, reason: str) -> Gathered:
    return Gathered(source, "failed", reason)


def _gather(out: Path, bounds: Bounds, helpers: Sequence[str], source: Source) -> Gathered:
    place = out / source.place
    try:
        refs = git.remote_refs(source.url, bounds, helpers=helpers)
        if not has_branches(refs):
            return Gathered(source, "failed", "there is nothing in it yet")
        there = place / _REFS
        if there.is_file() and there.read_text("utf-8", "replace") == refs:
            return Gathered(source, "unchanged")
        old = place if place.is_dir() else None
        with folder_in_the_making(place.parent) as making:
            made = making / "made.git"
            git.clone_bare(source.url, made, bounds, old=old, helpers=helpers, strict=True)
            (made / _REFS).write_text(refs, "utf-8")
            if old is not None:
                place.rename(making / "old.git")  # it goes with the folder
            settle(made, place)
    except git.GitFailed as failed:
        return Gathered(source, "failed", without_secret(failed.said))
    except OSError as error:
        return Gathered(source, "failed", f"it can't be written: {error.strerror}")
    return Gathered(source, "changed" if old is not None else "new")
