"""Read the evidence from a quarantine, with libgit2 and as data: nothing in it is run or checked out."""

from __future__ import annotations

import re
from collections.abc import Container, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass

import pygit2

from muddled_orchard.core.evidence import Evidence, IndexEntry, Move, Pending
from muddled_orchard.core.meeting import Blob
from muddled_orchard.core.places import Below, Entry, Place, below, is_noise
from muddled_orchard.core.repository import Commit
from muddled_orchard.vcs.index import BadIndex, read_index
from muddled_orchard.vcs.objects import LARGEST_OBJECT
from muddled_orchard.vcs.predict import listing
from muddled_orchard.vcs.quarantine import Quarantine, Unreadable
from muddled_orchard.vcs.refs import head_of, is_id, read_refs, text_of

MOST_COMMITS = 20_000
MOST_FILES = 200_000
MOST_LISTED_IN_ALL = 1_000_000
MOST_BYTES = 256 << 20

_TRAILER = re.compile(r"^(Exercise|Variant): (\S+)$", re.MULTILINE)
_LINK = 0o120000
_SUBMODULE = 0o160000
_PENDING = (
    ("MERGE_HEAD", "merge"),
    ("CHERRY_PICK_HEAD", "cherry-pick"),
    ("REVERT_HEAD", "revert"),
    ("SQUASH_MSG", "squash"),
)


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
        self._files = quarantine.files
        self._repo = quarantine.repo
        self._room = quarantine.room
        self._worktree = quarantine.worktree
        self._commits_alone = quarantine.commits_alone
        self._remote = None if quarantine.remote is None else read_refs(quarantine.remote)
        self._commits: dict[str, pygit2.Commit] = {}
        self._listed = self._bytes = 0
        self._reflog = tuple(_moves(text_of(self._files.get("logs/HEAD", b""))))
        self._pending = self._read_pending()
        pointed = read_refs(self._files)
        self._head, head = head_of(self._files, pointed)
        with _told("the repository is damaged"):
            self._refs = {
                name: id_ for name, pointed_at in pointed.items() if (id_ := self._peeled(pointed_at))
            }
            self._head_commit = self._peeled(head) if head else None
        for name in pointed.keys() - self._refs.keys():
            if name.startswith("refs/heads/"):
                raise Unreadable(f"the commit of {name.removeprefix('refs/heads/')} is missing or damaged")
        if not self._refs and self._head_commit is None:
            raise Unreadable("the repository is damaged: no branch of it leads to a commit")

    def close(self) -> None:
        """Let go of the repository's files."""
        self._repo.free()

    def hand_out(self, known: Mapping[str, HandOut]) -> HandOut | None:
        """What the trailers of the first commit say, or None where there are none.

        `known` are commits whose hand-out is known; since an id stands for all that a commit grew
        from, the search ends there.
        """
        with _told("the history can't be read"):
            for commit in self._history(known):
                if commit in known:
                    return known[commit]
                read = self._commits[commit]
                if not read.parent_ids:
                    found = dict(_TRAILER.findall(read.message))
                    if "Exercise" in found and "Variant" in found:
                        return HandOut(found["Exercise"], found["Variant"])
        return None

    def evidence(self, known_commits: Iterable[str], known_texts: Mapping[str, bytes]) -> Evidence:
        """Everything that a grader needs and does not know yet."""
        known = frozenset(known_commits)
        texts: dict[str, bytes] = {}
        with _told("the repository is damaged"):
            working, ignored = self._working_tree(known_texts, texts)
            index = tuple(self._index())
            commits = {id_: self._plain(id_) for id_ in self._history(known) if id_ not in known}
            for commit in commits.values():
                for blob in commit.tree.values():
                    self._read(blob, known_texts, texts)
            for entry in index:
                self._read(entry.blob, known_texts, texts)
        stashes = len(text_of(self._files.get("logs/refs/stash", b"")).splitlines())
        return Evidence(
            head=self._head,
            head_commit=self._head_commit,
            refs=self._refs,
            commits=commits,
            texts=texts,
            pending=self._pending,
            index=index,
            working=working,
            ignored=ignored,
            reflog=self._reflog,
            remote=self._remote_branches(),
            commits_alone=self._commits_alone,
            stashes=max(stashes, int("refs/stash" in self._refs)),
        )

    def _remote_branches(self) -> dict[str, str] | None:
        if self._remote is None:
            return None
        heads = "refs/heads/"
        return {name.removeprefix(heads): id_ for name, id_ in self._remote.items() if name.startswith(heads)}

    def _history(self, known: Container[str]) -> Iterator[str]:
        """Every commit that a ref, HEAD, a pending operation or the reflog leads to, each once. Known
        commits are given but not gone beyond."""
        brings = self._pending.brings if self._pending else ()
        stack = [*(move.new for move in self._reflog), *brings, *self._refs.values()]
        stack += [self._head_commit] if self._head_commit else []
        seen: set[str] = set()
        while stack:
            id_ = stack.pop()
            if id_ in seen:
                continue
            seen.add(id_)
            if id_ in known:
                yield id_
                continue
            commit = self._commit(id_)
            if commit is None:
                continue
            if len(seen) > MOST_COMMITS:
                raise Unreadable(f"it has more than {MOST_COMMITS:,} commits of its own")
            yield id_
            stack.extend(str(parent) for parent in commit.parent_ids)

    def _commit(self, id_: str) -> pygit2.Commit | None:
        if id_ not in self._commits:
            found = self._repo.get(id_)
            if not isinstance(found, pygit2.Commit):
                return None
            self._commits[id_] = found
        return self._commits[id_]

    def _peeled(self, id_: str) -> str | None:
        """The commit that an id leads to: a tag may be an object of its own."""
        if self._commit(id_) is not None:
            return id_
        found = self._repo.get(id_)
        return str(found.peel(pygit2.Commit).id) if isinstance(found, pygit2.Tag) else None

    def _plain(self, id_: str) -> Commit:
        commit = self._commits[id_]
        parents = tuple(str(parent) for parent in commit.parent_ids)
        author = f"{commit.author.name} <{commit.author.email}>"
        tree = listing(self._repo, commit.tree_id)
        self._listed += len(tree)
        if self._listed > MOST_LISTED_IN_ALL:
            raise Unreadable("its commits list more files than a practice repository's can")
        return Commit(id_, parents, author, commit.message, tree)

    def _read(self, blob: Blob, known: Mapping[str, bytes], texts: dict[str, bytes]) -> None:
        if blob.id in known or blob.id in texts or blob.mode == _SUBMODULE:
            return
        found = self._repo.get(blob.id)
        if not isinstance(found, pygit2.Blob):
            raise Unreadable(f"the content {blob.id[:7]} is missing or damaged")
        self._bytes += found.size
        if self._bytes > MOST_BYTES:
            raise Unreadable(f"its commits hold more than {MOST_BYTES >> 20} MiB")
        texts[blob.id] = found.data

    def _read_pending(self) -> Pending | None:
        def ids(name: str) -> tuple[str, ...]:
            return tuple(filter(is_id, text_of(self._files.get(name, b"")).split()))

        if "rebase-merge/" in self._files or "rebase-apply/" in self._files:
            return self._read_rebase(ids("REBASE_HEAD"))
        for name, kind in _PENDING:
            if name in self._files:
                return Pending(kind, ids(name) if kind != "squash" else ())
        return Pending("cherry-pick") if "sequencer/" in self._files else None

    def _read_rebase(self, brings: tuple[str, ...]) -> Pending:
        merging = "rebase-merge/" in self._files
        folder, names = ("rebase-merge", ("msgnum", "end")) if merging else ("rebase-apply", ("next", "last"))

        def said(name: str) -> str:
            return text_of(self._files.get(f"{folder}/{name}", b"")).strip()

        number, total = (int(said(name)) if said(name).isdecimal() else 0 for name in names)
        branch = said("head-name").removeprefix("refs/heads/")
        return Pending("rebase", brings, number, total, branch, said("onto"))

    def _index(self) -> list[IndexEntry]:
        data = self._files.get("index", b"")
        try:
            return read_index(data) if data else []
        except BadIndex as problem:
            raise Unreadable(str(problem)) from None

    def _working_tree(
        self, known: Mapping[str, bytes], texts: dict[str, bytes]
    ) -> tuple[dict[str, Blob] | None, frozenset[str]]:
        if self._worktree is None:
            return None, frozenset()
        found: dict[str, Blob] = {}
        size = 0
        rules: list[str] = []
        for path, entry in below(_Tracked(self._worktree)):
            size += entry.size
            if len(found) > MOST_FILES or size > MOST_BYTES:
                raise Unreadable("the working tree is too large to be the practice repository's")
            if entry.kind == "link":
                data, mode = self._worktree.target(path), _LINK
            else:
                content = self._worktree.read(path, LARGEST_OBJECT)
                if content is None:
                    continue  # a pipe or a device is never opened
                data, mode = content, 0o100755 if entry.executable else 0o100644
            id_ = str(pygit2.hash(data))
            found[path] = Blob(mode, id_)
            if id_ not in known:
                texts[id_] = data
            if entry.name == ".gitignore":
                rules.append(path)
        return found, self._ignored(found, rules, {**known, **texts}) if rules else frozenset()

    def _ignored(
        self, found: Mapping[str, Blob], rules: list[str], texts: Mapping[str, bytes]
    ) -> frozenset[str]:
        """Which of the paths the repository's own rules ignore: the rules are copied, libgit2 is asked."""
        top = self._room / "ignore-rules"
        for path in rules:
            (top / path).parent.mkdir(parents=True, exist_ok=True)
            (top / path).write_bytes(texts[found[path].id])
        asked = pygit2.init_repository(str(top))
        return frozenset(path for path in found if asked.path_is_ignored(path))


def _moves(log: str) -> Iterator[Move]:
    """The lines of a reflog: old id, new id, who and when, a tab, what."""
    for line in log.splitlines()[-2000:]:
        about, _, what = line.partition("\t")
        ids = about.split(" ", 2)
        if len(ids) == 3 and is_id(ids[0]) and is_id(ids[1]):
            yield Move(ids[0], ids[1], what)


class _Tracked(Below):
    """A working tree without what is never part of it: `.git`, and what operating systems leave."""

    def __init__(self, worktree: Place) -> None:
        super().__init__(worktree, "")

    def entries(self, path: str) -> list[Entry]:
        """What a folder holds, by name."""
        return [e for e in super().entries(path) if not is_noise(e.name) and e.name.lower() != ".git"]


@contextmanager
def _told(what: str) -> Iterator[None]:
    """Turn what libgit2 and the file system complain about into Unreadable."""
    try:
        yield
    except (pygit2.GitError, OSError, KeyError, ValueError) as error:
        raise Unreadable(f"{what}: {' '.join(str(error).split())}") from error
