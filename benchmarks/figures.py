"""The figures of a run of the benchmarks as JSON: every turn of each, so that noise can be seen.

They go to build/bench.json, or the file that the variable BENCH names; `benchmarks.compare` reads two such
files.
"""

from __future__ import annotations

import json
import os
import platform
import subprocess
from collections.abc import Sequence
from pathlib import Path
from typing import TypedDict


class Figure(TypedDict):
    """Seconds that each turn of ours took, and of the by-hand way (none where there is none)."""

    ours: list[float]
    by_hand: list[float]


class Run(TypedDict):
    """The figures of a run by name, and where it ran."""

    machine: str
    commit: str
    figures: dict[str, Figure]


def note(name: str, ours: Sequence[float], by_hand: Sequence[float] = ()) -> tuple[float, float]:
    """Write a figure down, beside those of this run that are there; the best turn of each way (0: there is
    none)."""
    file = Path(os.environ.get("BENCH", "build/bench.json"))
    run: Run = json.loads(file.read_text("utf-8")) if file.is_file() else _begun()
    run["figures"][name] = {"ours": list(ours), "by_hand": list(by_hand)}
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_text(json.dumps(run, indent=1) + "\n", "utf-8")
    return min(ours), min(by_hand, default=0.0)


def _begun() -> Run:
    head = subprocess.run(
        ["git", "rev-parse", "--short", "HEAD"], capture_output=True, text=True, check=False
    )
    machine = f"{os.cpu_count()} cores, Python {platform.python_version()}, {platform.machine()}"
    return {"machine": machine, "commit": head.stdout.strip(), "figures": {}}
