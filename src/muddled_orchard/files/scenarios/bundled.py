"""Where the bundled scenarios lie, and their ids."""

from __future__ import annotations

from pathlib import Path

BUNDLED = Path(__file__).parents[2] / "catalogue"


def bundled_ids() -> list[str]:
    """The ids of the bundled scenarios; a scenario's file is named after it."""
    return sorted(path.stem for path in BUNDLED.glob("*.toml"))
