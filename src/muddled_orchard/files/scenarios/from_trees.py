"""A scenario from files that an instructor has already: a folder with `base`, `ours` and `theirs` trees."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path, PurePosixPath
from typing import Literal

import tomlkit
from tomlkit.items import AoT, InlineTable, String

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.defaults import id_for
from muddled_orchard.core.exercise.scenario import Answer, AnswerChange, KeepHunk
from muddled_orchard.core.exercise.values import verbatim
from muddled_orchard.core.git.lines import lines_of
from muddled_orchard.core.git.trees import Blob
from muddled_orchard.core.key.answer_from_text import changes_between, kept_and_changed
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.merging.conflict import STAGE, Conflict
from muddled_orchard.files.scenarios.tree_folders import reading_as_committed

TREES = ("base", "ours", "theirs")
WANTED = "wanted"


_HOW_TO_ANSWER = (
    "# Still to be written: what is right where the sides conflict. Take the # away below, and say it with",
    "# one word a hunk in keep: ours, theirs, ours+theirs, theirs+ours, base, neither, or other lines as in",
    '# { text = "..." }. In place of keep there may be text (the whole file), side, or gone = true.',
)


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
    document = tomlkit.document()
    document.add(tomlkit.comment("Made from trees; say in title, brief and why what it is about."))
    document.add("title", tomlkit.item(id_for(file.stem).replace("-", " ").capitalize()))
    asked = "Rebase `side` onto `main`." if operation == "rebase" else "Merge `side` into `main`."
    document.add("brief", tomlkit.string(f"{asked} Say here who is right, and about what.\n", multiline=True))
    story = [
        {"on": "main", "message": "Begin", "take": f"{trees}/base"},
        {"on": "side", "from": "main", "message": "Work on side", "label": "work", "take": f"{trees}/theirs"},
        {"on": "main", "message": "Work on main", "take": f"{trees}/ours"},
    ]
    document.add("story", _tables(story))
    task = (
        {"do": "rebase", "on": "side", "onto": "main"}
        if operation == "rebase"
        else {"do": "merge", "bring": "side"}
    )
    document.add("task", _tables([task]))
    if answers:
        document.add("answer", _tables([_answer(answer) for answer in answers]))
    text = tomlkit.dumps(document)
    return text + _still_to_be_written(open_) if open_ else text


def _still_to_be_written(conflicts: Sequence[str]) -> str:
    lines = ["", *_HOW_TO_ANSWER]
    for conflict in conflicts:
        lines += ["#", "# [[answer]]", *(f"# {line}" for line in conflict.split("\n"))]
        lines += ['# why = "Say here why; it is shown after grading."']
    return "\n".join(lines) + "\n"


def wanted_answers(key: Key, wanted: Path) -> tuple[list[Answer], list[str]]:
    """The answers that make a merge come out as the tree in `wanted`, and the files that stay all the same as
    Git merges them. A tree that lacks most files says nothing of what it lacks."""
    answers: list[Answer] = []
    kept: list[str] = []
    for step in key.steps:
        conflicts = {conflict.path: conflict for conflict in step.merge.conflicts}
        as_committed = _as_committed(key, step, wanted)
        there = {path.relative_to(wanted).as_posix() for path in wanted.rglob("*") if not path.is_dir()}
        for path in sorted({*there, *step.merge.tree, *conflicts}):
            data = as_committed.get(path)
            if data is None and 2 * len(there) < len(step.merge.tree):
                continue
            conflict = conflicts.get(path)
            if (
                conflict is None
                and path in step.merge.tree
                and data == key.texts.get(step.merge.tree[path].id)
            ):
                continue
            there_by_git = step.merge.tree.get(path) if conflict is None else None
            answer = _answer_for(path, data, conflict, there_by_git, key)
            if answer is not None and (conflict is not None or answer.text is not None or answer.change):
                answers.append(answer)
            elif conflict is None:
                kept.append(path)
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


def _answer_for(
    path: str, data: bytes | None, conflict: Conflict | None, merged: Blob | None, key: Key
) -> Answer | None:
    """What makes a path come out as it is wanted: as briefly as it can be said."""
    why = "Say here why; it is shown after grading."
    if data is None:
        return Answer(file=path, gone=True, why=why)
    stages = conflict.stages if conflict is not None and conflict.merged is None else {}
    sides: tuple[Literal["ours", "theirs", "base"], ...] = ("ours", "theirs", "base")
    for side in sides:
        if STAGE[side] in stages and key.texts.get(stages[STAGE[side]].id) == data:
            return Answer(file=path, side=side, why=why)
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        return None
    lines = lines_of(text)
    if conflict is not None and conflict.merged is not None:
        if (said := kept_and_changed(conflict.merged, lines)) is not None:
            return Answer(file=path, keep=said[0], change=said[1], why=why)
    elif merged is not None and (changes := changes_between([lines_of(key.texts[merged.id])], [lines])):
        return Answer(file=path, change=changes, why=why)
    return Answer(file=path, text=text, why=why)


def open_conflict(conflict: Conflict) -> str:
    """The beginning of an answer for a conflict: its file, what Git calls it, and as many words as hunks."""
    hunks = len(conflict.merged.hunks) if conflict.merged else 0
    about = f"{conflict.kind}, {counted(hunks, 'hunk')}" if hunks else conflict.kind
    file = tomlkit.item(verbatim(conflict.path, ())).as_string()
    words = ", ".join(['"..."'] * hunks)
    choice = f"keep = [{words}]" if hunks else 'side = "..."'
    return f"file = {file}    # {about}\n{choice}"


def _answer(answer: Answer) -> dict[str, object]:
    keys: dict[str, object] = {"file": verbatim(answer.file, ())}
    if answer.text is not None:
        keys["text"] = _written(answer.text)
    elif answer.side is not None:
        keys["side"] = answer.side
    elif answer.gone:
        keys["gone"] = True
    if answer.keep is not None:
        keys["keep"] = [_entry(entry) for entry in answer.keep]
    if answer.change:
        keys["change"] = [_change(change) for change in answer.change]
    return {**keys, "why": answer.why}


def _written(text: str) -> String:
    """A text as TOML has it: over several lines, unless one of its lines ends otherwise than those would."""
    return tomlkit.string(verbatim(text, ()), multiline="\n" in text and "\r" not in text)


def _entry(entry: object) -> object:
    if not isinstance(entry, KeepHunk):
        return entry
    table = tomlkit.inline_table()
    table.add("text", tomlkit.string(verbatim(entry.text or "", ())))
    return table


def _change(change: AnswerChange) -> InlineTable:
    table = tomlkit.inline_table()
    for word in ("find", "after", "before", "put"):
        if (text := getattr(change, word)) is not None:
            table.add(word, tomlkit.string(verbatim(text, ())))
    return table


def _tables(rows: Sequence[Mapping[str, object]]) -> AoT:
    found = tomlkit.aot()
    for row in rows:
        table = tomlkit.table()
        for key, value in row.items():
            table.add(key, value)
        found.append(table)
    return found


def empty_folders(trees: Path) -> list[str]:
    """The folders below trees in which no file lies: Git keeps none."""
    found = []
    for folder in sorted(path for path in trees.rglob("*") if path.is_dir() and not path.is_symlink()):
        if not any(folder.iterdir()):
            found.append(folder.relative_to(trees).as_posix())
    return found
