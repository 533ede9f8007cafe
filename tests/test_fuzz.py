"""A short run of `make fuzz`."""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest

from tests import fuzz

SEED = int(os.environ.get("FUZZ_SEED", str(random.SystemRandom().randrange(1 << 30))))


@pytest.mark.parametrize(("kind", "many"), [("submissions", 12), ("supplied", 5), ("stopped", 4)])
def test_nothing_hostile_does_harm(kind: str, many: int, tmp_path: Path) -> None:
    print(f"python -m tests.fuzz --seed {SEED} --kind {kind}")  # shown where it fails
    fuzz.KINDS[kind](SEED, tmp_path / kind, many)
