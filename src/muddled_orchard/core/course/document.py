"""A text for people as data: what it says is decided once, whatever it is written as."""

from __future__ import annotations

from msgspec import Struct

from muddled_orchard.core.key.graph import Graph

Tone = str
"""What stands beside a text as a sign and a colour: `good`, `doubt`, `bad`, or nothing."""


class Heading(Struct, frozen=True):
    """A heading; the title has level 1. `about` stands behind it, fainter."""

    level: int
    text: str
    about: str = ""


class Paragraph(Struct, frozen=True):
    """A paragraph."""

    text: str
    tone: Tone = ""


class Items(Struct, frozen=True):
    """A list."""

    texts: tuple[str, ...]
    tone: Tone = ""


class Commands(Struct, frozen=True):
    """What can be typed, a line each."""

    lines: tuple[str, ...]


class Text(Struct, frozen=True):
    """The text of a file as it stands, with a name above it; None: there is no such file."""

    name: str
    text: str | None
    tone: Tone = ""


class Texts(Struct, frozen=True):
    """Several beside one another."""

    texts: tuple[Text, ...]


class Drawing(Struct, frozen=True):
    """A commit graph, with a name above it."""

    name: str
    graph: Graph


class Link(Struct, frozen=True):
    """An exercise that can be done next: its id, its title, and why."""

    id: str
    title: str
    why: str


class Links(Struct, frozen=True):
    """Several of them."""

    links: tuple[Link, ...]


Block = Heading | Paragraph | Items | Commands | Texts | Drawing | Links


class Document(Struct, frozen=True):
    """A whole document; its first block is the title."""

    blocks: tuple[Block, ...]

    @property
    def title(self) -> str:
        """The title."""
        first = self.blocks[0]
        return first.text if isinstance(first, Heading) else ""
