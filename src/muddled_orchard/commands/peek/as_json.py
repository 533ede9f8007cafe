"""Where a learner stands, as JSON."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.submission.peek import Peek
from muddled_orchard.show.json.shapes import about
from muddled_orchard.show.json.writing import json_text, shaped


class LeftOut(Struct):
    """Something that is left to do, or (`work` is false) only worth knowing."""

    where: str
    what: str
    work: bool


class NextOut(Struct):
    """Something to type; an empty command says that files are to be edited."""

    command: Annotated[
        list[str], about("Word by word; paths stand behind -- and begin at the repository's top.")
    ]
    why: str
    instead: Annotated[bool, about("Whether it stands in the place of the one before it.")]


class PeekFile(Struct, rename={"commands": "next"}):
    """What `muddled peek --json` prints."""

    format: Literal[1]
    done: bool
    doing: str
    ours: str
    theirs: str
    knows_tasks: bool
    left: list[LeftOut]
    reading: Annotated[str, about("How the marked places of files are read; empty where there are none.")]
    other_views: Annotated[list[NextOut], about("What shows these places in another way.")]
    commands: list[NextOut]
    back: list[str]


def peek_file(peek: Peek) -> str:
    """One object: what is going on, what is left, what to type (as lists of words, with paths from the top of
    the working tree)."""
    return json_text(shaped(PeekFile, peek, format=1))
