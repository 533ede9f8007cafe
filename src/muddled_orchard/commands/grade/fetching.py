"""Submissions that lie on a server: fetched by real Git, within bounds, and then read as any other."""

from __future__ import annotations

import tempfile
from pathlib import Path

from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.course.sources import without_secret
from muddled_orchard.files.archives.submissions import Handed
from muddled_orchard.vcs.ask import git

_URL = pattern(r"(file|git|https?|ssh)://.+")


def is_url(named: str) -> bool:
    """Whether this names a repository on a server, and no file."""
    return _URL.fullmatch(named) is not None


def fetched(url: str, folder: Path, bounds: Bounds) -> Handed:
    """A submission with what a repository has now, in a folder of its own below another, since two may have
    one name. It is refused where it can't be had."""
    shown = without_secret(url)
    name = url.rstrip("/").rsplit("/", 1)[-1].removesuffix(".git") or shown
    target = Path(tempfile.mkdtemp(dir=folder)) / f"{name}.git"
    try:
        git.clone_bare(url, target, bounds)
    except git.GitFailed as failed:
        return Handed(target, name, shown, refused=without_secret(failed.said))
    return Handed(target, name, shown)
