"""A text for people as data: what it says is decided once, whatever it is written as."""

from __future__ import annotations

from dataclasses import dataclass

from muddled_orchard.core.key.graph import Graph

Tone = str
"""What stands beside a text as a sign and a colour: `good`, `doubt`, `bad`, or nothing."""


@dataclass(frozen=True, slots=True)
class Heading:
    """A heading; the title has level 1. `about` stands behind it, fainter."""

    level: int
    text: str
    about: str = ""


@dataclass(frozen=True, slots=True)
class Paragraph:
    """A paragraph."""

    text: str
    tone: Tone = ""


@dataclass(frozen=True, slots=True)
class Items:
    """A list."""

    texts: tuple[str, ...]
    tone: Tone = ""


@dataclass(frozen=True, slots=True)
class Commands:
    """What can be typed, a line each."""

    lines: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Text:
    """The text of a file as it stands, with a name above it; None: there is no such file."""

    name: str
    text: str | None
    tone: Tone = ""


@dataclass(frozen=True, slots=True)
class Texts:
    """Several beside one another."""

    texts: tuple[Text, ...]


@dataclass(frozen=True, slots=True)
class Drawing:
    """A commit graph, with a name above it."""

    name: str
    graph: Graph


@dataclass(frozen=True, slots=True)
class Link:
    """An exercise that can be done next: its id, its title, and why."""

    id: str
    title: str
    why: str


@dataclass(frozen=True, slots=True)
class Links:
    """Several of them."""

    links: tuple[Link, ...]


Block = Heading | Paragraph | Items | Commands | Texts | Drawing | Links


@dataclass(frozen=True, slots=True)
class Document:
    """A whole document; its first block is the title."""

    blocks: tuple[Block, ...]

    @property
    def title(self) -> str:
        """The title."""
        first = self.blocks[0]
        return first.text if isinstance(first, Heading) else ""
