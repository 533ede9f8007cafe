"""Scenario files of one's own, found again when something that was planted from one is graded.

Where they lie is remembered in the user's own state, never in what is handed out: a submission must not
choose its key.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.exercise.defaults import id_for
from muddled_orchard.files.scenarios.toml_text import text_of
from muddled_orchard.system.output import PRIVATE, write_file

_MOST = 500
"""So many plantings are remembered, the newest ones."""


class OwnScenarios(Struct, frozen=True):
    """Where to look for scenario files: in `folder`, unless that is None, and where files lay from which
    this user has planted."""

    folder: Path | None = None

    def beside(self) -> list[Path]:
        """The files in the folder that may be scenarios."""
        return sorted(self.folder.glob("*.toml")) if self.folder is not None else []

    def files(self, id_: str) -> Iterator[Path]:
        """The files that may hold the scenario of this id, the likeliest first."""
        yield from (path for path in self.beside() if _has_id(path, id_))
        remembered = _remembered().get(id_)
        if remembered is not None and Path(remembered).is_file() and _has_id(Path(remembered), id_):
            yield Path(remembered)


def beside(submissions: Iterable[Path]) -> OwnScenarios:
    """The scenario files in the working folder count, unless submissions may have put them there."""
    here = Path.cwd()
    inside = any(
        path in (here, *here.parents) for path in (submission.resolve() for submission in submissions)
    )
    return OwnScenarios(None if inside else here)


def remember(id_: str, path: Path) -> bool:
    """Remember where the file lies that something was planted from; whether that worked."""
    known = _remembered()
    known.pop(id_, None)
    known[id_] = str(path.resolve())
    text = json.dumps(dict(list(known.items())[-_MOST:]), indent=1)
    with suppress(BadInput, OSError):
        place = _place()
        place.parent.mkdir(parents=True, exist_ok=True)
        write_file(place, text.encode("utf-8", "backslashreplace"), PRIVATE)
        return True
    return False


def _place() -> Path:
    from platformdirs import user_state_path  # only where somebody works with files of their own

    return user_state_path("muddled") / "planted.json"


def _remembered() -> dict[str, str]:
    with suppress(OSError, ValueError):
        found = json.loads(_place().read_text("utf-8"))
        if isinstance(found, dict):
            return {str(id_): str(path) for id_, path in found.items()}
    return {}


def _has_id(path: Path, id_: str) -> bool:
    """Whether a file is a scenario of this id, as far as can be seen without reading it in earnest."""
    try:
        text = text_of(path)
    except BadInput:
        return False
    if not re.search(r"^\s*\[\[\s*story\s*\]\]|^\s*story\s*=", text, re.MULTILINE):
        return False
    match = re.search(r'^\s*id\s*=\s*["\']([^"\']*)["\']', text, re.MULTILINE)
    return (match[1] if match else id_for(path.stem)) == id_
