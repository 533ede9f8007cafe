"""What is kept of one person, in the ledger and as a host's repositories, and being rid of the latter."""

from __future__ import annotations

import shutil
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Annotated, Any, Literal

from msgspec import Struct

from muddled_orchard.core.base.phrases import counted, listed
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


def repositories_of(folder: Path, ledger: PersonalData) -> dict[str, list[Path]]:
    """The repositories and folders that a host keeps below a folder, by learner: `EXERCISE/LEARNER.git`, and
    the one that a team shares for each of its members."""
    found: dict[str, list[Path]] = {learner: [] for learner in ledger.learners()}
    there = set()
    for path in sorted((*folder.glob("*/*.git"), *folder.glob("*/*.folders"))):
        if path.is_dir() and not path.is_symlink() and (path.suffix != ".git" or (path / "HEAD").is_file()):
            there.add(path)
            if path.stem in found:
                found[path.stem].append(path)
    for hand_out in ledger.hand_outs():
        path, places = folder / hand_out.file, found[hand_out.learner]
        if hand_out.team and path in there and path not in places:
            places.append(path)
    return found


def remove_repositories(kept: Mapping[str, Sequence[Path]], learners: Collection[str]) -> str:
    """Remove what these learners pushed to a host, but for what they share with others; how much that was, in
    words to go on with. Raises BadInput where some of it stays that should not."""
    going = set(learners)
    of_others = {path for learner, places in kept.items() if learner not in going for path in places}
    theirs = list(dict.fromkeys(path for learner in learners for path in kept.get(learner, ())))
    places = [path for path in theirs if path not in of_others]
    for path in places:
        shutil.rmtree(path, ignore_errors=True)
    if left := [path for path in places if path.exists()]:
        hint = "The ledger has forgotten whose it was. Remove it yourself."
        raise BadInput([Problem("it can't be removed", hint, file=str(path)) for path in left])
    number = len(places)
    what = f"{number} repositories" if number > 1 else counted(number, "repository")
    shared = [str(path) for path in theirs if path in of_others]
    stays = f" (what a team shares stays: {listed(shared, 3)})" if shared else ""
    return f"{f', and {what} of a host' if places else ''}{stays}"
