"""libgit2 without the user's configuration: what we write never depends on who runs it where."""

from __future__ import annotations

import functools

import pygit2
from pygit2.enums import ConfigLevel


@functools.cache
def isolate() -> None:
    """Make libgit2 look for system, global and XDG configuration nowhere. Call before opening anything."""
    for level in (ConfigLevel.SYSTEM, ConfigLevel.XDG, ConfigLevel.GLOBAL, ConfigLevel.PROGRAMDATA):
        pygit2.settings.search_path[level] = ""
