"""The graph of what a learner made: the story's commits and their own, as their branches reach them."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import islice

from muddled_orchard.core.git.commits import Commit, ancestry
from muddled_orchard.core.git.refs import BRANCHES, REMOTE_TRACKING
from muddled_orchard.core.key.graph import MOST_NODES, Graph, compact, laid_out
from muddled_orchard.core.submission.submission import Submission

DETACHED = "HEAD (on no branch)"


def graph_of(submission: Submission) -> Graph | None:
    """The graph, compact; None where it is too large to be looked at."""
    evidence, key = submission.evidence, submission.key
    commits = {**key.commits, **evidence.commits}
    tips = {
        name.removeprefix(BRANCHES): id_ for name, id_ in evidence.refs.items() if name.startswith(BRANCHES)
    }
    # Where it stands at the remote is shown where that is somewhere else.
    tips |= {
        name.removeprefix(REMOTE_TRACKING): id_
        for name, id_ in evidence.refs.items()
        if name.startswith(REMOTE_TRACKING) and id_ not in tips.values()
    }
    head = evidence.head or DETACHED
    if evidence.head is None and evidence.head_commit is not None:
        tips[DETACHED] = evidence.head_commit
    tips = dict(islice(((name, id_) for name, id_ in tips.items() if id_ in commits), MOST_NODES))
    tips = dict(sorted(tips.items(), key=lambda tip: tip[0] not in (*key.history.tips, head)))
    return compact(laid_out(key, commits, _in_order(commits, tips, key.ids), tips, head))


def _in_order(commits: Mapping[str, Commit], tips: Mapping[str, str], first: tuple[str, ...]) -> list[str]:
    """The commits, parents before children: the story's as it tells them, then the others."""
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
