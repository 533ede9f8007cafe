"""The graph of what a learner made: the story's commits and their own, as their branches reach them."""

from __future__ import annotations

from itertools import islice

from muddled_orchard.core.git.refs import BRANCHES, REMOTE_TRACKING
from muddled_orchard.core.key.graph import DETACHED, MOST_NODES, Graph, compact, in_order, laid_out
from muddled_orchard.core.submission.submission import Submission


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
    return compact(laid_out(key, commits, in_order(commits, tips, key.ids), tips, head))
