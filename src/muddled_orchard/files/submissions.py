"""Which submissions are there, and whose are they?"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from muddled_orchard.core.problems import BadInput, Problem

_INSIDE = ("work", "work.git", ".git")


def find_submissions(named: Iterable[Path]) -> list[tuple[Path, str]]:
    """Every submission with its learner's name: each named folder, or those in a folder full of them.

    Raises BadInput for what isn't there.
    """
    found: list[tuple[Path, str]] = []
    for path in named:
        if not path.exists():
            raise BadInput(Problem("there is no such folder", "Check the path.", file=str(path)))
        if not path.is_dir():
            raise BadInput(
                Problem(
                    "this is no folder",
                    "Name a practice folder, its work/, or a folder of them.",
                    file=str(path),
                )
            )
        below = [] if _is_one(path) else sorted(entry for entry in path.iterdir() if entry.is_dir())
        below = [entry for entry in below if not entry.name.startswith(".")]
        found += [(entry, _learner(entry)) for entry in below] or [(path, _learner(path))]
    return found


def _is_one(path: Path) -> bool:
    """Whether this folder is a submission itself: a repository, bare or not, or a practice folder."""
    return (
        (path / ".git").exists()
        or (path / "work" / ".git").exists()
        or ((path / "HEAD").is_file() and (path / "objects").is_dir())
    )


def _learner(path: Path) -> str:
    path = path.absolute()
    return path.parent.name if path.name in _INSIDE else path.name
