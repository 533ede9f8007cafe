"""Folders beside a scenario file that become whole trees (`take`)."""

from __future__ import annotations

import base64
import json
import tempfile
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from pathlib import Path

from msgspec.structs import replace

from muddled_orchard.core.base.problems import KeyPath, Problem
from muddled_orchard.core.exercise.scenario import Entry, Scenario
from muddled_orchard.core.exercise.values import verbatim


def with_taken_folders(scenario: Scenario, folder: Path | None, problems: list[Problem]) -> Scenario:
    """The scenario with the files of every taken folder in its entry; what can't be read is a problem."""
    story = []
    held: dict[str, str] = {}
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
                filled = _filled(entry, place, held, scenario.values)
        story.append(filled)
    return replace(scenario, story=tuple(story))


def _filled(entry: Entry, folder: Path, held: dict[str, str], names: Collection[str]) -> Entry:
    """The entry with the files of a folder, in which the values of these names are used. Texts that several
    folders have are held once, in `held`."""
    write, binary, link, executable = (
        dict(entry.write),
        dict(entry.binary),
        dict(entry.link),
        [*entry.executable],
    )
    written = {*write, *binary, *link}
    with reading_as_committed(folder) as read:
        _fill(folder, read, written, (write, binary, link, executable), held, names)
    return replace(entry, write=write, binary=binary, link=link, executable=tuple(executable))


_Kinds = tuple[dict[str, str], dict[str, str], dict[str, str], list[str]]


def _fill(
    folder: Path,
    read: Callable[[Path], bytes],
    written: Collection[str],
    kinds: _Kinds,
    held: dict[str, str],
    names: Collection[str],
) -> None:
    """Add every file of a folder that is not written to texts, binary files, links and executable ones."""
    write, binary, link, executable = kinds
    for path in sorted(folder.rglob("*")):
        name = path.relative_to(folder).as_posix()
        if name in written or ".git" in path.relative_to(folder).parts:
            continue
        name = verbatim(name, names)
        if path.is_symlink():
            link[name] = verbatim(path.readlink().as_posix(), names)
        elif path.is_file():
            data = read(path)
            try:
                text = verbatim(data.decode("utf-8"), names)
                write[name] = held.setdefault(text, text)
            except UnicodeDecodeError:
                binary[name] = base64.b64encode(data).decode()
            if path.stat().st_mode & 0o100:
                executable.append(name)


@contextmanager
def reading_as_committed(folder: Path) -> Iterator[Callable[[Path], bytes]]:
    """What reads a file as Git would commit it: where `.gitattributes` say so, line ends become newlines.

    The user's own configuration has no say in that, and no filter is run.
    """
    if not any(True for _ in folder.rglob(".gitattributes")):
        yield Path.read_bytes
        return
    import pygit2  # it takes long to load, and few trees have attributes

    with tempfile.TemporaryDirectory() as place:
        pygit2.init_repository(place, bare=True)
        (Path(place) / "config").write_text(
            "[core]\n\trepositoryformatversion = 0\n\tbare = false\n"
            "\tautocrlf = false\n\tsafecrlf = false\n\teol = lf\n"
            f"\tworktree = {json.dumps(str(folder.resolve()))}\n",
            "utf-8",
        )
        repository = pygit2.Repository(place)

        def read(path: Path) -> bytes:
            id_ = repository.create_blob_fromworkdir(path.relative_to(folder).as_posix())
            return bytes(repository[id_].data)  # type: ignore[attr-defined]  # a blob

        yield read
