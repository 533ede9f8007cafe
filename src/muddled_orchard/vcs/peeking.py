"""Look at a learner's repository as it is, through the same quarantine as every submission."""

from __future__ import annotations

from pathlib import Path

from muddled_orchard.core.base.limits import Exceeded
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.submission.peek import Peek, peek
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.quarantine import Unreadable, find_repository, take_over
from muddled_orchard.vcs.read.reader import NO_COMMIT, Reader


def peek_at(folder: Path, role: int | None = None) -> tuple[Peek, Path]:
    """Where the learner stands whose repository this folder is, or lies in; and the top of its working tree.
    `role` is theirs, where a team has given tasks out.
    Raises BadInput where there is none, or where it can't be read."""
    try:
        for place in (folder, *folder.resolve().parents):
            disk = DiskSource(place)
            repository = find_repository(disk, deepest=0)
            if repository is not None:
                break
        else:
            begins = (folder / CLAIM).is_file()
            hint = "Make it with git init." if begins else "Go into work/ and try again."
            raise BadInput(Problem("there is no Git repository here", hint, file=str(folder)))
        reader = Reader(take_over(disk, repository))
        top = place if repository.worktree is None else place / repository.worktree
        evidence, asked = reader.evidence((), {}), reader.asked()
        if asked is not None and asked.begins_with_nothing:
            # It knows keys, which take long to load.
            from muddled_orchard.core.submission.own_beginning import asked_from_own_beginning

            asked = asked_from_own_beginning(evidence, asked)
        return peek(evidence, asked, role), top
    except (Unreadable, Exceeded) as problem:
        hint = ""
        if (folder / ".git").is_file():
            hint = "Look at the repository that this worktree or submodule belongs to."
        elif str(problem) == NO_COMMIT:
            hint = "Write a file, then git add and git commit."
        raise BadInput(Problem(f"it can't be read: {problem}", hint, file=str(folder))) from None
