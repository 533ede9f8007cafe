"""In which line of a TOML file does a key stand? Asked only when something is wrong with the file."""

from __future__ import annotations

import functools
from collections.abc import Sequence

import tree_sitter
import tree_sitter_toml

from muddled_orchard.core.base.problems import KeyPath


def line_of(text: str, key: KeyPath) -> int | None:
    """The line (from 1) of a key, or of the nearest thing around it that the file has.

    `key` is a path as in `("story", 2, "change", 0, "find")`, lists counted from 0.
    """
    places = _places(text)
    while key:
        if key in places:
            return places[key]
        key = key[:-1]
    return None


@functools.lru_cache(maxsize=1)  # asked for every problem of a file
def _places(text: str) -> dict[KeyPath, int]:
    parser = tree_sitter.Parser(tree_sitter.Language(tree_sitter_toml.language()))
    places: dict[KeyPath, int] = {}
    _document(parser.parse(text.encode()).root_node, places)
    return places


def _document(root: tree_sitter.Node, places: dict[KeyPath, int]) -> None:
    counts: dict[KeyPath, int] = {}
    for node in root.named_children:
        if node.type == "pair":
            _pair(node, (), places)
        elif node.type in ("table", "table_array_element"):
            names = _names(node.named_children[0])
            prefix = _with_last_elements(names, counts)
            if node.type == "table_array_element":
                number = counts.get(prefix, -1) + 1
                counts[prefix] = number
                places.setdefault(prefix, _line(node))
                prefix = (*prefix, number)
            places.setdefault(prefix, _line(node))
            for child in node.named_children[1:]:
                if child.type == "pair":
                    _pair(child, prefix, places)


def _with_last_elements(names: Sequence[str], counts: dict[KeyPath, int]) -> KeyPath:
    """`[story.change]` below `[[story]]` belongs to the last element of story."""
    key: KeyPath = ()
    for number, name in enumerate(names):
        key = (*key, name)
        if number < len(names) - 1 and key in counts:
            key = (*key, counts[key])
    return key


def _pair(node: tree_sitter.Node, prefix: KeyPath, places: dict[KeyPath, int]) -> None:
    key = prefix
    for name in _names(node.named_children[0]):
        key = (*key, name)
        places.setdefault(key, _line(node))
    _value(node.named_children[-1], key, places)


def _value(node: tree_sitter.Node, key: KeyPath, places: dict[KeyPath, int]) -> None:
    if node.type == "array":
        elements = [child for child in node.named_children if child.type != "comment"]
        for number, child in enumerate(elements):
            places.setdefault((*key, number), _line(child))
            _value(child, (*key, number), places)
    elif node.type == "inline_table":
        for child in node.named_children:
            if child.type == "pair":
                _pair(child, key, places)


def _names(node: tree_sitter.Node) -> list[str]:
    if node.type == "dotted_key":
        return [name for child in node.named_children for name in _names(child)]
    text = (node.text or b"").decode()
    return [text[1:-1] if node.type == "quoted_key" else text]


def _line(node: tree_sitter.Node) -> int:
    return node.start_point[0] + 1
