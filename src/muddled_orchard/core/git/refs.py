"""Names of branches: in full (`refs/heads/main`), and of the remote as people write them (`origin/main`)."""

from __future__ import annotations

BRANCHES, TRACKING, TAGS = "refs/heads/", "refs/remotes/origin/", "refs/tags/"
"""What the full names of branches, of remote-tracking branches and of tags begin with."""

REMOTE_TRACKING = "refs/remotes/"
"""What the full names of all remote-tracking branches begin with, whatever their remote is called."""

REMOTE = "origin/"
"""What the name of a branch of the remote begins with where people read it."""


def branch_ref(name: str | None) -> str:
    """The full name of a branch: `refs/heads/main` of `main`."""
    return f"{BRANCHES}{name}"


def tracking_ref(name: str) -> str:
    """The full name of the remote-tracking branch: `refs/remotes/origin/main` of `main`."""
    return f"{TRACKING}{name}"


def branch_of(ref: str) -> str | None:
    """The name of the branch that a full name is of, or None where it is of something else."""
    return ref.removeprefix(BRANCHES) if ref.startswith(BRANCHES) else None


def on_remote(name: str | None) -> str:
    """A branch of the remote, as people write it: `origin/main` of `main`."""
    return f"{REMOTE}{name}"


def is_on_remote(name: str | None) -> bool:
    """Whether a branch's name, as people write it, is of the remote."""
    return (name or "").startswith(REMOTE)
