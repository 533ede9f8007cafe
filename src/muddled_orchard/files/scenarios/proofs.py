"""Which keys have been proved: remembered between calls, in the user's cache."""

from __future__ import annotations

import hashlib
import json
from contextlib import suppress
from pathlib import Path

import muddled_orchard
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.key.proof import Proof
from muddled_orchard.files.stored import digest_of
from muddled_orchard.system.output import PRIVATE, write_file

_MOST = 1000


class ProofMemory:
    """Proofs without a fault, each for a scenario as it reads, a variant, and what proved it: this program
    and Git, of which `git` is the version. A fault is never remembered: it may be ours, and mended."""

    def __init__(self, git: str) -> None:
        self._tools = f"{muddled_orchard.__version__} {_newest_module()} {git}"
        self._known = _read()

    def proof(self, scenario: Scenario, about: str) -> Proof | None:
        """What is known of a scenario; `about` says the variant and how it was tried."""
        found = self._known.get(self._name(scenario, about))
        return None if found is None else Proof(earned=found[0], possible=found[1], ways=int(found[2]))

    def remember(self, scenario: Scenario, about: str, proof: Proof) -> None:
        """Remember a proof, unless it has a fault; what can't be written is proved again the next time."""
        if proof.faults:
            return
        name = self._name(scenario, about)
        self._known.pop(name, None)
        self._known[name] = (proof.earned, proof.possible, proof.ways)
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
    top = Path(muddled_orchard.__file__).parent
    return max(path.stat().st_mtime_ns for path in top.rglob("*.py"))


def _place() -> Path:
    from platformdirs import user_cache_path  # only where something is proved

    return user_cache_path("muddled") / "proved.json"


def _read() -> dict[str, tuple[float, float, int]]:
    with suppress(OSError, ValueError, TypeError):
        found = json.loads(_place().read_text("utf-8"))
        return {str(name): (float(a), float(b), int(c)) for name, (a, b, c) in found.items()}
    return {}
