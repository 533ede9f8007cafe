"""Options that several commands share."""

from __future__ import annotations

import argparse
import os
from pathlib import Path


def add_jobs(parser: argparse.ArgumentParser) -> None:
    """`--jobs N`: how many processes work side by side."""
    parser.add_argument(
        "--jobs", metavar="N", type=_positive, default=cores(),
        help="how many processes work side by side (default: one a core, here %(default)s)",
    )  # fmt: skip


LEDGER = "orchard.db"


def add_ledger(parser: argparse.ArgumentParser, default: str | None = LEDGER, more: str = "") -> None:
    """`--ledger FILE`: the course's database."""
    said = f"the course's database{more}" + (" (default: %(default)s)" if default else "")
    parser.add_argument(
        "--ledger", metavar="FILE", type=Path, default=Path(default) if default else None, help=said
    )


def cores() -> int:
    """The cores that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def _positive(text: str) -> int:
    number = int(text) if text.isdecimal() else 0
    if number < 1:
        raise argparse.ArgumentTypeError(f"{text} is no number of processes")
    return number
