"""The log: what went wrong where nobody was told, for whoever looks into it later.

It is Python's own `logging`, under the name `muddled`. Nothing is written unless `muddled --log FILE` or the
variable MUDDLED_LOG says where to. What commands tell people stays on the terminal.
"""

from __future__ import annotations

import os
from functools import cache
from typing import TYPE_CHECKING

from muddled_orchard.system import LOG_VARIABLE

if TYPE_CHECKING:
    import logging

_FORM = "%(asctime)s %(process)d %(levelname)s %(message)s"


@cache
def log() -> logging.Logger:
    """The log. It is loaded when something is noted, since most runs note nothing."""
    import logging

    found = logging.getLogger("muddled")
    found.addHandler(logging.NullHandler())  # else Python prints warnings to standard error
    found.propagate = False
    return found


def write_log(file: str | None = None) -> None:
    """Write the log to a file from now on, here and in all processes begun from here; without a name to the
    one that the variable names, if any. What the file has stays. Raises OSError where it can't be written."""
    file = file or os.environ.get(LOG_VARIABLE)
    if not file:
        return
    import logging
    from logging.handlers import WatchedFileHandler

    # At once, and appended: several processes write to it. Where it was moved away, as logrotate does, a new
    # one is begun.
    handler = WatchedFileHandler(file, encoding="utf-8", errors="backslashreplace")
    handler.setFormatter(logging.Formatter(_FORM))
    for other in log().handlers[1:]:
        log().removeHandler(other)
        other.close()
    log().addHandler(handler)
    log().setLevel(logging.INFO)
    os.environ[LOG_VARIABLE] = os.path.abspath(file)  # noqa: PTH100 - as Python's logging has it


def reopen_log() -> None:
    """Go on in a new file where the log's was moved away. It does so by itself with what is written next."""
    from logging.handlers import WatchedFileHandler

    for handler in log().handlers:
        if isinstance(handler, WatchedFileHandler):
            handler.reopenIfNeeded()
