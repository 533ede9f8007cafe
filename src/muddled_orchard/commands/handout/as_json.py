"""What was planted or handed out, as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.sources import Pushed, without_secret
from muddled_orchard.show.json.shapes import about
from muddled_orchard.show.json.writing import json_text, shaped


class PushedEntry(Struct):
    """A repository that was to be pushed: `there` is one that the server has, which is left as it is."""

    learner: str
    exercise: str
    url: str
    state: Literal["pushed", "there", "failed"]
    reason: str | None


class HandOutFile(Struct):
    """What `muddled handout --json` prints."""

    format: Literal[1]
    ledger: str
    learners: int
    ready: Annotated[int, about("How many were there before.")]
    hand_outs: Annotated[list[HandOut], about("Those that were made now.")]
    pushed: Annotated[list[PushedEntry], about("What came of each that was to be pushed to a server.")]


def handout_file(
    ledger: str, learners: int, ready: int, made: Sequence[HandOut], pushed: Sequence[Pushed] = ()
) -> str:
    """A run of handing out: what was made, how much was there before, and what came of pushing."""
    there = [
        shaped(PushedEntry, one, one.source, url=without_secret(one.source.url), reason=one.reason or None)
        for one in pushed
    ]
    return json_text(HandOutFile(1, ledger, learners, ready, list(made), there))
