"""A scenario from files that an instructor has already: a folder with `base`, `ours` and `theirs` trees."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Sequence
from pathlib import Path, PurePosixPath

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.defaults import id_for
from muddled_orchard.core.exercise.scenario import Answer
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.files.scenarios.drafts import Draft, answers_as, draft_text
from muddled_orchard.files.scenarios.tree_folders import reading_as_committed

TREES = ("base", "ours", "theirs")
WANTED = "wanted"


def trees_beside(folder: Path, file: Path) -> str:
    """The folder with the trees as the scenario file names it: where it is, if that is below the file's
    folder, or a copy in a folder named after the file. Raises BadInput where trees are missing."""
    missing = [name for name in TREES if not (folder / name).is_dir()]
    if missing:
        raise BadInput(
            Problem(
                f"there is no folder {' and no folder '.join(missing)} in it",
                "It needs base/, ours/ and theirs/, and perhaps wanted/.",
                file=str(folder),
            )
        )
    here = file.parent.resolve()
    if folder.resolve().is_relative_to(here):
        return folder.resolve().relative_to(here).as_posix()
    copy = file.parent / file.stem
    if copy.exists():
        raise BadInput(Problem("the trees would be copied here, and it exists already", file=str(copy)))
    for name in TREES:
        shutil.copytree(folder / name, copy / name, symlinks=True, ignore=shutil.ignore_patterns(".git"))
    return file.stem


def scenario_text(
    file: Path, trees: str, operation: str, answers: Sequence[Answer], open_: Sequence[str]
) -> str:
    """The scenario file: ours on `main`, theirs on `side`, merged or rebased. `open_` are the beginnings of
    answers that are still to be written; the file ends with them."""
    asked = "Rebase `side` onto `main`." if operation == "rebase" else "Merge `side` into `main`."
    return draft_text(
        Draft(
            remarks=["Made from trees; say in title, brief and why what it is about."],
            title=id_for(file.stem).replace("-", " ").capitalize(),
            brief=f"{asked} Say here who is right, and about what.\n",
            story=[
                {"on": "main", "message": "Begin", "take": f"{trees}/base"},
                {"on": "side", "from": "main", "message": "Work on side", "label": "work"}
                | {"take": f"{trees}/theirs"},
                {"on": "main", "message": "Work on main", "take": f"{trees}/ours"},
            ],
            task={"do": "rebase", "on": "side", "onto": "main"}
            if operation == "rebase"
            else {"do": "merge", "bring": "side"},
            answers=answers,
            open_=open_,
        )
    )


def wanted_answers(key: Key, wanted: Path) -> tuple[list[Answer], list[str]]:
    """The answers that make a merge come out as the tree in `wanted`, and the files that stay all the same as
    Git merges them. A tree that lacks most files says nothing of what it lacks."""
    answers: list[Answer] = []
    kept: list[str] = []
    there = sum(not path.is_dir() for path in wanted.rglob("*"))
    for step in key.steps:
        partial = 2 * there < len(step.merge.tree)
        found, stay = answers_as(key, step, _as_committed(key, step, wanted), partial=partial)
        answers += found
        kept += stay
    return answers, kept


def _as_committed(key: Key, step: Step, wanted: Path) -> dict[str, bytes]:
    """What Git would commit of the files in `wanted`, by the `.gitattributes` there, or else in the merge."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        for path, blob in step.merge.tree.items():
            if PurePosixPath(path).name == ".gitattributes":
                (folder / path).parent.mkdir(parents=True, exist_ok=True)
                (folder / path).write_bytes(key.texts[blob.id])
        shutil.copytree(wanted, folder, symlinks=True, dirs_exist_ok=True)
        files = [path for path in wanted.rglob("*") if path.is_symlink() or path.is_file()]
        with reading_as_committed(folder) as read:
            return {
                path.relative_to(wanted).as_posix(): os.fsencode(path.readlink())
                if path.is_symlink()
                else read(folder / path.relative_to(wanted))
                for path in files
            }


def empty_folders(trees: Path) -> list[str]:
    """The folders below trees in which no file lies: Git keeps none."""
    found = []
    for folder in sorted(path for path in trees.rglob("*") if path.is_dir() and not path.is_symlink()):
        if not any(folder.iterdir()):
            found.append(folder.relative_to(trees).as_posix())
    return found
