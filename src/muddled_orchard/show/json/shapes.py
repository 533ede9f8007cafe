"""What the shapes of JSON outputs share.

Each output has its shape beside what writes it, as structs that data is brought into
(`show.json.writing.shaped`); docs/schemas is made of them (`scripts/schema`). Within a `format` keys are only
ever added.
"""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

Number = Annotated[float, Meta(ge=0)]
Line = Annotated[int, Meta(ge=1)]
Verdict = Literal["met", "partly", "missed", "skipped"]
State = Literal["finished", "open", "untouched", "unreadable"]


def about(what: str) -> Meta:
    """What a key is."""
    return Meta(description=what)


def one_of(*words: str) -> Meta:
    """That a key is one of these words."""
    return Meta(extra_json_schema={"enum": list(words)})
