"""Carries a demonstration out with real Git, and records it.

The same actions leave a repository at any step: then only those are carried out that change something
(`looking` is off), and it ends after the step that is wanted.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path

import pygit2
from msgspec import Struct, field
from msgspec.structs import replace

from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.refs import BRANCHES, REMOTE_TRACKING, on_remote
from muddled_orchard.core.git.trees import LINK, PLAIN_FILE, File, file_mode
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.graph import DETACHED, Graph, in_order, laid_out
from muddled_orchard.core.walkthrough.shown import differing
from muddled_orchard.core.walkthrough.walkthrough import (
    ORIGIN,
    WORK,
    Edited,
    Half,
    Identity,
    Part,
    Ran,
    Said,
    Viewed,
    WalkthroughStep,
)
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.isolation import isolate
from muddled_orchard.vcs.practice_tree import PracticeTree


class StepReached(Exception):
    """The step that was wanted has been carried out: nothing more is done."""


class _Draft(Struct):
    """A step in the making."""

    half: Half
    name: str = ""
    title: str = ""
    wrong_turn: bool = False
    parts: list[Part] = field(default_factory=list)


class Recorder:
    """Works in the practice folder `room` of a key's variant. It ends after the step of which `ends` says so;
    without `looking` it does nothing that changes nothing, and records names alone."""

    def __init__(self, room: Path, key: Key, *, looking: bool = True) -> None:
        isolate()
        self.room = room
        self.key = key
        self.looking = looking
        self.place = WORK
        """The repository that is worked in: the learner's, or that of somebody who shares the remote."""
        self.who: Identity | None = None
        self.steps: list[WalkthroughStep] = []
        self.settings: Mapping[str, str] = {}
        """Git's settings beyond its defaults."""
        self.on_conflict: Callable[[Step, Sequence[str]], None] = lambda _, __: None
        """Called where Git has stopped, with the step and the paths in conflict."""
        self.ends: Callable[[WalkthroughStep], bool] = lambda _: False
        self._draft: _Draft | None = None
        self._kept: dict[str, str] = {}

    @property
    def tree(self) -> PracticeTree:
        """The repository that is worked in."""
        return PracticeTree(self.room / self.place)

    # -- Steps ----------------------------------------------------------------------------------------

    def open_step(self, half: Half) -> None:
        """Begin the next step; what it is called is told by `call_step`, once that is known. Raises
        StepReached where it is beyond what is wanted."""
        self.close_step()
        if self.steps and self.ends(self.steps[-1]):
            raise StepReached
        self._draft = _Draft(half)

    def call_step(self, name: str, title: str, *, wrong_turn: bool = False) -> None:
        """Say what the step at hand is: its name and its title."""
        if self._draft is not None:
            self._draft.name, self._draft.title, self._draft.wrong_turn = name, title, wrong_turn

    def step(self, half: Half, name: str, title: str, *, wrong_turn: bool = False) -> None:
        """Begin the next step. Raises StepReached where it is beyond what is wanted."""
        self.open_step(half)
        self.call_step(name, title, wrong_turn=wrong_turn)

    def close_step(self) -> None:
        """End the step at hand."""
        draft, self._draft = self._draft, None
        if draft is not None:
            self.steps.append(
                WalkthroughStep(
                    number=len(self.steps) + 1,
                    name=draft.name,
                    title=draft.title,
                    half=draft.half,
                    wrong_turn=draft.wrong_turn,
                    parts=tuple(draft.parts),
                    graph=self.graph() if self.looking else None,
                )
            )

    def add(self, part: Part) -> None:
        """Put a part into the step at hand."""
        if self._draft is not None and self.looking:
            if self.place != WORK and not isinstance(part, (Ran, Edited)):
                part = replace(part, folder=self.place)
            self._draft.parts.append(part)

    # -- Actions --------------------------------------------------------------------------------------

    def say(self, text: str, *, wrong: bool = False) -> None:
        """A paragraph."""
        self.add(Said(text, wrong))

    def git(
        self,
        *words: str,
        folder: str | None = None,
        variables: Mapping[str, str] | None = None,
        keeps: str | None = None,
        typed_lines: Sequence[str] = (),
    ) -> str:
        """Run Git and return what it answers; it may fail. Its answer is `$keeps` in what follows;
        `typed_lines` is what a person types where it asks. `folder` is where (default: the repository that
        is worked in)."""
        folder = folder or self.place
        given = dict(variables or {})
        more = {**(self.who.environment if self.who else {}), **given, **self._settings()}
        filled = [self._filled(word) for word in words]
        answer = git.answer(filled, folder=self.room / folder, more=more, typed=typed_lines)
        if keeps is not None:
            self._kept[keeps] = answer.strip()
        self.add(Ran(("git", *words), answer, folder, self.who, given, keeps, tuple(typed_lines)))
        return answer

    def _settings(self) -> dict[str, str]:
        more = {"GIT_CONFIG_COUNT": str(len(self.settings))} if self.settings else {}
        for number, (name, value) in enumerate(self.settings.items()):
            more |= {f"GIT_CONFIG_KEY_{number}": name, f"GIT_CONFIG_VALUE_{number}": value}
        return more

    def _filled(self, word: str) -> str:
        for name, value in self._kept.items():
            word = word.replace(f"${name}", value)
        return word

    def look(self, *words: str) -> None:
        """Run Git only to be shown what it answers."""
        if self.looking:
            self.git(*words)

    def view(self, path: str, other: bytes | None = None) -> None:
        """Show a file as it lies there; the lines are to be looked at that an `other` version has not."""
        if self.looking and (data := self.content(path)) is not None:
            self.add(Viewed(path, data, frozenset() if other is None else differing(data, other)))

    def edit(self, path: str, after: bytes | None, mode: int, folder: str | None = None) -> None:
        """Make a file what it should be; None removes it."""
        folder = folder or self.place
        before = self.content(path, folder)
        target = self.room / folder / path
        if target.is_symlink() or target.is_file():
            target.unlink()
        if after is not None:
            target.parent.mkdir(parents=True, exist_ok=True)
            if mode == LINK:
                target.symlink_to(after.decode("utf-8", "surrogateescape"))
            else:
                target.write_bytes(after)
                target.chmod(mode & 0o777)
        else:
            with suppress(OSError):  # an empty folder is none for Git
                target.parent.rmdir()
        self.add(Edited(path, before, after, mode, folder))

    def put_beside(self, name: str, text: str) -> None:
        """Write a file beside the repository, if it is not there yet."""
        data = text.encode("utf-8", "surrogateescape")
        if self.content(name, ".") != data:
            self.say("Git opens an editor. What it is to read:")
            self.edit(name, data, PLAIN_FILE, folder=".")

    # -- How it stands --------------------------------------------------------------------------------

    def content(self, path: str, folder: str | None = None) -> bytes | None:
        """What a file holds (a link: its target), or None where there is none."""
        target = self.room / (folder or self.place) / path
        if target.is_symlink():
            return str(target.readlink()).encode("utf-8", "surrogateescape")
        return target.read_bytes() if target.is_file() else None

    def files(self) -> dict[str, File]:
        """Every file that lies in the working tree, by path."""
        found = {}
        for folder, folders, names in os.walk(self.room / self.place):
            folders[:] = sorted(name for name in folders if name != ".git")
            for name in sorted([*names, *(one for one in folders if Path(folder, one).is_symlink())]):
                target = Path(folder, name)
                path = target.relative_to(self.room / self.place).as_posix()
                executable = bool(target.lstat().st_mode & 0o100)
                mode = LINK if target.is_symlink() else file_mode(executable=executable)
                found[path] = File(mode, self.content(path) or b"")
        return found

    def ignored(self, paths: Sequence[str], folder: str = WORK) -> bool:
        """Whether Git would not add one of these files, since the repository ignores it."""
        repository = pygit2.Repository(str(self.room / folder))
        known = {entry.path for entry in repository.index}
        return any(path not in known and repository.path_is_ignored(path) for path in paths)

    def graph(self) -> Graph | None:
        """The commits as the branches reach them now, and those of the remote that were not fetched."""
        if not self.tree.gitdir.is_dir():
            return None
        commits: dict[str, Commit] = {}
        tips: dict[str, str] = {}
        for folder in (self.place, ORIGIN):
            place = self.room / folder
            if place.is_dir():
                repository = pygit2.Repository(str(place))
                _read_refs(repository, tips, commits, of_remote=folder == ORIGIN)
        branch, head = self.tree.branch(), self.tree.head()
        if branch is None and head is not None:
            tips[DETACHED] = head
        if not tips:
            return None
        order = in_order(commits, tips, tuple(id_ for id_ in self.key.ids if id_ in commits))
        known = {**commits, **{id_: self.key.commits[id_] for id_ in order if id_ in self.key.commits}}
        return laid_out(self.key, known, order, tips, branch or DETACHED)


def _read_refs(
    repository: pygit2.Repository, tips: dict[str, str], commits: dict[str, Commit], *, of_remote: bool
) -> None:
    for name in repository.references:
        if of_remote:
            id_ = str(repository.references[name].target)
            shown = on_remote(name.removeprefix(BRANCHES))
            if not name.startswith(BRANCHES) or tips.get(shown) == id_:
                continue
            tips[f"{shown} (not fetched)"] = id_
        elif name.startswith((BRANCHES, REMOTE_TRACKING)) and not name.endswith("/HEAD"):
            tips[name.removeprefix(BRANCHES).removeprefix(REMOTE_TRACKING)] = str(
                repository.references[name].target
            )
        elif name == "refs/stash":
            for age, entry in enumerate(repository.references[name].log()):
                tips[f"stash@{{{age}}}"] = str(entry.oid_new)
    waiting = [id_ for id_ in tips.values() if id_ in repository]
    while waiting:
        id_ = waiting.pop()
        if id_ in commits or id_ not in repository:
            continue
        found = repository[id_]
        if isinstance(found, pygit2.Commit):
            parents = tuple(map(str, found.parent_ids))
            author = f"{found.author.name} <{found.author.email}>"
            commits[id_] = Commit(id_, parents, author, found.message, {})
            waiting += parents
