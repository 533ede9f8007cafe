"""Folders beside a scenario file that become whole trees (`take`)."""

from __future__ import annotations

import base64
from dataclasses import replace
from pathlib import Path

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.scenario import Entry, Scenario


def with_taken_folders(scenario: Scenario, folder: Path | None, problems: list[Problem]) -> Scenario:
    """The scenario with the files of every taken folder in its entry; what can't be read is a problem."""
    story = []
    for number, entry in enumerate(scenario.story):
        filled = entry
        if entry.take is not None:
            key: KeyPath = ("story", number, "take")
            place = (folder or Path()) / entry.take
            if folder is not None and not place.resolve().is_relative_to(folder.resolve()):
                problems.append(Problem(f'"{entry.take}" lies outside the scenario\'s folder', key=key))
            elif not place.is_dir():
                problems.append(Problem(f'there is no folder "{entry.take}" beside the scenario', key=key))
            else:
                filled = _filled(entry, place)
        story.append(filled)
    return replace(scenario, story=tuple(story))


def _filled(entry: Entry, folder: Path) -> Entry:
    write, binary, link, executable = (
        dict(entry.write),
        dict(entry.binary),
        dict(entry.link),
        [*entry.executable],
    )
    written = {*write, *binary, *link}
    for path in sorted(folder.rglob("*")):
        name = path.relative_to(folder).as_posix()
        if name in written or ".git" in path.relative_to(folder).parts:
            continue
        if path.is_symlink():
            link[name] = path.readlink().as_posix()
        elif path.is_file():
            data = path.read_bytes()
            try:
                write[name] = data.decode("utf-8")
            except UnicodeDecodeError:
                binary[name] = base64.b64encode(data).decode()
            if path.stat().st_mode & 0o100:
                executable.append(name)
    return replace(entry, write=write, binary=binary, link=link, executable=tuple(executable))
