"""A commit graph laid out in lanes, one a branch: what a picture of a scenario shows."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.exercise.arriving import arrivals, as_served
from muddled_orchard.core.exercise.delivering import delivery_of
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.git.commits import Commit, ancestors, ancestry, name_of
from muddled_orchard.core.git.refs import on_remote
from muddled_orchard.core.key.answer_key import Key


class Node(Struct, frozen=True, omit_defaults=True):
    """A commit: `place` counts from left to right, `lane` from top to bottom, `parents` are ids.

    `branches` are the names that stand at it, the one that is checked out first if `head`; `new` commits
    are made by the solution.
    """

    id: str
    place: int
    lane: int
    subject: str
    author: str
    parents: tuple[str, ...] = ()
    branches: tuple[str, ...] = ()
    head: bool = False
    new: bool = False


class Graph(Struct, frozen=True):
    """The nodes, the oldest first, and the names of the lanes from top to bottom."""

    nodes: tuple[Node, ...]
    lanes: tuple[str, ...]


def handed_out(key: Key, *, served: bool = False) -> Graph:
    """The graph that a learner receives, with what only the remote has and what waits in the stash. `served`:
    by a host, where what teammates push meanwhile is not there yet."""
    history = key.history
    if served:
        history = as_served(history, arrivals(key.scenario, history))
    tips = {name: key.ids[number] for name, number in history.tips.items()}
    for name, number in history.remote.items():
        if history.tracked.get(name) != number:
            tips[f"origin/{name} (not fetched)"] = key.ids[number]
    for name, number in history.tracked.items():
        tips[on_remote(name)] = key.ids[number]
    for age, number in enumerate(reversed(history.stashes)):
        tips[f"stash@{{{age}}}"] = key.ids[number]
    return _graph(key, tips, history.checked_out)


def of_variant(graph: Graph, key: Key, history: History) -> Graph:
    """What `handed_out(key)` is in another variant: the same graph, with the messages of its history."""
    names = {
        id_: commit.message.split("\n", 1)[0] for id_, commit in zip(key.ids, history.commits, strict=True)
    }
    return Graph(tuple(replace(node, subject=names[node.id]) for node in graph.nodes), graph.lanes)


def wanted(key: Key) -> Graph | None:
    """The graph after a solution by the key; None where what comes out is the learner's own."""
    if key.scenario.makes_own:
        return None
    delivery = delivery_of(key.scenario.task, key.history.remote)
    deleted = {*delivery.deleted, *map(on_remote, delivery.deleted_there)}
    tips = {name: id_ for name, id_ in key.solved_tips.items() if name not in deleted}
    return _graph(key, tips, key.scenario.task[-1].on)


MOST_NODES = 60
"""How many commits a graph may have that is kept with a result."""


def compact(graph: Graph) -> Graph | None:
    """The same graph with short ids and texts, to be kept with a result; None where it is too large."""
    if len(graph.nodes) > MOST_NODES:
        return None
    short = {node.id: str(node.place) for node in graph.nodes}
    nodes = tuple(
        replace(
            node,
            id=short[node.id],
            subject=brief(node.subject),
            author=brief(node.author, 40),
            parents=tuple(short[parent] for parent in node.parents),
            branches=tuple(brief(name, 40) for name in node.branches[:_MOST_NAMES]),
        )
        for node in graph.nodes
    )
    return Graph(nodes, tuple(brief(lane, 40) for lane in graph.lanes))


_MOST_NAMES = 6


def _graph(key: Key, tips: Mapping[str, str], head: str) -> Graph:
    order = (*key.ids, *(id_ for id_ in key.commits if id_ not in key.handed_out))
    return laid_out(key, key.commits, order, tips, head)


DETACHED = "HEAD (on no branch)"
"""What stands at the commit that is checked out where no branch is."""


def in_order(commits: Mapping[str, Commit], tips: Mapping[str, str], first: Iterable[str]) -> list[str]:
    """The commits, parents before children: those of the story as it tells them (`first`), then others."""
    found = dict.fromkeys(first)
    for tip in tips.values():
        for commit in reversed(list(ancestry(commits, tip))):
            _place(commits, commit.id, found)
    return list(found)


def _place(commits: Mapping[str, Commit], id_: str, found: dict[str, None]) -> None:
    """Put a commit behind all that it grew from."""
    waiting = [id_]
    while waiting:
        at = waiting[-1]
        missing = [parent for parent in commits[at].parents if parent in commits and parent not in found]
        if missing and at not in found:
            waiting += missing
        else:
            found.setdefault(waiting.pop())


def laid_out(
    key: Key, commits: Mapping[str, Commit], order: Iterable[str], tips: Mapping[str, str], head: str
) -> Graph:
    """The graph of `commits` that the branches `tips` (name: id) reach; `order` has parents first, `head` is
    the branch that is checked out. Those that were not handed out are new."""
    shown = ancestors(commits, *tips.values())
    order = [id_ for id_ in order if id_ in shown]
    on = _branches(key, commits, tips)
    lanes = {name: lane for lane, name in enumerate(dict.fromkeys(on[id_] for id_ in order))}
    standing: dict[str, list[str]] = {}
    for name, tip in tips.items():
        standing.setdefault(tip, []).append(name)
    nodes = []
    for place, id_ in enumerate(order):
        commit = commits[id_]
        names = tuple(sorted(standing.get(id_, ()), key=lambda name: name != head))
        nodes.append(
            Node(
                id=id_,
                place=place,
                lane=lanes[on[id_]],
                subject=commit.subject,
                author=name_of(commit.author),
                parents=tuple(parent for parent in commit.parents if parent in shown),
                branches=names,
                head=head in names,
                new=id_ not in key.handed_out,
            )
        )
    return Graph(tuple(nodes), tuple(lanes))


def _branches(key: Key, commits: Mapping[str, Commit], tips: Mapping[str, str]) -> dict[str, str]:
    """The branch that each commit was made on; a stash has a lane of its own."""
    on = {
        id_: "stash" if planned.stash else planned.branch
        for id_, planned in zip(key.ids, key.history.commits, strict=True)
    }
    for name, tip in tips.items():  # a new one is on the first branch whose own line of first parents has it
        for id_ in _first_parents(commits, tip):
            on.setdefault(id_, name)
    return {id_: on.get(id_, key.scenario.task[-1].on) for id_ in commits}


def _first_parents(commits: Mapping[str, Commit], tip: str) -> Iterator[str]:
    at: str | None = tip
    while at is not None and at in commits:
        yield at
        parents = commits[at].parents
        at = parents[0] if parents else None
