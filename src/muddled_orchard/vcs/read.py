"""Read the evidence from a quarantine, with libgit2 and as data: nothing in it is run or checked out."""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

import pygit2

from muddled_orchard.core.evidence import Evidence, IndexEntry, Move, Pending
from muddled_orchard.core.meeting import Blob
from muddled_orchard.core.repository import Commit
from muddled_orchard.vcs.isolation import isolate
from muddled_orchard.vcs.predict import listing
from muddled_orchard.vcs.quarantine import LARGEST_FILE, MOST_FILES, Quarantine, Unreadable

MOST_COMMITS = 20_000

_ID = re.compile(r"[0-9a-f]{40}")
_NOISE = frozenset({".DS_Store", "Thumbs.db", "desktop.ini", "__MACOSX"})
_TRAILER = re.compile(r"^(Exercise|Variant): (\S+)$", re.MULTILINE)
_LINK = 0o120000


@dataclass(frozen=True, slots=True)
class HandOut:
    """What the first commit says about what this is."""

    exercise: str
    variant: str


class Reader:
    """A quarantined repository, open for reading until `close`.

    Raises Unreadable, here and in every method, where the repository is damaged.
    """

    def __init__(self, quarantine: Quarantine) -> None:
        isolate()
        self._quarantine = quarantine
        with _said("the repository is damaged"):
            self._repo = pygit2.Repository(str(quarantine.gitdir))
            self._refs = {
                name: str(target)
                for name in self._repo.listall_references()
                if (target := self._commit_at(name)) is not None
            }

    def close(self) -> None:
        """Let go of the repository's files."""
        self._repo.free()

    def grew_from(self, tips: Iterable[str]) -> bool:
        """Whether any of these commits is in its history, or was by its reflog: branches may have been
        rewritten since, but hardly all of them without a trace."""
        wanted = set(tips)
        if any({move.old, move.new} & wanted for move in self._reflog()):
            return True
        with _said("the history can't be read"):
            return any(
                str(commit.id) in wanted
                for tip in (self._head_commit(), *self._refs.values())
                if tip is not None
                for commit in self._repo.walk(tip, pygit2.enums.SortMode.NONE)
            )

    def hand_out(self) -> HandOut | None:
        """What the trailers of the first commit say, or None where there are none."""
        with _said("the history can't be read"):
            for tip in (self._head_commit(), *self._refs.values()):
                if tip is None:
                    continue
                for commit in self._repo.walk(tip, pygit2.enums.SortMode.NONE):
                    if not commit.parent_ids:
                        found = dict(_TRAILER.findall(commit.message))
                        if "Exercise" in found and "Variant" in found:
                            return HandOut(found["Exercise"], found["Variant"])
        return None

    def evidence(self, known_commits: Iterable[str], known_texts: Mapping[str, bytes]) -> Evidence:
        """Everything that a grader needs and does not know yet."""
        texts: dict[str, bytes] = {}
        with _said("the repository is damaged"):
            working, ignored = self._working_tree(known_texts, texts)
            index = tuple(self._index())
            head_commit = self._head_commit()
            reflog = tuple(self._reflog())
            pending = self._pending()
            tips = [
                *self._refs.values(),
                *(pending.brings if pending else ()),
                *(move.new for move in reflog),
            ]
            commits = self._new_commits(
                [head_commit, *tips] if head_commit else tips, frozenset(known_commits)
            )
            for blob in [
                *(blob for commit in commits.values() for blob in commit.tree.values()),
                *(entry.blob for entry in index),
            ]:
                self._read(blob, known_texts, texts)
        return Evidence(
            head=self._head(),
            head_commit=head_commit,
            refs=self._refs,
            commits=commits,
            texts=texts,
            pending=pending,
            index=index,
            working=working,
            ignored=ignored,
            reflog=reflog,
            stashes=self._stashes(),
        )

    def _read(self, blob: Blob, known: Mapping[str, bytes], texts: dict[str, bytes]) -> None:
        if blob.id in known or blob.id in texts or blob.mode == 0o160000:
            return
        found = self._repo.get(blob.id)
        if isinstance(found, pygit2.Blob):
            if found.size > LARGEST_FILE:
                raise Unreadable(f"a file is larger than {LARGEST_FILE >> 20} MiB")
            texts[blob.id] = found.data

    def _commit_at(self, ref: str) -> pygit2.Oid | None:
        try:
            return self._repo.references[ref].peel(pygit2.Commit).id
        except (KeyError, ValueError, pygit2.GitError):
            return None

    def _head_commit(self) -> str | None:
        try:
            return str(self._repo.head.peel(pygit2.Commit).id)
        except (KeyError, ValueError, pygit2.GitError):
            return None

    def _head(self) -> str | None:
        said = self._text("HEAD").strip()
        return said.removeprefix("ref: refs/heads/") if said.startswith("ref: refs/heads/") else None

    def _text(self, name: str) -> str:
        try:
            return (self._quarantine.gitdir / name).read_text("utf-8", "replace")
        except OSError:
            return ""

    def _has(self, name: str) -> bool:
        return (self._quarantine.gitdir / name).exists()

    def _new_commits(self, tips: Iterable[str], known: frozenset[str]) -> dict[str, Commit]:
        found: dict[str, Commit] = {}
        stack = list(tips)
        while stack:
            id_ = stack.pop()
            if id_ in known or id_ in found:
                continue
            commit = self._repo.get(id_)
            if not isinstance(commit, pygit2.Commit):
                continue
            if len(found) >= MOST_COMMITS:
                raise Unreadable(f"it has more than {MOST_COMMITS:,} commits of its own")
            parents = tuple(str(parent) for parent in commit.parent_ids)
            author = f"{commit.author.name} <{commit.author.email}>"
            found[id_] = Commit(id_, parents, author, commit.message, listing(self._repo, commit.tree_id))
            stack.extend(parents)
        return found

    def _pending(self) -> Pending | None:
        def ids(name: str) -> tuple[str, ...]:
            return tuple(line for line in self._text(name).split() if _ID.fullmatch(line))

        if self._has("rebase-merge") or self._has("rebase-apply"):
            return Pending("rebase", ids("REBASE_HEAD"))
        for name, kind in (
            ("MERGE_HEAD", "merge"),
            ("CHERRY_PICK_HEAD", "cherry-pick"),
            ("REVERT_HEAD", "revert"),
        ):
            if self._has(name):
                return Pending(kind, ids(name))
        if self._has("sequencer"):
            return Pending("cherry-pick")
        return Pending("squash") if self._has("SQUASH_MSG") else None

    def _index(self) -> Iterator[IndexEntry]:
        path = self._quarantine.gitdir / "index"
        if not path.exists():
            return
        index = self._repo.index
        for entry in index:
            yield IndexEntry(entry.path, 0, Blob(int(entry.mode), str(entry.id)))
        for stages in index.conflicts or ():
            for stage, side in enumerate(stages, start=1):
                if side is not None:
                    yield IndexEntry(side.path, stage, Blob(int(side.mode), str(side.id)))

    def _reflog(self) -> Iterator[Move]:
        for line in self._text("logs/HEAD").splitlines()[-2000:]:
            about, _, what = line.partition("\t")
            ids = about.split(" ", 2)
            if len(ids) == 3 and _ID.fullmatch(ids[0]) and _ID.fullmatch(ids[1]):
                yield Move(ids[0], ids[1], what)

    def _stashes(self) -> int:
        return max(len(self._text("logs/refs/stash").splitlines()), int("refs/stash" in self._refs))

    def _working_tree(
        self, known: Mapping[str, bytes], texts: dict[str, bytes]
    ) -> tuple[dict[str, Blob] | None, frozenset[str]]:
        top = self._quarantine.worktree
        if top is None:
            return None, frozenset()
        found: dict[str, Blob] = {}
        size = 0
        rules: list[str] = []
        for path, entry in _below(top, ""):
            about = entry.stat(follow_symlinks=False)
            size += about.st_size
            if len(found) > MOST_FILES or size > LARGEST_FILE:
                raise Unreadable("the working tree is too large to be the practice repository's")
            if stat.S_ISLNK(about.st_mode):
                data, mode = os.fsencode(os.readlink(entry.path)), _LINK  # noqa: PTH115 - the target as it is
            elif stat.S_ISREG(about.st_mode):
                data, mode = _content(entry.path), 0o100755 if about.st_mode & stat.S_IXUSR else 0o100644
            else:
                continue  # a pipe or a device is never opened
            id_ = str(pygit2.hash(data))
            found[path] = Blob(mode, id_)
            if id_ not in known:
                texts[id_] = data
            if entry.name == ".gitignore":
                rules.append(path)
        return found, self._ignored(found, rules, texts, known)

    def _ignored(
        self,
        found: Mapping[str, Blob],
        rules: list[str],
        texts: Mapping[str, bytes],
        known: Mapping[str, bytes],
    ) -> frozenset[str]:
        """Which of the paths the repository's own rules ignore: rules are copied, then asked of libgit2."""
        if not rules:
            return frozenset()
        top = self._quarantine.gitdir / "ignore-rules"
        for path in rules:
            id_ = found[path].id
            (top / path).parent.mkdir(parents=True, exist_ok=True)
            (top / path).write_bytes(texts[id_] if id_ in texts else known[id_])
        asked = pygit2.init_repository(str(top))
        return frozenset(path for path in found if asked.path_is_ignored(path))


def _content(path: str) -> bytes:
    descriptor = os.open(path, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0))
    with open(descriptor, "rb") as reading:  # noqa: PTH123 - from a descriptor
        return reading.read(LARGEST_FILE + 1)


def _below(folder: Path, prefix: str) -> Iterator[tuple[str, os.DirEntry[str]]]:
    try:
        entries = list(os.scandir(folder))
    except OSError as error:
        raise Unreadable(f"the folder {prefix or '.'} can't be read: {error.strerror}") from None
    for entry in sorted(entries, key=lambda item: item.name):
        if entry.name in _NOISE or entry.name.lower() == ".git":
            continue
        if entry.is_dir(follow_symlinks=False):
            yield from _below(Path(entry.path), f"{prefix}{entry.name}/")
        else:
            yield prefix + entry.name, entry


class _said:  # noqa: N801 - used as a statement
    """Turn what libgit2 and the file system complain about into Unreadable."""

    def __init__(self, what: str) -> None:
        self._what = what

    def __enter__(self) -> None:
        return None

    def __exit__(self, _kind: object, error: BaseException | None, _trace: object) -> None:
        if isinstance(error, (pygit2.GitError, OSError, KeyError, ValueError)):
            raise Unreadable(f"{self._what}: {' '.join(str(error).split())}") from error
