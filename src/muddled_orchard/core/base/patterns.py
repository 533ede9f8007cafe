"""Regular expressions of modules, compiled when they are first used: most runs use few of the dozens that
are loaded, and compiling one takes as long as loading a small module."""

from __future__ import annotations

import re
from typing import Any, AnyStr, cast


def pattern(text: AnyStr, flags: int = 0) -> re.Pattern[AnyStr]:
    """What `re.compile` gives, compiled when it is first used. Raises re.error then."""
    return cast("re.Pattern[AnyStr]", _Pattern(text, flags))


class _Pattern:
    """A pattern that isn't compiled yet; from its first use on its methods are those of the compiled one."""

    def __init__(self, text: Any, flags: int) -> None:
        self.__given = text, flags

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):  # what copying and the like look for
            raise AttributeError(name)
        compiled = re.compile(*self.__given)
        self.__dict__.update((one, getattr(compiled, one)) for one in _METHODS)
        return getattr(compiled, name)


_METHODS = ("match", "fullmatch", "search", "finditer", "findall", "split", "sub", "subn")
