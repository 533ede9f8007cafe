"""A finding: what one is, and how it is kept and had again as data of its kind."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import msgspec
from msgspec import Struct

SHOWN = 6
"""How many names of a list are kept."""


KINDS: dict[str, type[Kind]] = {}
"""Every kind by its name; `core.grading.kinds` fills it."""


class Kind(msgspec.Struct, frozen=True):
    """A kind of finding. Its subclasses are frozen data.

    No data classes: to make the more than a hundred of them took 90 ms at every start, these take 11.
    """

    def __init_subclass__(cls) -> None:
        KINDS[cls.__name__] = cls

    @property
    def said(self) -> str:
        """What was found, as a sentence or more."""
        raise NotImplementedError


def sentences(kinds: Iterable[Kind]) -> str:
    """What was found, a sentence or more each, each said once."""
    return " ".join(dict.fromkeys(kind.said for kind in kinds))


def few(names: Sequence[str]) -> tuple[str, ...]:
    """As many names of a list as are kept."""
    return tuple(names[:SHOWN])


class Finding(Struct, frozen=True):
    """One thing that was found, as it is kept: the name of its kind and its values. They may come from a
    submission, and are bounded."""

    kind: str
    values: Mapping[str, Any]


_LONGEST = 3_000


def kept(kind: Kind) -> Finding:
    """A finding as it is kept."""
    values = {name: _bounded(getattr(kind, name)) for name in kind.__struct_fields__}
    return Finding(type(kind).__name__, values)


def _bounded(value: Any) -> Any:
    return value[:_LONGEST] if isinstance(value, str) else value
