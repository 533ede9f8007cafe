"""Plant a practice folder: the brief and the repository, or nothing at all."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from muddled_orchard.core.history import History
from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.core.scenario import Scenario
from muddled_orchard.core.story import unroll
from muddled_orchard.core.story_files import LINK, File
from muddled_orchard.core.variant import variant_of
from muddled_orchard.vcs.operations import stop_at_conflict
from muddled_orchard.vcs.practice import WORK, practice_files

BRIEF = "BRIEF.md"


@dataclass(frozen=True, slots=True)
class Planted:
    """A practice folder: the scenario with this variant's values, its story, and the id of each
    commit of it by place."""

    folder: Path
    scenario: Scenario
    history: History
    ids: Mapping[int, str]


def plant(scenario: Scenario, folder: Path, code: str) -> Planted:
    """Make `folder` with BRIEF.md and work/. Raises BadInput where it isn't empty or can't be made.

    Everything is made beside it first and moved in place at the end; a failure leaves nothing.
    """
    varied = variant_of(scenario, code)
    history = unroll(varied, code)
    if folder.is_symlink() or (folder.exists() and (not folder.is_dir() or any(folder.iterdir()))):
        raise BadInput(
            Problem("this is not an empty folder", "Name a new one; nothing was written.", file=str(folder))
        )
    making: Path | None = None
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        making = Path(tempfile.mkdtemp(prefix=f".{folder.name}-", dir=folder.parent))
        files, ids = practice_files(history)
        write_files(making, files)
        if varied.start.stopped:
            stop_at_conflict(making / WORK, history, ids, varied.task[0])
        (making / BRIEF).write_text(brief_page(varied), encoding="utf-8", newline="\n")
        making.chmod(0o777 & ~_umask())
        if folder.exists():
            folder.rmdir()
        making.replace(folder)
    except OSError as error:
        if making is not None:
            shutil.rmtree(making, ignore_errors=True)
        where = str(error.filename or folder)
        raise BadInput(Problem(f"can't be written: {error.strerror}", file=where)) from None
    except BaseException:
        if making is not None:
            shutil.rmtree(making, ignore_errors=True)
        raise
    return Planted(folder, varied, history, ids)


def write_files(folder: Path, files: Mapping[str, File]) -> None:
    """Write files with Git's modes below a folder."""
    made: set[str] = set()
    for path, file in files.items():
        parent, _, _ = path.rpartition("/")
        if parent not in made:
            os.makedirs(f"{folder}/{parent}", exist_ok=True)  # noqa: PTH103 - asked for every file
            made.add(parent)
        target = f"{folder}/{path}"
        if file.mode == LINK:
            os.symlink(file.data, os.fsencode(target))  # noqa: PTH211
            continue
        descriptor = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, file.mode & 0o777)
        try:
            os.write(descriptor, file.data)
        finally:
            os.close(descriptor)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def brief_page(scenario: Scenario) -> str:
    """The learner's page: Markdown with the title and the brief."""
    return f"# {scenario.title.strip()}\n\n{scenario.brief.strip()}\n"
