"""How far a learner is who is to make a conflict: by commits and reflog alone, without asking Git."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from itertools import combinations

from muddled_orchard.core.exercise.asked import Asked
from muddled_orchard.core.exercise.operations.own_conflict import OWN_STEPS_TOLD, OwnConflict, OwnStep
from muddled_orchard.core.git.commits import Commit, Commits, ancestors, ancestry, contains
from muddled_orchard.core.git.copies import copied_from
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.reflog import first_said, how_it_went, kept_commits, rebased


def lacks_for_own(task: OwnConflict, asked: Asked, evidence: Evidence) -> str:
    """What comes next, as far as that can be told; empty where nothing does. A conflict seems to have been
    met by a merge of two sides that changed the same file, or by a copy or a rebase that stopped."""
    before = set(asked.tips.values())
    met = {*steps_seen(evidence, before)}
    own = sorted(own_commits(evidence, before), key=lambda one: one.time)[-_MOST_COMMITS_LOOKED_AT:]
    made = first_said(evidence)
    own_ids = {commit.id for commit in own}
    met_there = {one.made.id for one in rebased(evidence, evidence.commits) if one.stopped} & own_ids
    met_there |= {one.id for one in own if _ended_in_conflict(evidence, one, made.get(one.id, ""))}
    if met_there:
        met |= {"conflict", "both sides", "same file", "branch"}
    if any(len(commit.parents) == 2 and commit.id not in met_there for commit in own):
        met.add("clean merge")
    steps = task.steps or _ALL_STEPS
    if "conflict" in met and not task.steps:
        return ""
    return next((OWN_STEPS_TOLD[step] for step in steps if step not in met), "")


_MOST_COMMITS_LOOKED_AT = 500
_ALL_STEPS: tuple[OwnStep, ...] = ("branch", "both sides", "same file", "conflict")


def steps_seen(evidence: Evidence, before: Collection[str]) -> Iterator[OwnStep]:
    """The steps that commits, branches and the reflog show by themselves; `before` are the commits at which
    the handed-out branches stood."""
    commits = evidence.commits
    own = {commit.id for commit in own_commits(evidence, before)}
    if own:
        yield "branch"
    for one, other in _parted(evidence, own):
        yield "both sides"
        if changed_by_both(commits, one, other):
            yield "same file"
    if any("Fast-forward" in move.what for move in evidence.reflog):
        yield "fast-forward"


def own_commits(evidence: Evidence, before: Collection[str]) -> list[Commit]:
    """The commits that were not handed out, and not thrown away."""
    old = ancestors(evidence.commits, *before)
    kept = kept_commits(evidence, evidence.commits)
    return [commit for id_, commit in evidence.commits.items() if id_ in kept and id_ not in old]


def _parted(evidence: Evidence, own: Collection[str]) -> Iterator[tuple[str, str]]:
    """Pairs of commits that have gone on apart: both sides of each merge, what was copied or rebased and what
    it met, and the branches as they stand."""
    commits = evidence.commits
    merges = sorted((commits[id_] for id_ in own if len(commits[id_].parents) == 2), key=lambda one: one.time)
    for merge in merges[-_MOST_LOOKED_AT:]:
        yield merge.parents[0], merge.parents[1]
    tips = sorted({id_ for ref, id_ in evidence.refs.items() if ref.startswith(BRANCHES) and id_ in commits})
    gone = [move.new for move in evidence.reflog if move.new in own]
    for one, other in combinations([*tips[:_MOST_LOOKED_AT], *gone[-_MOST_LOOKED_AT:]], 2):
        if not contains(commits, one, other) and not contains(commits, other, one):
            yield one, other


_MOST_LOOKED_AT = 30
"""So many merges, branches and moves of HEAD are looked at: what is asked for takes few."""


def _ended_in_conflict(evidence: Evidence, commit: Commit, said: str) -> bool:
    if len(commit.parents) == 2:
        clean = how_it_went(commit, said) == "clean"
        return not clean and bool(changed_by_both(evidence.commits, *commit.parents))
    return copied_from(commit.message) is not None and how_it_went(commit, said) == "conflict"


def changed_by_both(commits: Commits, one: str, other: str) -> set[str]:
    """The files that two commits have otherwise than what both grew from."""
    theirs = ancestors(commits, other)
    base = next((commit for commit in ancestry(commits, one) if commit.id in theirs), None)
    before = base.tree if base is not None else {}
    changed = [
        {path for path in {*before, *commits[id_].tree} if commits[id_].tree.get(path) != before.get(path)}
        for id_ in (one, other)
        if id_ in commits
    ]
    return set.intersection(*changed) if len(changed) == 2 else set()
