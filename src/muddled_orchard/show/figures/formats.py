"""The formats of pictures, by the ending of the file."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.figures.picture import Picture, laid_out
from muddled_orchard.show.figures.svg import picture_svg
from muddled_orchard.system.output import write_file


def draw(title: str, before: Graph, after: Graph | None, file: Path) -> None:
    """Write the picture; its format is that of the file's name. Raises BadInput where it can't be."""
    form = FORMATS.get(file.suffix.lower())
    if form is None:
        hint = f"End it in {' or '.join(FORMATS)}."
        raise BadInput(Problem(f'"{file.name}" is no name for a picture', hint, file=str(file)))
    write_file(file, form(laid_out(title, before, after)))


def _svg(picture: Picture) -> bytes:
    return picture_svg(picture).encode()


def _png(picture: Picture) -> bytes:
    try:
        from muddled_orchard.show.figures.png import picture_png
    except ModuleNotFoundError:
        hint = "Install it with: pip install 'muddled-orchard[png]'. A file that ends in .svg needs nothing."
        raise BadInput(Problem("a PNG is drawn by matplotlib, which is not installed", hint)) from None
    return picture_png(picture)


FORMATS: Mapping[str, Callable[[Picture], bytes]] = {".png": _png, ".svg": _svg}
"""What draws a picture, by the ending of the file. What it needs is loaded when it is asked for."""
