"""What of a repository was handed out, and what is new: by what its hand-out says, without a key."""

from __future__ import annotations

from muddled_orchard.core.exercise.asked import Asked
from muddled_orchard.core.git.commits import Commit, ancestry
from muddled_orchard.core.submission.evidence import Evidence


def handed_out_commits(asked: Asked, evidence: Evidence) -> dict[str, Commit]:
    """The commits that were handed out and are there, by id. Where a branch was set back, what it had is
    perhaps not there any more, so the commits that tasks name lead to them as well."""
    commits = evidence.commits
    known = {*asked.tips.values(), *(commit.id for commit in asked.commits.values())}
    return {commit.id: commit for id_ in known if id_ in commits for commit in ancestry(commits, id_)}


def handed_out_names(asked: Asked, evidence: Evidence) -> set[tuple[str, str]]:
    """Author and subject of what was handed out, also of what is not there any more: a replay has them."""
    there = handed_out_commits(asked, evidence).values()
    gone = {(commit.author, commit.subject) for commit in asked.rewritten}
    return gone | {(commit.author, commit.subject) for commit in there}


def new_commits(tip: str, asked: Asked, evidence: Evidence) -> list[Commit]:
    """The commits that a branch has and nobody was handed out."""
    handed_out = handed_out_commits(asked, evidence)
    return [commit for commit in ancestry(evidence.commits, tip) if commit.id not in handed_out]
