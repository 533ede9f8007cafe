"""A text for people as data: what it says is decided once, whatever it is written as."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from muddled_orchard.core.key.graph import Graph

Tone = Literal["", "met", "partly", "missed", "skipped", "unreadable", "look", "faint"]
"""What a text's sign and colour say: those of a verdict, that a person is to `look`; `faint` has no sign."""


class Heading(Struct, frozen=True):
    """A heading; the title has level 1. What it is `of` stands behind it, then `about`, fainter."""

    level: int
    text: str
    about: str = ""
    of: str = ""


class Paragraph(Struct, frozen=True):
    """A paragraph. One that is `joined` belongs to what stands above it."""

    text: str
    tone: Tone = ""
    joined: bool = False


class Items(Struct, frozen=True):
    """A list."""

    texts: tuple[str, ...]
    tone: Tone = ""


class Score(Struct, frozen=True):
    """What is judged, the points that it earns, and why."""

    name: str
    points: str
    text: str
    tone: Tone = ""


class Scores(Struct, frozen=True):
    """Several of them, as a table."""

    rows: tuple[Score, ...]


class Commands(Struct, frozen=True):
    """What can be typed, a line each."""

    lines: tuple[str, ...]


class Text(Struct, frozen=True):
    """The text of a file as it stands, with a name above it; None: there is no such file."""

    name: str
    text: str | None
    tone: Tone = ""


class Texts(Struct, frozen=True):
    """Several beside one another; `results` are what became of them."""

    texts: tuple[Text, ...]
    results: tuple[Text, ...] = ()


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


class Line(Struct, frozen=True):
    """A line that is shown: what it belongs to, and a remark on it.

    Kinds are `+`, `-` and `@` of a diff, the parts of a conflict (`marker`, `ours`, `base`, `theirs`),
    `marked` for what is to be looked at, and `left out`, which stands for lines that are not shown.
    """

    kind: str
    text: str
    remark: str = ""


class Session(Struct, frozen=True):
    """A command that was typed, where (nothing: in the repository), and what it answered."""

    command: str
    answer: tuple[Line, ...]
    place: str = ""


class Contents(Struct, frozen=True):
    """A file as it lies there, with its path."""

    path: str
    lines: tuple[Line, ...]


class Change(Struct, frozen=True):
    """What is done to a file, and the lines that it changes; all of them where the file is `new`."""

    text: str
    lines: tuple[Line, ...]
    new: bool = False


class Window(Struct, frozen=True):
    """What somebody else does meanwhile, beside everything else: the title says who."""

    title: str
    blocks: tuple[Paragraph | Session | Contents | Change, ...]


Block = (
    Heading | Paragraph | Items | Scores | Commands | Texts | Drawing | Links | Session | Contents | Change
    | Window
)  # fmt: skip


class Document(Struct, frozen=True):
    """A whole document; its first block is the title."""

    blocks: tuple[Block, ...]

    @property
    def title(self) -> str:
        """The title."""
        first = self.blocks[0]
        return first.text if isinstance(first, Heading) else ""
