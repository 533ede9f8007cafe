"""A history for trials, made by `git fast-import`: many merges, of which some conflicted, with what was kept
known by construction."""

from __future__ import annotations

import random
import subprocess
from collections.abc import Iterator
from pathlib import Path

FILES, LINES = 30, 40
KEPT = ("ours", "theirs", "ours+theirs", "theirs+ours", "base", "neither", "blend")


def make_history(folder: Path, merges: int, every: int = 10, seed: int = 1) -> dict[str, str]:
    """Make a bare repository with so many merges, of which each `every`-th conflicted in one hunk; what was
    kept in these, by the merge's subject."""
    kept: dict[str, str] = {}
    subprocess.run(["git", "init", "-q", "--bare", "-b", "main", str(folder)], check=True)
    process = subprocess.Popen(["git", "fast-import", "--quiet"], stdin=subprocess.PIPE, cwd=folder)
    assert process.stdin is not None  # noqa: S101 - it is a pipe
    for part in _history(merges, every, random.Random(seed), kept):  # noqa: S311 - it is no secret
        process.stdin.write(part.encode())
    process.stdin.close()
    if process.wait():
        raise SystemExit("git fast-import failed")
    return kept


def _history(merges: int, every: int, draw: random.Random, kept: dict[str, str]) -> Iterator[str]:
    files = {
        f"rows/{number:02}.txt": [f"row {number} line {line}" for line in range(LINES)]
        for number in range(FILES)
    }
    yield _commit(1, "main", "Begin", None, None, files, 0)
    mark = 1
    for number in range(merges):
        conflicts = number % every == every - 1
        one, other = draw.sample(sorted(files), 2)
        at = draw.randrange(3, LINES - 3)
        base = files[one][at]
        mine, theirs = f"ours {number}", f"theirs {number}"
        ours = {one: _put(files[one], at, [mine])}
        side_file = one if conflicts else other
        side = {side_file: _put(files[side_file], at if conflicts else draw.randrange(LINES), [theirs])}
        tip = mark
        yield _commit(mark + 1, "side", f"Side {number}", tip, None, side, number)
        yield _commit(mark + 2, "main", f"Main {number}", tip, None, ours, number)
        files |= ours
        if conflicts:
            word = KEPT[draw.randrange(len(KEPT))]
            lines = {
                "ours": [mine], "theirs": [theirs],
                "ours+theirs": [mine, theirs], "theirs+ours": [theirs, mine],
                "base": [base], "neither": [], "blend": [f"both of {number}"],
            }[word]  # fmt: skip
            files[one] = _put(files[one], at, lines)
            if len(files[one]) < LINES - 2:
                files[one].append(f"filled up in {number}")
            kept[f"Merge {number}"] = word
        else:
            files |= side
        changed = {one: files[one]} if conflicts else side
        yield _commit(mark + 3, "main", f"Merge {number}", mark + 2, mark + 1, changed, number)
        mark += 3


def _put(lines: list[str], at: int, new: list[str]) -> list[str]:
    return [*lines[:at], *new, *lines[at + 1 :]]


def _commit(
    mark: int,
    branch: str,
    message: str,
    first: int | None,
    merged: int | None,
    files: dict[str, list[str]],
    day: int,
) -> str:
    who = f"Maren Quill <maren@orchard.example> {1_600_000_000 + 600 * day} +0000"
    text = f"commit refs/heads/{branch}\nmark :{mark}\ncommitter {who}\n"
    text += _data(message)
    text += f"from :{first}\n" if first is not None else ""
    text += f"merge :{merged}\n" if merged is not None else ""
    for path, lines in files.items():
        text += f"M 100644 inline {path}\n{_data(''.join(f'{line}{chr(10)}' for line in lines))}"
    return text


def _data(text: str) -> str:
    return f"data {len(text.encode())}\n{text}\n"
