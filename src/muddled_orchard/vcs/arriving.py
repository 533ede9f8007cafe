"""Have a branch of a served repository go on to what a teammate pushed: it is there or not, never half."""

from __future__ import annotations

from pathlib import Path

from muddled_orchard.core.exercise.arriving import Coming
from muddled_orchard.vcs.ask import git


def arrive(repository: Path, coming: Coming) -> bool:
    """Move a branch from where it stands before to where it stands after, and write that down in a ref;
    whether it is there. Where the branch stands elsewhere, somebody was first, and nothing is done.

    The branch goes first: whoever is stopped in between finds it moved, and the ref is written then. Raises
    GitFailed where Git can't write.
    """
    branch, after = coming.branch, coming.after
    git.run(("update-ref", branch, after, coming.before), folder=repository, may_fail=True)
    stands = git.run(("rev-parse", "--verify", "-q", branch), folder=repository, may_fail=True)
    if stands.decode().strip() != after:
        return False
    git.run(("update-ref", coming.marker, after), folder=repository)
    return True
