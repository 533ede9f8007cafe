"""The one layout of commit graphs, on plain data: no line hides a commit or another line, no label is crossed."""

import random
from itertools import pairwise

import pytest

from muddled_orchard.core.key.graph import Graph, Node
from muddled_orchard.core.key.graph_layout import Layout, layout
from muddled_orchard.show.figures.drawing import DOT, NARROW, Drawing, drawing
from muddled_orchard.show.figures.signs import graph_lines, graph_rows


def node(place: int, lane: int, parents: tuple[int, ...] = (), *branches: str, new: bool = False) -> Node:
    return Node(
        str(place), place, lane, f"Commit {place}", "Maren Quill", tuple(map(str, parents)), branches,
        head="main" in branches, new=new,
    )  # fmt: skip


def random_graph(seed: int) -> Graph:
    """Up to twenty commits on up to five branches, each grown from anything before it."""
    drawn = random.Random(seed)
    lanes = drawn.randint(1, 5)
    nodes: list[Node] = []
    for place in range(drawn.randint(1, 20)):
        parents = drawn.sample(range(place), min(place, drawn.choice((1, 1, 1, 2))))
        names = [
            f"{word}-{place}" for word in ("origin/b", "a-long-name-of-a-branch") if drawn.random() < 0.3
        ]
        nodes.append(node(place, drawn.randrange(lanes), tuple(parents), *names))
    return Graph(tuple(nodes), tuple("abcde"[:lanes]))


def segments(laid: Layout) -> list[tuple[int, int, int, int]]:
    """The upright part of each line: its column, the rows between which it runs, and where it comes from."""
    return [(route.column, route.newer, route.older, route.older) for route in laid.routes]


@pytest.mark.parametrize("seed", range(60))
def test_no_line_hides_another_one_or_a_commit(seed: int) -> None:
    graph = random_graph(seed)
    laid = layout(graph)
    lines = {(laid.rows[route.older].id, laid.rows[route.newer].id) for route in laid.routes}
    assert lines == {(parent, one.id) for one in graph.nodes for parent in one.parents}, (
        "every parent has its line"
    )
    for column, newer, older, _ in segments(laid):
        assert not [row for row in range(newer + 1, older) if laid.rows[row].lane == column]
    for one in segments(laid):
        for other in segments(laid):
            if one[0] == other[0] and one[3] != other[3]:
                assert one[2] <= other[1] or other[2] <= one[1], (
                    "lines from two commits never run on each other"
                )
    for letters in (NARROW, 60):
        _beside(drawing(graph, letters))
    assert [row.node.id for row in graph_rows(graph) if row.node] == [one.id for one in laid.rows]


def _beside(drawn: Drawing) -> None:
    """Nothing of the lines reaches the labels and words, and these don't reach each other."""
    reach = max([dot.at[0] + DOT for dot in drawn.dots] + [x for line in drawn.lines for x, _ in line.enter])
    boxes = sorted((label.at[1], label.at[0], label.at[0] + label.width) for label in drawn.labels)
    for (top, _, right), (lower, left, _) in pairwise(boxes):
        assert lower >= top + 18 or left >= right
    texts = sorted(words.at[1] for words in drawn.words)
    assert all(below - above >= 18 for above, below in pairwise(texts))
    for label in drawn.labels:
        assert label.at[0] > reach
        assert not [base for base in texts if label.at[1] < base < label.at[1] + 18]
    assert all(words.at[0] > reach and words.at[1] < drawn.height for words in drawn.words)


def test_a_graph_as_text_reads_like_gits_own() -> None:
    graph = Graph(
        (
            node(0, 0), node(1, 1, (0,)), node(2, 0, (0,), "origin/main"), node(3, 2, (1,), "hot fix"),
            node(4, 0, (2, 1), "main", "other", new=True),
        ),
        ("main", "feature", "fix"),
    )  # fmt: skip
    assert list(graph_lines(graph)) == [
        "○      (HEAD -> main, other) Commit 4, Maren Quill",
        "├─╮",
        "│ │ ●  (hot fix) Commit 3, Maren Quill",
        "● │ │  (origin/main) Commit 2, Maren Quill",
        "│ ├─╯",
        "│ ●    Commit 1, Maren Quill",
        "├─╯",
        "●      Commit 0, Maren Quill",
    ]
    assert [line[:6].rstrip() for line in graph_lines(graph, unicode=False)] == [
        "o", "|-+", "| | *", "* | |", "| |-+", "| *", "|-+", "*",
    ]  # fmt: skip
