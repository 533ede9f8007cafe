"""What the benchmarks share: the exercise, what the by-hand scripts need, and a watch."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable
from pathlib import Path

from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.vcs.planting import plant

HERE = Path(__file__).parent
EXERCISE = "press-limit"
WAYS = (
    "right",
    "markers left",
    "kept ours",
    "kept ours+theirs",
    "whole file theirs",
    "not committed",
    "wrong way round",
    "never started",
)


def timed(work: Callable[[], object]) -> float:
    """Seconds that the work takes."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def material_of(top: Path) -> Path:
    """The files and messages that the by-hand scripts build the exercise from."""
    scenario = ScenarioLibrary().find(EXERCISE)
    assert scenario is not None  # noqa: S101 - it is bundled
    model = plant(scenario, top / "model", "0")
    material = top / "material"
    material.mkdir()
    for number, commit in enumerate(model.history.commits):
        (material / str(number)).write_bytes(commit.tree["press.toml"].data)
        (material / f"message{number}").write_text(commit.message)
        (material / f"time{number}").write_text(str(commit.time))
    (material / "README.md").write_bytes(model.history.commits[0].tree["README.md"].data)
    shutil.copy(top / "model" / "BRIEF.md", material)
    return material
