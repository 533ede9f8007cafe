"""Read the evidence from a quarantine, as data: nothing in it is run or checked out."""

from __future__ import annotations

import re
from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager

from muddled_orchard.core.base.limits import (
    LARGEST_IGNORE_FILE,
    MOST_BYTES,
    MOST_COMMIT_BYTES,
    MOST_COMMITS,
    in_mib,
)
from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.exercise.asked import ASKED, ASKED_TAG, Asked
from muddled_orchard.core.exercise.claim import CLAIM, LARGEST_CLAIM, ExerciseVariant, claimed_in
from muddled_orchard.core.git.commits import Commit, short
from muddled_orchard.core.git.packs import BLOB, COMMIT, TAG
from muddled_orchard.core.git.refs import BRANCHES, REMOTE_TRACKING
from muddled_orchard.core.git.stored_objects import (
    StoredCommit,
    stored_commit,
    tagged,
)
from muddled_orchard.core.git.trees import SUBMODULE, Blob
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
from muddled_orchard.core.submission.evidence import Evidence, IndexEntry, Move, Pending
from muddled_orchard.vcs.asked_file import read_asked
from muddled_orchard.vcs.index import BadIndex, read_index
from muddled_orchard.vcs.read.quarantine import CONFIG, EXCLUDE, Quarantine, Unreadable
from muddled_orchard.vcs.read.reached import Reached
from muddled_orchard.vcs.read.ref_files import head_of, is_id, read_refs, text_of
from muddled_orchard.vcs.read.tree_reading import Trees, sound
from muddled_orchard.vcs.read.working_tree import blob_id, ignored_paths, read_working_tree

_MOST_CLAIMS = 50
"""In so many commits such a file is looked for."""

NO_COMMIT = "the repository has no commit yet"
_DAMAGED = "the repository is damaged: no branch of it leads to a commit"
_OTHER_FORMATS = {
    "objectformat=sha256": (
        "its objects have SHA-256 ids, which can't be read; git init --object-format=sha1 makes one that can"
    ),
    "refstorage=reftable": (
        "its branches lie in a reftable, which can't be read; git refs migrate --ref-format=files mends that"
    ),
}
_FOLDS_CASE = frozenset(f"ignorecase={yes}" for yes in ("true", "yes", "on", "1"))
"""What the settings say where the file system finds files by other capitals as well."""
WHOLE = "git fetch --unshallow makes it whole"
"""How a shallow clone gets what it lacks."""


class Reader:
    """A quarantined repository.

    Raises Unreadable, here and in every method, where the repository is damaged, and Exceeded where it is too
    large.
    """

    def __init__(self, quarantine: Quarantine) -> None:
        self._files = quarantine.files
        self._objects = quarantine.objects
        self._worktree = quarantine.worktree
        self._commits_alone = quarantine.commits_alone
        self._remote = None if quarantine.remote is None else read_refs(quarantine.remote)
        self._remote_objects = quarantine.remote_objects
        self._trees = Trees(self._objects)
        self._commits: dict[str, StoredCommit] = {}
        self._bytes = self._commit_bytes = 0
        self.shallow = bool(self._files.get("shallow", b"").strip())
        self._reflog = tuple(_moves(text_of(self._files.get("logs/HEAD", b""))))
        self._settings = _settings(text_of(self._files.get(CONFIG, b"")))
        pointed = read_refs(self._files)
        self._refuse_other_formats()
        self._asked = pointed.get(ASKED_TAG)
        self._head, head = head_of(self._files, pointed)
        self._refs = {name: id_ for name, pointed_at in pointed.items() if (id_ := self._peeled(pointed_at))}
        self._head_commit = self._peeled(head) if head else None
        self._pending = self._read_pending()
        for name in sorted(pointed.keys() - self._refs.keys()):
            if name.startswith(BRANCHES):
                said = brief(name.removeprefix(BRANCHES))
                raise Unreadable(f"the commit of {said} is missing or damaged")
        if not self._refs and self._head_commit is None:
            has_refs = any(name.startswith("refs/") or name == "packed-refs" for name in self._files)
            raise Unreadable(_DAMAGED if has_refs or self._reflog else NO_COMMIT)

    def _refuse_other_formats(self) -> None:
        """Say what a repository is of which nothing could be read, or all would look damaged."""
        for setting, said in _OTHER_FORMATS.items():
            if setting in self._settings:
                raise Unreadable(said)

    def asked(self) -> Asked | None:
        """What its hand-out says is asked, for its owner: nothing that a grader goes by. A clone has it as a
        tag of the repository on the server."""
        if (data := self._files.get(ASKED)) is not None or self._asked is None:
            return read_asked(data or b"")
        found = self._objects.read(self._asked)
        return read_asked(found[1]) if found is not None else None

    def hand_out(self, known: Mapping[str, ExerciseVariant]) -> ExerciseVariant | None:
        """What this is: `known` tells it of handed-out commits, else the trailers of the first commit say it.
        None where there are none, and no file says it either.

        It is what the commit that is checked out has grown from by first parents; where that says nothing,
        what the branches have: main, the others by name, then those of the remote.
        """
        branches = sorted(
            self._refs, key=lambda name: (not name.startswith(BRANCHES), name != f"{BRANCHES}main", name)
        )
        tips = [self._refs[name] for name in branches if name.startswith((BRANCHES, REMOTE_TRACKING))]
        seen: set[str] = set()
        first_commits: list[str] = []
        for tip in (self._head_commit, *tips):
            at = tip
            while at is not None and at not in seen:
                seen.add(at)
                if at in known:
                    return known[at]
                commit = self._commit(at)
                if commit is None:
                    break
                if not commit.parents:
                    said = claimed_in(commit.message)
                    if said is not None:
                        return said
                    first_commits.append(at)
                at = commit.parents[0] if commit.parents else None
        return self._claimed_by_file((self._head_commit, *tips, *first_commits))

    def _claimed_by_file(self, commits: Iterable[str | None]) -> ExerciseVariant | None:
        """What the file says that learners commit who begin with nothing: in the first of these commits that
        has it, whatever folder it lies in, else beside the commits."""
        for id_ in list(dict.fromkeys(commits))[:_MOST_CLAIMS]:
            commit = self._commit(id_) if id_ is not None else None
            with sound():
                tree = self._trees.listing(commit.tree) if commit is not None else {}
            for path in sorted((path for path in tree if path.rpartition("/")[2] == CLAIM), key=len):
                found = self._objects.read(tree[path].id)
                said = claimed_in(text_of(found[1][:LARGEST_CLAIM])) if found is not None else None
                if said is not None:
                    return said
        lying = self._worktree.read(CLAIM, LARGEST_CLAIM) if self._worktree is not None else None
        return claimed_in(text_of(lying)) if lying else None

    def evidence(self, known_commits: Iterable[str], known_texts: Mapping[str, bytes]) -> Evidence:
        """Everything that a grader needs and does not know yet."""
        known = frozenset(known_commits)
        texts: dict[str, bytes] = {}
        index = tuple(self._index())
        with _told("a folder of its working tree can't be read"):
            working, ignored = self._working_tree(index, known_texts, texts)
        commits = {id_: self._plain(id_) for id_ in self._history(known) if id_ not in known}
        self._refuse_gaps(commits, known)
        for commit in commits.values():
            for blob in commit.tree.values():
                self._read(blob, known_texts, texts)
        for entry in index:
            self._read(entry.blob, known_texts, texts)
        remote, parents = self._remote_branches(known)
        stashes = text_of(self._files.get("logs/refs/stash", b"")).count("\n")
        return Evidence(
            head=self._head,
            head_commit=self._head_commit,
            refs=self._refs,
            commits=commits,
            texts=texts,
            pending=self._pending_now(index),
            index=index,
            working=working,
            ignored=ignored,
            reflog=self._reflog,
            remote=remote,
            remote_parents=parents,
            commits_alone=self._commits_alone,
            is_remote=self._worktree is None and not self._commits_alone and not self._names_a_remote(),
            bisecting="BISECT_START" in self._files,
            stashes=max(stashes, int("refs/stash" in self._refs)),
        )

    def _remote_branches(
        self, known: Container[str]
    ) -> tuple[dict[str, str] | None, dict[str, tuple[str, ...]]]:
        """The branches of the remote behind which there is what they name, since a push brings all of it; and
        the parents of its commits."""
        if self._remote is None or self._remote_objects is None:
            return None, {}
        there = Reached(self._remote_objects, known)
        branches = {
            name.removeprefix(BRANCHES): id_
            for name, id_ in self._remote.items()
            if name.startswith(BRANCHES) and there.whole(id_)
        }
        return branches, there.parents

    # -- Commits --------------------------------------------------------------------------------------

    def _history(self, known: Container[str]) -> Iterator[str]:
        """Every commit that a ref, HEAD, a pending operation or the reflog leads to, each once. Known
        commits are given but not gone beyond."""
        stack = [*(move.new for move in self._reflog), *self._tips()]
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
            stack.extend(commit.parents)

    def _tips(self) -> list[str]:
        """The commits that a ref, HEAD or a pending operation names."""
        brings = self._pending.brings if self._pending else ()
        return [*brings, *self._refs.values(), *([self._head_commit] if self._head_commit else [])]

    def _refuse_gaps(self, commits: Mapping[str, Commit], known: Container[str]) -> None:
        """Raise Unreadable where a commit is missing that a branch or HEAD has grown from. What only the
        reflog still leads to may be gone."""
        stack = [*self._refs.values(), *([self._head_commit] if self._head_commit else [])]
        seen: set[str] = set()
        while stack:
            id_ = stack.pop()
            if id_ in seen or id_ in known:
                continue
            seen.add(id_)
            if id_ in commits:
                stack.extend(commits[id_].parents)
            elif self.shallow:
                raise Unreadable(f"it is a shallow clone, which lacks commits that are needed; {WHOLE}")
            else:
                raise Unreadable(
                    f"the commit {short(id_)}, which its branches have grown from, is missing or damaged"
                )

    def _commit(self, id_: str) -> StoredCommit | None:
        known = self._commits.get(id_)
        if known is None:
            found = self._objects.read(id_)
            if found is None or found[0] != COMMIT:
                return None
            self._commit_bytes += len(found[1])
            if self._commit_bytes > MOST_COMMIT_BYTES:
                raise Unreadable(
                    f"its commits alone, without their files, take more than {in_mib(MOST_COMMIT_BYTES)}"
                )
            with sound():
                known = self._commits[id_] = stored_commit(found[1])
        return known

    def _peeled(self, id_: str) -> str | None:
        """The commit that an id leads to: a tag may be an object of its own."""
        at: str | None = id_
        for _ in range(5):
            if at is None or self._commit(at) is not None:
                return at
            found = self._objects.read(at)
            at = tagged(found[1]) if found is not None and found[0] == TAG else None
        return None

    def _plain(self, id_: str) -> Commit:
        commit = self._commits[id_]
        tree = self._trees.listing(commit.tree)
        author, message = commit.author, commit.message
        return Commit(id_, commit.parents, author, message, tree, commit.time, commit.committer)

    def _read(self, blob: Blob, known: Mapping[str, bytes], texts: dict[str, bytes]) -> None:
        if blob.id in known or blob.id in texts or blob.mode == SUBMODULE:
            return
        # `git add -N` names the empty content without storing it.
        found = (BLOB, b"") if blob.id == _EMPTY else self._objects.read(blob.id)
        if found is None or found[0] != BLOB:
            raise Unreadable(f"the content {short(blob.id)} of a file is missing or damaged")
        self._hold(len(found[1]))
        texts[blob.id] = found[1]

    def _hold(self, size: int) -> None:
        self._bytes += size
        if self._bytes > MOST_BYTES:
            raise Unreadable(
                f"what was not handed out, its files and commits, is more than {in_mib(MOST_BYTES)}"
            )

    # -- What is under way ----------------------------------------------------------------------------

    def _read_pending(self) -> Pending | None:
        def ids(name: str) -> tuple[str, ...]:
            return tuple(filter(is_id, text_of(self._files.get(name, b"")).split()))[:16]

        folder = next((name for name in REBASE_FOLDERS if f"{name}/" in self._files), None)
        if folder is not None:
            return self._read_rebase(folder, ids(REBASED_HEAD))
        for name, kind in SHOWN_BY.items():
            if name in self._files:
                return Pending(kind, ids(name) if kind != "squash" else ())
        if f"{SEQUENCER}/" not in self._files:
            return None
        reverts = self._files.get(SEQUENCER_LIST, b"").startswith(b"revert ")
        stopped = ids(SEQUENCER_STOP)
        committed = bool(stopped) and stopped[0] != self._head_commit
        return Pending("revert" if reverts else "cherry-pick", committed=committed)

    def _names_a_remote(self) -> bool:
        """Whether its settings say where it was cloned from."""
        return "[remote " in text_of(self._files.get(CONFIG, b""))

    def _pending_now(self, index: Sequence[IndexEntry]) -> Pending | None:
        """What is under way. Git leaves the message of a squash behind after some interactive rebases: with
        nothing staged, that is no squash."""
        if self._pending is not None and self._pending.kind == "squash" and self._head_commit is not None:
            head = self._plain(self._head_commit).tree
            staged = {entry.path: entry.blob for entry in index}
            if staged == head and not any(entry.stage for entry in index):
                return None
        return self._pending

    def _read_rebase(self, folder: str, brings: tuple[str, ...]) -> Pending:
        def said(name: str) -> str:
            return text_of(self._files.get(f"{folder}/{name}", b"")).strip()

        number, total = (
            int(said(name)) if re.fullmatch("[0-9]{1,9}", said(name)) else 0
            for name in REBASE_FOLDERS[folder]
        )
        branch = said("head-name").removeprefix(BRANCHES)
        kind = "am" if APPLYING in self._files else "rebase"
        three_way = text_of(self._files.get(THREE_WAY, b"")).strip() == "t"
        return Pending(kind, brings, number, total, branch, said("onto"), three_way)

    def _working_tree(
        self, index: Sequence[IndexEntry], known: Mapping[str, bytes], texts: dict[str, bytes]
    ) -> tuple[dict[str, Blob] | None, frozenset[str]]:
        """What lies in the working tree, and which paths are ignored; new contents are added to `texts`."""
        if self._worktree is None:
            return None, frozenset()
        folds = not _FOLDS_CASE.isdisjoint(self._settings)
        found = read_working_tree(self._worktree, index, known, texts, self._hold, folds_case=folds)
        rules: dict[str, bytes] = {}
        for path, blob in found.items():
            data = known.get(blob.id, texts.get(blob.id)) if path.endswith(".gitignore") else None
            if (
                data is not None
                and len(data) <= LARGEST_IGNORE_FILE
                and path.rpartition("/")[2] == ".gitignore"
            ):
                rules[path] = data
        exclude = self._files.get(EXCLUDE, b"")
        says = any(line.strip() and not line.startswith(b"#") for line in exclude.splitlines())
        if not rules and not says:
            return found, frozenset()
        return found, ignored_paths(found, rules, exclude)

    def _index(self) -> list[IndexEntry]:
        data = self._files.get("index", b"")
        try:
            return read_index(data) if data else []
        except BadIndex as problem:
            raise Unreadable(str(problem)) from None


_EMPTY = blob_id(b"")


def _settings(config: str) -> set[str]:
    """The lines of a configuration file, in small letters and without blanks: enough for plain values."""
    return {"".join(line.lower().split()) for line in config.splitlines()}


def _moves(log: str) -> Iterator[Move]:
    """The lines of a reflog: old id, new id, who and when, a tab, what."""
    for line in log.split("\n")[-2000:]:
        about, _, what = line.partition("\t")
        ids = about.split(" ", 2)
        if len(ids) == 3 and is_id(ids[0]) and is_id(ids[1]):
            yield Move(ids[0], ids[1], what)


@contextmanager
def _told(what: str) -> Iterator[None]:
    """Turn what the file system complains about into Unreadable."""
    try:
        yield
    except OSError as error:
        raise Unreadable(f"{what}: {error.strerror}") from None
