"""Which keys have been proved, and whose values all tried: remembered in the user's cache."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import muddled_orchard
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.key.proof import Proof
from muddled_orchard.files.stored import digest_of
from muddled_orchard.system.output import PRIVATE, write_file

_MOST = 2000
_VALUES = "values"


class SurveyMemory:
    """What was found to be right, for a scenario as it reads and what found it so: this program, and Git, of
    which `git` is the version. A fault is never remembered: it may be ours, and mended."""

    def __init__(self, git: str) -> None:
        self._tools = f"{muddled_orchard.__version__} {_newest_module()} {git}"
        self._known = _read()
        self._new = False

    def proof(self, scenario: Scenario, about: str) -> Proof | None:
        """What is known of a scenario; `about` says the variant and how it was tried."""
        found = self._known.get(self._name(scenario, about))
        if found is None or len(found) != 3:
            return None
        return Proof(earned=found[0], possible=found[1], ways=int(found[2]))

    def remember(self, scenario: Scenario, about: str, proof: Proof) -> None:
        """Remember a proof, unless it has a fault."""
        if not proof.faults:
            self._note(self._name(scenario, about), (proof.earned, proof.possible, proof.ways))

    def values_fit(self, scenario: Scenario) -> bool:
        """Whether a scenario is known to work with all of its values."""
        return self._name(scenario, _VALUES) in self._known

    def remember_values(self, scenario: Scenario) -> None:
        """Remember that it does."""
        self._note(self._name(scenario, _VALUES), ())

    def _note(self, name: str, found: tuple[float, ...]) -> None:
        self._known.pop(name, None)
        self._known[name] = found
        self._new = True

    def keep(self) -> None:
        """Write down what is new; what can't be written is found out again the next time."""
        if not self._new:
            return
        text = json.dumps(dict(list(self._known.items())[-_MOST:]))
        with suppress(BadInput, OSError):
            place = _place()
            place.parent.mkdir(parents=True, exist_ok=True)
            write_file(place, text.encode(), PRIVATE)

    def _name(self, scenario: Scenario, about: str) -> str:
        return hashlib.sha256(f"{self._tools} {digest_of(scenario)} {about}".encode()).hexdigest()


def _newest_module() -> int:
    """When the newest module of the program was written, in nanoseconds: what an older one proved proves
    nothing."""
    return max(_times(str(Path(muddled_orchard.__file__).parent)))


def _times(folder: str) -> Iterator[int]:
    with os.scandir(folder) as entries:  # a tenth of the time that Path.rglob takes
        for entry in entries:
            if entry.is_dir():
                yield from _times(entry.path)
            elif entry.name.endswith(".py"):
                yield entry.stat().st_mtime_ns


def _place() -> Path:
    from platformdirs import user_cache_path  # only where something is proved

    return user_cache_path("muddled") / "proved.json"


def _read() -> dict[str, tuple[float, ...]]:
    with suppress(OSError, ValueError, TypeError):
        found = json.loads(_place().read_text("utf-8"))
        return {str(name): tuple(map(float, numbers)) for name, numbers in found.items()}
    return {}
