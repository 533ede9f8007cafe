"""A real repository behind a bare one of ours: Git is asked in ours, which has the other's objects at hand.

Nothing of the other has a say: its configuration, hooks, attributes, grafts and replace refs stay where they
are, and so do its commit graph and the objects that it borrows. Refs are read as text. Git has bounds on time
and memory, whatever the objects are.
"""

from __future__ import annotations

import os
import select
import subprocess
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path

from muddled_orchard.core.base.limits import LARGEST_OBJECT, LARGEST_REFLOG, LARGEST_STATE_FILE, MIB, in_mib
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.git.under_way import REBASE_FOLDERS, REBASED_HEAD
from muddled_orchard.system.processes import bounded_command
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.quarantine import Unreadable, find_repository, refs_of
from muddled_orchard.vcs.read.ref_files import head_of, is_id
from muddled_orchard.vcs.write.build import new_repository
from muddled_orchard.vcs.write.memory import Objects, pack_file

MOST_SECONDS = 300
"""How long Git may take for one question, which may be about thousands of merges."""

_MEMORY = 4096 * MIB
_LARGEST_FILE = 2048 * MIB
_MOST_SAID = 1 << 16
_REFLOG, _MOST_REMEMBERED = "logs/HEAD", 5_000
_UNDER_WAY = ("MERGE_HEAD", "REBASE_HEAD", "CHERRY_PICK_HEAD", "REVERT_HEAD")

_SETTINGS = (
    "-c", "core.commitGraph=false", "-c", "core.multiPackIndex=false", "-c", "gc.auto=0",
    "-c", "core.packedGitWindowSize=32m", "-c", "core.packedGitLimit=1g",
)  # fmt: skip
"""Nothing is believed that isn't in the objects themselves."""


class Missing(Exception):
    """An object isn't there, or can't be read."""


class History:
    """A real history: its refs by full name (and HEAD, and what is under way), and what Git says of it.
    `lost` counts the merges that could not be asked; `made` are objects of ours that Git is still to be
    given. `remembered` is where HEAD has stood: what a rebase has left behind may be known by that alone."""

    def __init__(self, gitdir: Path, refs: Mapping[str, str], remembered: Sequence[str] = ()) -> None:
        self.gitdir, self.refs, self.remembered = gitdir, refs, remembered
        self.made = Objects()
        self.lost = 0
        self._reader: _Reader | None = None

    def ask(self, words: Sequence[str], given: bytes = b"") -> tuple[bytes, str]:
        """What Git writes, and what it complains of (empty: of nothing). Raises BadInput where it takes too
        long."""
        try:
            done = subprocess.run(
                _command(words), input=given, capture_output=True, check=False, cwd=self.gitdir,
                env=self._environment(), timeout=MOST_SECONDS,
            )  # fmt: skip
        except subprocess.TimeoutExpired:
            what = f"git {words[0]} has not answered within {MOST_SECONDS} seconds"
            raise BadInput(Problem(what, "Is the repository sound? git fsck says it.")) from None
        said = done.stderr.decode("utf-8", "replace").strip()
        wrong = [line for line in said.splitlines() if line.startswith(("error:", "fatal:"))]
        if done.returncode and not wrong:
            wrong = [said or f"it ended with {done.returncode}"]
        return done.stdout, "\n".join(wrong)

    def parts(self, words: Sequence[str], given: bytes) -> Iterator[bytes]:
        """What Git writes, in parts that end with a NUL, as they come. Raises GitFailed where it ends in an
        error."""
        with (
            tempfile.TemporaryFile() as asked,
            tempfile.TemporaryFile() as complained,
        ):
            asked.write(given)
            asked.seek(0)
            process = subprocess.Popen(
                _command(words), stdin=asked, stdout=subprocess.PIPE, stderr=complained, cwd=self.gitdir,
                env=self._environment(), bufsize=0,
            )  # fmt: skip
            assert process.stdout is not None  # noqa: S101 - it is a pipe
            try:
                rest = b""
                while data := _read(process.stdout.fileno()):
                    *parts, rest = (rest + data).split(b"\0")
                    yield from parts
                ended = process.wait(MOST_SECONDS)
            except subprocess.TimeoutExpired:
                raise git.GitFailed(f"git {words[0]} does not end") from None
            finally:  # nobody may want the rest
                process.kill()
                process.stdout.close()
                process.wait()
            if ended:
                complained.seek(0)
                raise git.GitFailed(complained.read(_MOST_SAID).decode("utf-8", "replace").strip())

    def read(self, id_: str) -> tuple[str, bytes]:
        """The kind and the content of an object. Raises Missing."""
        if id_ in self.made.held:
            self.flush()
        if self._reader is None:
            self._reader = _Reader(self.gitdir, self._environment())
        return self._reader.read(id_)

    def flush(self) -> None:
        """Put what was made where Git finds it."""
        if self.made.held:
            git.index_pack(self.gitdir, pack_file(self.made.held.values()))
            self.made.held.clear()
            self.close()  # so that packs are looked for anew

    def close(self) -> None:
        """End what reads objects."""
        if self._reader is not None:
            self._reader.close()
            self._reader = None

    def _environment(self) -> dict[str, str]:
        return git.environment() | {"GIT_DIR": str(self.gitdir), "GIT_NO_LAZY_FETCH": "1"}


class _Reader:
    """`git cat-file`, asked for one object after another."""

    def __init__(self, gitdir: Path, environment: Mapping[str, str]) -> None:
        self._process = subprocess.Popen(
            _command(["cat-file", "--batch-command", "--buffer"]), stdin=subprocess.PIPE,
            stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, cwd=gitdir, env=dict(environment), bufsize=0,
        )  # fmt: skip
        self._held = b""

    def read(self, id_: str) -> tuple[str, bytes]:
        kind, size = self._about(f"info {id_}\nflush\n")
        if size > LARGEST_OBJECT:
            raise Missing(f"a file of it is larger than {in_mib(LARGEST_OBJECT)}")
        self._about(f"contents {id_}\nflush\n")
        while len(self._held) < size + 1:
            self._more()
        data, self._held = self._held[:size], self._held[size + 1 :]
        return kind, data

    def _about(self, asked: str) -> tuple[str, int]:
        assert self._process.stdin is not None  # noqa: S101 - it is a pipe
        try:
            self._process.stdin.write(asked.encode())
        except BrokenPipeError:
            raise Missing("Git can't read its objects") from None
        while b"\n" not in self._held:
            self._more()
        line, _, self._held = self._held.partition(b"\n")
        words = line.decode("ascii", "replace").split()
        if len(words) != 3 or not words[2].isdigit():
            raise Missing(f"{asked.split()[1][:10]} is not there")
        return words[1], int(words[2])

    def _more(self) -> None:
        assert self._process.stdout is not None  # noqa: S101 - it is a pipe
        data = _read(self._process.stdout.fileno())
        if not data:
            raise Missing("Git can't read its objects")
        self._held += data

    def close(self) -> None:
        self._process.kill()
        self._process.communicate()


def _read(descriptor: int) -> bytes:
    """What comes next; nothing at the end, and where nothing comes for too long."""
    ready, _, _ = select.select([descriptor], [], [], MOST_SECONDS)
    return os.read(descriptor, 1 << 18) if ready else b""


def _command(words: Sequence[str]) -> list[str]:
    return bounded_command(_MEMORY, _LARGEST_FILE, "git", *_SETTINGS, *words)


@contextmanager
def history_of(path: Path) -> Iterator[History]:
    """The history of a repository, a working tree or a practice folder. Raises BadInput where it can't be
    had."""
    git.require()
    try:
        place = DiskSource(path)
        found = find_repository(place, 0) if path.is_dir() else None
        if found is None:
            what = "there is no Git repository here"
            raise BadInput(Problem(what, "Name a repository, or a folder with one in it.", file=str(path)))
        gitdir = path / found.gitdir
        inside = DiskSource(gitdir)
        refs = refs_of(inside)
        head = head_of({"HEAD": inside.read("HEAD", LARGEST_STATE_FILE) or b""}, refs)[1]
    except Unreadable as why:
        hint = "Name the repository itself; git clone makes a whole copy of it."
        raise BadInput(Problem(f"it can't be read: {why}", hint, file=str(path))) from None
    if inside.kind("objects/info/alternates") is not None:
        hint = "Make a whole copy, and name that: git clone --no-local REPOSITORY COPY"
        raise BadInput(Problem("it borrows objects of another repository", hint, file=str(path)))
    named = {name: _state_id(inside, name) for name in _UNDER_WAY}
    if not any(inside.kind(folder) == "folder" for folder in REBASE_FOLDERS):
        named.pop(REBASED_HEAD)  # Git leaves it behind
    refs |= {name: id_ for name, id_ in (("HEAD", head), *named.items()) if id_ is not None}
    with temporary_folder() as room:
        ours = room / "asked"
        new_repository(ours, bare=True)
        (room / "theirs").symlink_to((gitdir / "objects").resolve(), target_is_directory=True)
        (ours / "objects/info/alternates").write_text(f"{room / 'theirs'}\n", "utf-8")
        if shallow := inside.read("shallow", LARGEST_STATE_FILE):
            ids = [line for line in shallow.decode("ascii", "replace").split("\n") if is_id(line)]
            (ours / "shallow").write_text("".join(f"{id_}\n" for id_ in ids), "ascii")
        history = History(ours, refs, _reflog_ids(inside))
        try:
            yield history
        finally:
            history.close()


def _reflog_ids(inside: DiskSource) -> list[str]:
    """Where HEAD has stood, by its reflog, each commit once, the newest first."""
    data = inside.read(_REFLOG, LARGEST_REFLOG) or b""
    ids = [
        line.split(" ", 2)[1] for line in data.decode("utf-8", "replace").split("\n") if line.count(" ") > 1
    ]
    return [id_ for id_ in dict.fromkeys(reversed(ids)) if is_id(id_)][:_MOST_REMEMBERED]


def _state_id(inside: DiskSource, name: str) -> str | None:
    """The commit that a state file of Git's names, if it names one."""
    data = inside.read(name, LARGEST_STATE_FILE) or b""
    line = data.decode("ascii", "replace").partition("\n")[0].strip()
    return line if is_id(line) else None
