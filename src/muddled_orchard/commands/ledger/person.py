"""What is kept of one person, in the ledger and as a host's repositories, and being rid of the latter."""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Annotated, Any, Literal

from msgspec import Struct

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.files.course.personal_data import PersonalData
from muddled_orchard.show.json.shapes import about

REPOSITORIES = "repositories"
"""Where a host keeps repositories, beside the ledger, where nothing else was said."""

Rows = list[dict[str, Any]]


class PersonFile(Struct):
    """What `muddled ledger --person LEARNER` prints."""

    format: Literal[1]
    learner: str
    tables: Annotated[
        dict[str, Rows], about("Every row of the ledger that is theirs, by table; no password, and no hash.")
    ]
    repositories: Annotated[list[str], about("Where a host keeps what they pushed.")]


def person_json(ledger: PersonalData, learner: str, kept: Mapping[str, Sequence[Path]]) -> PersonFile:
    """All that is kept of a learner. Raises BadInput where there is no such learner."""
    places = [str(path) for path in kept.get(learner, ())]
    return PersonFile(1, learner, ledger.person(learner), places)


def repositories_of(folder: Path) -> dict[str, list[Path]]:
    """The repositories and folders that a host keeps below a folder, by learner: `EXERCISE/LEARNER.git`."""
    found: dict[str, list[Path]] = {}
    for path in sorted((*folder.glob("*/*.git"), *folder.glob("*/*.folders"))):
        if path.is_dir() and not path.is_symlink() and (path.suffix != ".git" or (path / "HEAD").is_file()):
            found.setdefault(path.stem, []).append(path)
    return found


def remove_repositories(kept: Mapping[str, Sequence[Path]], learners: Iterable[str]) -> str:
    """Remove what these learners pushed to a host; how much that was, in words to go on with. Raises BadInput
    where some of it stays."""
    places = [path for learner in learners for path in kept.get(learner, ())]
    for path in places:
        shutil.rmtree(path, ignore_errors=True)
    if left := [path for path in places if path.exists()]:
        hint = "The ledger has forgotten whose it was. Remove it yourself."
        raise BadInput([Problem("it can't be removed", hint, file=str(path)) for path in left])
    number = len(places)
    what = f"{number} repositories" if number > 1 else counted(number, "repository")
    return f", and {what} of a host" if places else ""
