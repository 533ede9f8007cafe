"""libgit2 without the user's configuration: what we write never depends on who runs it where."""

from __future__ import annotations

import functools


@functools.cache
def isolate() -> None:
    """Make libgit2 look for system, global and XDG configuration nowhere. Call before opening anything."""
    import pygit2  # it takes longer to load than most commands take for their work
    from pygit2.enums import ConfigLevel

    for level in (ConfigLevel.SYSTEM, ConfigLevel.XDG, ConfigLevel.GLOBAL, ConfigLevel.PROGRAMDATA):
        pygit2.settings.search_path[level] = ""
