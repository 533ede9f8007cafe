"""Write a learner's commits again into a repository of ours, from the evidence.

Where Git must be asked about content that a learner made, it gets to see only objects that we wrote
from data that was read and checked; no file of a submission ever comes near a `git` process.
"""

from __future__ import annotations

from collections.abc import Container

from muddled_orchard.core.git.trees import SUBMODULE
from muddled_orchard.core.submission.submission import Submission
from muddled_orchard.vcs.read.quarantine import Unreadable
from muddled_orchard.vcs.write.memory import Objects


def rewritten(objects: Objects, id_: str, submission: Submission, done: dict[str, str]) -> str:
    """The id, among `objects`, of a commit with the content and ancestry of the learner's commit `id_`.

    Commits of the key, which were planted, stand for themselves; `done` remembers the others. Raises
    Unreadable where a content is missing.
    """
    try:
        return _rewritten(objects, id_, submission, done)
    except (ValueError, KeyError):
        raise Unreadable("its commits can't be merged: one of them is damaged") from None


def _rewritten(objects: Objects, id_: str, submission: Submission, done: dict[str, str]) -> str:
    key, commits, texts = submission.key, submission.commits, submission.texts
    # What a learner began with `git init`, nobody has planted.
    planted: Container[str] = () if key.scenario.start.own else key.commits
    planted_texts: Container[str] = () if key.scenario.start.own else key.texts
    stack = [id_]
    while stack:
        at = stack[-1]
        commit = commits.get(at)
        if at in done or commit is None or at in planted:
            done.setdefault(at, at)
            stack.pop()
            continue
        waiting = [parent for parent in commit.parents if parent not in done]
        if waiting:
            stack.extend(waiting)
            continue
        for blob in {*commit.tree.values()}:
            if blob.mode != SUBMODULE and blob.id not in planted_texts:
                if blob.id not in texts:
                    raise Unreadable("a file that its commits name is missing or damaged")
                objects.blob(texts[blob.id])
        tree = objects.tree({path: (blob.mode, blob.id) for path, blob in commit.tree.items()})
        # Who and when don't matter for a merge; the same for all keeps the ids free of chance.
        parents = [done[parent] for parent in commit.parents if parent in commits]
        done[at] = objects.commit("Rewritten <rewritten@orchard.example> 0 +0000", at, tree, parents)
        stack.pop()
    return done[id_]
