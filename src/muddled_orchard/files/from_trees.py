"""A scenario from files that an instructor has already: a folder with `base`, `ours` and `theirs` trees."""

from __future__ import annotations

import shutil
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path

import tomlkit
from tomlkit.items import AoT

from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.core.scenario import Answer
from muddled_orchard.files.sketches import id_for

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


def scenario_text(file: Path, trees: str, operation: str, answers: tuple[Answer, ...]) -> str:
    """The scenario file: ours on `main`, theirs on `side`, merged or rebased."""
    document = tomlkit.document()
    document.add(tomlkit.comment("Made from trees; say in title, brief and why what it is about."))
    document.add("format", tomlkit.item(1))
    document.add("id", tomlkit.item(id_for(file)))
    document.add("title", tomlkit.item(file.stem.replace("-", " ").capitalize()))
    asked = "Rebase `side` onto `main`." if operation == "rebase" else "Merge `side` into `main`."
    document.add("brief", tomlkit.string(f"{asked} Say here who is right, and about what.\n", multiline=True))
    document.add("starts", tomlkit.item(datetime(2031, 4, 2, 7, 30, tzinfo=UTC)))
    document.add("minutes", tomlkit.item(10))
    cast = tomlkit.table()
    cast.add("maren", "Maren Quill <maren@orchard.example>")
    cast.add("tobias", "Tobias Fenn <tobias@orchard.example>")
    document.add("cast", cast)
    story = [
        {"on": "main", "by": "maren", "message": "Begin", "take": f"{trees}/base"},
        {
            "on": "side",
            "from": "main",
            "by": "tobias",
            "message": "Work on side",
            "label": "work",
            "take": f"{trees}/theirs",
        },
        {"on": "main", "by": "maren", "message": "Work on main", "take": f"{trees}/ours"},
    ]
    document.add("story", _tables(story))
    task = (
        {"do": "rebase", "on": "side", "onto": "main"}
        if operation == "rebase"
        else {"do": "merge", "on": "main", "bring": "side"}
    )
    document.add("task", _tables([task]))
    if answers:
        document.add("answer", _tables([_answer(answer) for answer in answers]))
    return tomlkit.dumps(document)


def _answer(answer: Answer) -> dict[str, object]:
    if answer.text is None:
        return {"file": answer.file, "gone": True, "why": answer.why}
    return {
        "file": answer.file,
        "text": tomlkit.string(answer.text, multiline=True),
        "why": answer.why,
    }


def _tables(rows: Sequence[Mapping[str, object]]) -> AoT:
    found = tomlkit.aot()
    for row in rows:
        table = tomlkit.table()
        for key, value in row.items():
            table.add(key, value)
        found.append(table)
    return found
