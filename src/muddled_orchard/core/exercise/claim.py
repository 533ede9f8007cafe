"""What a repository says of itself: which exercise it is, and whose variant of it.

The first commit of a hand-out says so in its message. Where learners begin with `git init`, a file says it
that they commit.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from msgspec import Struct

from muddled_orchard.core.base.patterns import pattern

CLAIM = "exercise.txt"
"""The file that says it where there is no commit that could."""

LARGEST_CLAIM = 10_000
"""So many bytes of such a file are read."""

_LINE = pattern(r"^(Exercise|Variant): (\S{1,200})\r?$", re.MULTILINE)


class ExerciseVariant(Struct, frozen=True):
    """An exercise by its id, and the code of a variant."""

    exercise: str
    variant: str


class Claims(Struct, frozen=True):
    """What is known of repositories besides what they say of themselves: to which hand-outs commits belong,
    by their ids, and what one is that says nothing (None: it can't be told)."""

    commits: Mapping[str, ExerciseVariant] = {}
    otherwise: ExerciseVariant | None = None


NOTHING_KNOWN = Claims()


def claim_of(exercise: str, code: str) -> str:
    """The two lines that say what something is."""
    return f"Exercise: {exercise}\nVariant: {code}\n"


def claimed_in(text: str) -> ExerciseVariant | None:
    """What these lines say anywhere in a text; None where one of the two is missing."""
    found = dict(_LINE.findall(text))
    if "Exercise" in found and "Variant" in found:
        return ExerciseVariant(found["Exercise"], found["Variant"])
    return None


def with_other_code(text: str, code: str) -> str:
    """A text that ends in these lines, of another variant."""
    return re.sub(r"(?<=\nVariant: ).*\n\Z", f"{code}\n", text)
