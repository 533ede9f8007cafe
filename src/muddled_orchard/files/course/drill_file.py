"""A learner's progress in a drill: a JSON file of their own, beside the exercises."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

import msgspec
from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.drilling import Try
from muddled_orchard.system.output import write_file

PROGRESS = "progress.json"


class UnderWay(Struct, frozen=True, kw_only=True):
    """The exercise at hand: its folder below that of the drill, the skill that it was chosen for, and how
    often it was looked at and not right."""

    exercise: str
    variant: str
    folder: str
    skill: str
    failed: int = 0


class Progress(Struct, frozen=True, kw_only=True):
    """What `progress.json` holds: every try, the oldest first, and the exercise at hand (null: none)."""

    format: Literal[1] = 1
    tries: tuple[Try, ...] = ()
    at_hand: UnderWay | None = None


def read_progress(folder: Path) -> Progress:
    """The progress in a folder; nothing yet where there is none. Raises BadInput where it can't be read."""
    path = folder / PROGRESS
    try:
        return msgspec.json.decode(path.read_bytes(), type=Progress)
    except FileNotFoundError:
        return Progress()
    except OSError as error:
        raise BadInput(Problem(f"can't be read: {error.strerror}", file=str(path))) from None
    except (msgspec.MsgspecError, ValueError) as error:
        hint = "Move it away to begin anew; the exercises beside it stay."
        raise BadInput(Problem(f"this is no progress of a drill: {error}", hint, file=str(path))) from None


def write_progress(folder: Path, progress: Progress) -> None:
    """Write the progress down. Raises BadInput where that can't be."""
    write_file(folder / PROGRESS, msgspec.json.format(msgspec.json.encode(progress), indent=1) + b"\n")
