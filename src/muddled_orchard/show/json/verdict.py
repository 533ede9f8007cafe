"""A person's verdict as JSON."""

from __future__ import annotations

from typing import Annotated

from msgspec import Struct

from muddled_orchard.show.json.shapes import Verdict, about


class SettledOut(Struct, rename={"verdict": "graded", "share": "graded_share"}):
    """A person's verdict, which the result follows, beside the grader's own."""

    earned: Annotated[float | None, about("The share that it earns, 0 to 1; null: as graded.")]
    by: str
    reason: str
    made: Annotated[str, about("When, in UTC.")]
    verdict: Annotated[Verdict, about("The grader's own verdict.")]
    share: Annotated[float, about("The share that the grader gave, 0 to 1.")]
