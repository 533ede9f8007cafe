"""What a folder is that lies where a hand-out is to be: one of ours, perhaps worked on, or something else."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from muddled_orchard.core.base.limits import Exceeded
from muddled_orchard.core.exercise.claim import CLAIM, LARGEST_CLAIM, ExerciseVariant, claimed_in
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.quarantine import Unreadable, find_repository, take_over
from muddled_orchard.vcs.read.reader import Reader
from muddled_orchard.vcs.read.ref_files import text_of
from muddled_orchard.vcs.write.practice import WORK


def variant_lying_there(folder: Path, exercise: str, first_commit: Callable[[str], str]) -> str | None:
    """The variant of an exercise that a folder was handed out with; None where it is something else.

    Its first commit says it, and must be the one that the variant has: `first_commit` gives that, or nothing
    where learners make it. Then a file says it.
    """
    place = DiskSource(folder)
    try:
        for path in (f"{WORK}/{CLAIM}", CLAIM):
            said = claimed_in(text_of(place.read(path, LARGEST_CLAIM) or b""))
            if said is not None and said.exercise == exercise and not first_commit(said.variant):
                return said.variant
        repository = find_repository(place, deepest=0)
        if repository is None:
            return None
        reader = Reader(take_over(place, repository))
        said = reader.hand_out({})
        if said is None or said.exercise != exercise:
            return None
        first = first_commit(said.variant)
        sure = ExerciseVariant(exercise, said.variant)
        return said.variant if first and reader.hand_out({first: sure}) is sure else None
    except (Unreadable, Exceeded, OSError):
        return None
