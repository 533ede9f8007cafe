"""Write a story's commits with libgit2: into a workshop for grading, or as a practice repository.

The layout of a repository is that of gitrepository-layout(5), written here so that no template, no
hook and no setting of the machine gets into it.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import pygit2

from muddled_orchard.core.story import File, History, PlannedCommit
from muddled_orchard.vcs.isolation import isolate

CONFIG = """\
[core]
\trepositoryformatversion = 0
\tfilemode = true
\tbare = {bare}
"""

_FOLDER = 0o040000


def new_repository(gitdir: Path, *, bare: bool, head: str = "main") -> pygit2.Repository:
    """An empty repository in a new folder."""
    isolate()
    for folder in ("objects/info", "objects/pack", "refs/heads", "refs/tags", "info"):
        (gitdir / folder).mkdir(parents=True)
    (gitdir / "HEAD").write_text(f"ref: refs/heads/{head}\n", encoding="ascii", newline="\n")
    (gitdir / "config").write_text(CONFIG.format(bare=str(bare).lower()), encoding="ascii", newline="\n")
    return pygit2.Repository(str(gitdir))


def write_history(repo: pygit2.Repository, history: History) -> list[str]:
    """Write every commit of the story and return their ids in order. Refs are left alone."""
    ids: list[str] = []
    for commit in history.commits:
        tree = write_tree(repo, {path: (file.mode, _blob(repo, file)) for path, file in commit.tree.items()})
        ids.append(_commit(repo, commit, tree, [ids[parent] for parent in commit.parents]))
    return ids


def write_tree(repo: pygit2.Repository, listing: Mapping[str, tuple[int, str]]) -> str:
    """Write a tree from a flat listing of path -> (mode, blob id), folders as deep as they go."""
    builder = repo.TreeBuilder()
    folders: dict[str, dict[str, tuple[int, str]]] = {}
    for path, (mode, id_) in listing.items():
        name, _, rest = path.partition("/")
        if rest:
            folders.setdefault(name, {})[rest] = (mode, id_)
        else:
            builder.insert(name, id_, mode)
    for name, below in folders.items():
        builder.insert(name, write_tree(repo, below), _FOLDER)
    return str(builder.write())


def write_practice(folder: Path, history: History) -> list[str]:
    """Make the practice repository `folder`/.git with its working tree; return the commits' ids.

    It has no identity, no hooks and no reflog yet: all that is the learner's Git's.
    """
    folder.mkdir(parents=True)
    repo = new_repository(folder / ".git", bare=False, head=history.checked_out)
    # The learner's reflog begins with the learner, not with a line that bears our machine's clock.
    repo.config["core.logAllRefUpdates"] = False
    ids = write_history(repo, history)
    for branch, number in history.tips.items():
        repo.references.create(f"refs/heads/{branch}", ids[number])
    repo.checkout_head(strategy=pygit2.enums.CheckoutStrategy.FORCE)  # type: ignore[no-untyped-call]
    repo.free()
    (folder / ".git" / "config").write_text(CONFIG.format(bare="false"), encoding="ascii", newline="\n")
    return ids


def _blob(repo: pygit2.Repository, file: File) -> str:
    return str(repo.create_blob(file.data))


def _commit(repo: pygit2.Repository, commit: PlannedCommit, tree: str, parents: list[str]) -> str:
    author = pygit2.Signature(commit.author.name, commit.author.email, commit.time, commit.offset, "utf-8")
    return str(repo.create_commit(None, author, author, commit.message, tree, parents))
