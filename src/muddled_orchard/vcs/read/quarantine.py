"""Take a submission over: an allow-list of its repository's files, read as plain data, under a
configuration of ours.

Nothing is followed out of the submission's own place: no link, no `.git` file, no alternate. Nothing
of theirs has a say: their configuration, hooks, attributes, grafts and replace refs stay where they are.
Objects are read one by one when they are asked for (`vcs.read.objects`).
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from muddled_orchard.core.base.limits import (
    LARGEST_INDEX,
    LARGEST_PACKED_REFS,
    LARGEST_REFLOG,
    LARGEST_STATE_FILE,
    LONGEST_PATH,
    MOST_REFS,
    in_mib,
)
from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.exercise.asked import ASKED
from muddled_orchard.core.git.under_way import (
    APPLYING,
    REBASE_FOLDERS,
    REBASED_HEAD,
    SEQUENCER,
    SEQUENCER_LIST,
    SEQUENCER_STOP,
    SHOWN_BY,
    THREE_WAY,
)
from muddled_orchard.core.submission.file_source import Below, FileEntry, FileSource, is_noise
from muddled_orchard.vcs.read.objects import ForeignObjects
from muddled_orchard.vcs.read.ref_files import read_refs
from muddled_orchard.vcs.write.practice import ORIGIN, WORK

DEEPEST = 3
"""How many folders deep in a submission its repository may lie."""

# What can be lost of these is the submission's own; it is not graded as if they were not there.
_NEEDED = {"HEAD": LARGEST_STATE_FILE, "packed-refs": LARGEST_PACKED_REFS, "index": LARGEST_INDEX}
_REFLOGS = ("logs/HEAD", "logs/refs/stash")
EXCLUDE = "info/exclude"
"""The file with the repository's own ignore rules that it does not share."""

CONFIG = "config"
"""The repository's settings: no Git of ours ever reads them, and of what they say one word is looked for."""

STATE_FILES = (
    "shallow",
    *SHOWN_BY,
    REBASED_HEAD,
    SEQUENCER_LIST,
    SEQUENCER_STOP,
    *(
        f"{folder}/{name}"
        for folder, counts in REBASE_FOLDERS.items()
        for name in (*counts, "head-name", "onto")
    ),
    APPLYING,
    THREE_WAY,
    "BISECT_START",
    ASKED,
    EXCLUDE,
    CONFIG,
)
STATE_FOLDERS = (*REBASE_FOLDERS, SEQUENCER)

_LARGEST_REF = 1024
_PLAIN_NAME = pattern(r"[^\x00-\x20\x7f~^:?*\[\\]+")


class Unreadable(Exception):
    """The submission can't be read; the message says why, in words for its owner."""


class FoundRepository(Struct, frozen=True):
    """A repository in a submission: the path of its `.git` or bare folder, of its working tree and of the
    `origin.git` beside that, as far as there are any."""

    gitdir: str
    worktree: str | None
    origin: str | None


class Quarantine(Struct, frozen=True):
    """A submission taken over.

    `files` are its refs and state files by name (`refs/heads/main`, `MERGE_HEAD`, ...; a state folder
    is there as a key that ends in a slash), `objects` its objects, `worktree` its working tree (None for a
    bare repository), `remote` the refs of the `origin.git` beside it and `remote_objects` what lies behind
    them. `commits_alone`: it came as a bundle.
    """

    files: dict[str, bytes]
    objects: ForeignObjects
    worktree: FileSource | None
    remote: dict[str, bytes] | None = None
    remote_objects: ForeignObjects | None = None
    commits_alone: bool = False


def find_repository(place: FileSource, deepest: int = DEEPEST) -> FoundRepository | None:
    """The repository of a submission, or None.

    A submission is a practice folder with `work/` in it (bare, perhaps, where its remote lies beside it), a
    working tree, or a bare repository, perhaps up to `deepest` folders deep. Raises Unreadable where `.git`
    is a link or a file that points elsewhere, and where there are several repositories.
    """
    level = [""]
    for _ in range(deepest + 1):
        repositories = [
            repository for folder in level if (repository := _repository_in(place, folder)) is not None
        ]
        if len(repositories) > 1:
            names = " and ".join(
                sorted(repository.gitdir.removesuffix("/.git") for repository in repositories)[:2]
            )
            raise Unreadable(f"there are several repositories in it ({names}); hand in one at a time")
        if repositories:
            return repositories[0]
        level = [inner for folder in level for inner in _folders_in(place, folder)][:1000]
    return None


def _repository_in(place: FileSource, folder: str) -> FoundRepository | None:
    prefix = f"{folder}/" if folder else ""
    for candidate in (f"{prefix}{WORK}", folder):
        git = f"{candidate}/.git" if candidate else ".git"
        kind = place.kind(git)
        if kind == "folder" and all(place.kind(f"{git}/{name}") is None for name in ("HEAD", "objects")):
            continue  # what is put there before anybody has made a repository
        if kind == "folder":
            beside = f"{candidate.rpartition('/')[0]}/{ORIGIN}".lstrip("/")
            is_work = candidate != folder
            return FoundRepository(
                git, candidate, beside if is_work and place.kind(beside) == "folder" else None
            )
        if kind is not None:
            raise Unreadable(".git is no folder of its own: it points to another place, which is not read")
    if all(_is_bare(place, f"{prefix}{name}/") for name in (WORK, ORIGIN)):
        return FoundRepository(f"{prefix}{WORK}", None, f"{prefix}{ORIGIN}")
    return FoundRepository(folder, None, None) if _is_bare(place, prefix) else None


def _is_bare(place: FileSource, prefix: str) -> bool:
    folders = all(place.kind(prefix + name) == "folder" for name in ("objects", "refs"))
    return folders and place.kind(f"{prefix}HEAD") is not None


def _folders_in(place: FileSource, folder: str) -> list[str]:
    prefix = f"{folder}/" if folder else ""
    named = [entry.name for entry in _entries(place, folder) if entry.kind == "folder"]
    return [prefix + name for name in named if not is_noise(name) and name != ORIGIN]


def take_over(place: FileSource, repository: FoundRepository) -> Quarantine:
    """Read what may be read of a repository. Raises Unreadable where it is damaged or too large."""
    gitdir = Below(place, repository.gitdir)
    files = dict(_state(gitdir))
    if "HEAD" not in files:
        raise Unreadable("the repository has no HEAD")
    if gitdir.kind("objects") != "folder":
        raise Unreadable("the repository has no objects")
    origin = None if repository.origin is None else Below(place, repository.origin)
    return Quarantine(
        files=files,
        objects=_objects(gitdir),
        worktree=None if repository.worktree is None else Below(place, repository.worktree),
        remote=None if origin is None else _remote_refs(origin),
        remote_objects=None if origin is None else _objects(origin),
        commits_alone=getattr(place, "commits_alone", False),
    )


def _objects(gitdir: FileSource) -> ForeignObjects:
    try:
        return ForeignObjects(Below(gitdir, "objects"))
    except OSError as error:
        raise Unreadable(f"the folder objects can't be read: {error.strerror}") from None


def _state(gitdir: FileSource) -> Iterator[tuple[str, bytes]]:
    # Of many names few are there: a look at what there is spares asking for each.
    there = {entry.name for entry in _entries(gitdir, "")}
    for name, most in _NEEDED.items():
        data = gitdir.read(name, most) if name in there else None
        if data is not None:
            yield name, data
        elif gitdir.kind(name) == "file":
            raise Unreadable(f"{name} in its repository can't be read, or is larger than {in_mib(most)}")
    for name, top in _STATE_BY_TOP:
        if top in there:
            data = gitdir.read(name, LARGEST_REFLOG if name in _REFLOGS else LARGEST_STATE_FILE)
            if data is not None:
                yield name, data
    for name in STATE_FOLDERS:
        if name in there and gitdir.kind(name) == "folder":
            yield f"{name}/", b""
    yield from _refs(gitdir)


_STATE_BY_TOP = [(name, name.partition("/")[0]) for name in (*_REFLOGS, *STATE_FILES)]
"""The files that tell how it stands, with what they lie in at the top of a repository."""


def _refs(gitdir: FileSource) -> Iterator[tuple[str, bytes]]:
    """The files below `refs`, each a ref."""
    seen = 0
    folders = ["refs"]
    while folders:
        folder = folders.pop()
        for entry in _entries(gitdir, folder):
            seen += 1
            name = f"{folder}/{entry.name}"
            if seen > MOST_REFS or len(name) > LONGEST_PATH:
                raise Unreadable(f"it has more than {MOST_REFS:,} refs, or refs with endless names")
            if not _PLAIN_NAME.fullmatch(name):
                continue
            if entry.kind == "folder":
                folders.append(name)
            elif (data := gitdir.read(name, _LARGEST_REF)) is not None:
                yield name, data


def refs_of(gitdir: FileSource) -> dict[str, str]:
    """Every ref of a repository and the object it leads to, by name. Raises Unreadable."""
    return read_refs(_remote_refs(gitdir))


def _remote_refs(gitdir: FileSource) -> dict[str, bytes]:
    """The refs of the remote that lies beside the working tree in a practice folder."""
    return {name: data for name, data in _state(gitdir) if "ref" in name}


def _entries(place: FileSource, folder: str) -> list[FileEntry]:
    try:
        return place.entries(folder)
    except OSError as error:
        raise Unreadable(f"the folder {folder} can't be read: {error.strerror}") from None
