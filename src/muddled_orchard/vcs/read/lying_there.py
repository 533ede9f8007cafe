"""What a folder is that lies where a hand-out is to be: one of ours, perhaps worked on, or something else."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from muddled_orchard.core.base.limits import Exceeded
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.quarantine import Unreadable, find_repository, take_over
from muddled_orchard.vcs.read.reader import ExerciseVariant, Reader


def variant_lying_there(folder: Path, exercise: str, first_commit: Callable[[str], str]) -> str | None:
    """The variant of an exercise that a folder was handed out with; None where it is something else.

    Its first commit says it, and must be the one that the variant has: `first_commit` gives that.
    """
    place = DiskSource(folder)
    try:
        repository = find_repository(place, deepest=0)
        if repository is None:
            return None
        with temporary_folder() as own:
            reader = Reader(take_over(place, repository, own / "there"))
            said = reader.hand_out({})
            if said is None or said.exercise != exercise:
                return None
            sure = ExerciseVariant(exercise, said.variant)
            return said.variant if reader.hand_out({first_commit(said.variant): sure}) is sure else None
    except (Unreadable, Exceeded, OSError):
        return None
