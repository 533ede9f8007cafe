"""What one entry of the story does to the files."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from muddled_orchard.core.base.problems import KeyPath, Problem, likely
from muddled_orchard.core.exercise.scenario import Change, Entry
from muddled_orchard.core.git.trees import EXECUTABLE, LINK, PLAIN_FILE, File, Files, bad_path


def tree_after(entry: Entry, key: KeyPath, before: Files, problems: list[Problem]) -> dict[str, File]:
    """The files after an entry: renames first, then removals, whole files, edits and modes.

    What does not fit is added to `problems`, and left out. `key` is the entry's place in the file.
    """
    tree = {} if entry.take is not None else dict(before)
    new_names: dict[str, KeyPath] = {}
    for old, new in entry.rename.items():
        where: KeyPath = (*key, "rename", old)
        if old not in tree:
            problems.append(_missing(old, entry, tree, where))
        elif new in tree:
            hint = "Remove it in an earlier commit, or choose another name."
            problems.append(Problem(f'there is a file "{new}" by then', hint, where))
        else:
            tree[new] = tree.pop(old)
            new_names[new] = where
    for number, path in enumerate(entry.remove):
        if tree.pop(path, None) is None:
            problems.append(_missing(path, entry, tree, (*key, "remove", number)))
    for path, file in _whole_files(entry, key, problems):
        kind = next(name for name in ("write", "binary", "link") if path in getattr(entry, name))
        if path not in tree and path not in before:
            new_names[path] = (*key, kind, path)
        old_mode = tree[path].mode if path in tree and kind == "write" else file.mode
        # Of a large tree nearly everything stays: it is held once.
        tree[path] = _held_once(
            path, File(EXECUTABLE if old_mode == EXECUTABLE else file.mode, file.data), before
        )
    _leave_out_impossible(tree, new_names, problems)
    for number, change in enumerate(entry.change):
        if change.file not in tree:
            problems.append(_missing(change.file, entry, tree, (*key, "change", number, "file")))
            continue
        text = tree[change.file].data.decode("utf-8", "surrogateescape")
        edited = _edited(text, change, (*key, "change", number), problems)
        tree[change.file] = File(tree[change.file].mode, edited.encode("utf-8", "surrogateescape"))
    for number, path in enumerate(entry.executable):
        if path not in tree:
            problems.append(_missing(path, entry, tree, (*key, "executable", number)))
        else:
            tree[path] = _held_once(path, File(EXECUTABLE, tree[path].data), before)
    return tree


def _held_once(path: str, file: File, before: Files) -> File:
    """A file, or the same one as it was before where it is alike."""
    old = before.get(path)
    return old if old is not None and old == file else file


def merged_files(
    base: Files, ours: Files, theirs: Files, written: set[str]
) -> tuple[dict[str, File], list[str]]:
    """A merge by whole files, and the paths that both sides changed and nobody wrote anew."""
    tree: dict[str, File] = {}
    both = []
    for path in sorted({*ours, *theirs}):
        own, other, old = ours.get(path), theirs.get(path), base.get(path)
        if len({own, other, old}) == 3 and path not in written:
            both.append(path)
        chosen = other if own == old else own
        if chosen is not None:
            tree[path] = chosen
    return tree, both


def _missing(path: str, entry: Entry, tree: Files, where: KeyPath) -> Problem:
    return Problem(f'there is no file "{path}" on {entry.on} by then', likely(path, tree), where)


def _decoded(text: str) -> bytes | None:
    """What a text in base64 stands for; None where it is none."""
    import base64  # few stories have such files

    try:
        return base64.b64decode("".join(text.split()), validate=True)
    except ValueError:
        return None


def _whole_files(entry: Entry, key: KeyPath, problems: list[Problem]) -> list[tuple[str, File]]:
    found = [(path, File(PLAIN_FILE, text.encode())) for path, text in entry.write.items()]
    for path, encoded in entry.binary.items():
        data = _decoded(encoded)
        if data is None:
            problems.append(
                Problem("this is no base64", "Encode the file with base64.", (*key, "binary", path))
            )
        else:
            found.append((path, File(PLAIN_FILE, data)))
    found += [(path, File(LINK, target.encode())) for path, target in entry.link.items()]
    return found


def _leave_out_impossible(
    tree: dict[str, File], new_names: Mapping[str, KeyPath], problems: list[Problem]
) -> None:
    """Take new files out of a tree that can't have their names there; says why."""
    if not new_names:
        return
    there: dict[str, str] = {}
    for path in tree:
        if path not in new_names:
            there |= {name.casefold(): name for name in _with_folders(path)}
    for path, where in new_names.items():
        if path not in tree:  # it was renamed and then removed
            continue
        complaint = bad_path(path)
        hint = ""
        own = _with_folders(path)
        other = there.get(own[-1].casefold())
        if not complaint and other is not None:
            complaint, hint = f'it can\'t stand beside "{other.rstrip("/")}"', _TWO_CASES
        for folder in own[:-1] if not complaint else ():
            if (file := there.get(folder.rstrip("/").casefold())) is not None:
                complaint = f'"{file}" is a file'
            elif there.get(folder.casefold(), folder) != folder:
                complaint = f'it can\'t stand beside "{there[folder.casefold()]}"'
                hint = _TWO_CASES
        if not complaint and own[-1].casefold() + "/" in there:
            complaint = "it is a folder"
        if complaint:
            problems.append(Problem(f'"{path}" is no path for a file here: {complaint}', hint, where))
            del tree[path]
        else:
            there |= {name.casefold(): name for name in own}


_TWO_CASES = "On many systems upper and lower case make no difference in names."


def _with_folders(path: str) -> list[str]:
    """A file's path after those of the folders that it lies in: `a/`, `a/b/`, `a/b/c`."""
    parts = path.split("/")
    return [*("/".join(parts[:number]) + "/" for number in range(1, len(parts))), path]


def _edited(text: str, change: Change, key: KeyPath, problems: list[Problem]) -> str:
    if change.find is not None:
        if not _occurs_once(text.count(change.find), change, "find", key, problems):
            return text
        return text.replace(change.find, change.put)
    place: Literal["after", "before"] = "after" if change.after is not None else "before"
    wanted = (change.after if place == "after" else change.before or "") or ""
    lines = text.splitlines(keepends=True)
    places = [number for number, line in enumerate(lines) if line.rstrip("\r\n") == wanted.rstrip("\n")]
    if not _occurs_once(len(places), change, place, key, problems):
        return text
    at = places[0] + (1 if place == "after" else 0)
    new = change.put if change.put.endswith("\n") or not change.put else change.put + "\n"
    if at > 0 and not lines[at - 1].endswith("\n"):
        lines[at - 1] += "\n"
    return "".join([*lines[:at], new, *lines[at:]])


def _occurs_once(count: int, change: Change, word: str, key: KeyPath, problems: list[Problem]) -> bool:
    if count == 1:
        return True
    times = "does not occur" if count == 0 else f"occurs {count} times"
    whole = "" if word == "find" else " as a whole line"
    hint = (
        "Look at what the earlier commits leave in it."
        if count == 0
        else "Take in more of the text around it, so that it is unique."
    )
    problems.append(Problem(f"{word} {times}{whole} in {change.file} by then, not once", hint, (*key, word)))
    return False
