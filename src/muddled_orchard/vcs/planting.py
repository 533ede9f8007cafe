"""Plant a practice folder: the brief and the repository, or nothing at all."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.arriving import arrivals
from muddled_orchard.core.exercise.asked import ASKED, asked_by
from muddled_orchard.core.exercise.brief_notes import STUCK, beginning, beginning_again, with_parts
from muddled_orchard.core.exercise.claim import CLAIM, claim_of
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.operations.am import MAILBOX
from muddled_orchard.core.exercise.own_copy import begin_again
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.steps import to_fetch, to_start, to_switch
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import example_message
from muddled_orchard.core.exercise.variants import Variant, Variants
from muddled_orchard.core.git.patch_text import PatchOf, mailbox
from muddled_orchard.core.git.trees import LINK, PLAIN_FILE, Blob, File
from muddled_orchard.system.output import umask, write_all
from muddled_orchard.system.temporary import folder_in_the_making, remove_left_over, settle, temporary_folder
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.asked_file import asked_file
from muddled_orchard.vcs.index import index_file, read_index
from muddled_orchard.vcs.write.bare import hosted_repository
from muddled_orchard.vcs.write.build import write_history
from muddled_orchard.vcs.write.memory import Objects
from muddled_orchard.vcs.write.practice import WORK, practice_files

BRIEF = "BRIEF.md"


class Practice(Struct, frozen=True):
    """One variant, ready to be handed out: the scenario with its values, its story, the id of each commit
    of it by place, and every file of the practice folder but the brief."""

    scenario: Scenario
    history: History
    ids: Mapping[int, str]
    files: Mapping[str, File]

    def hosted(self) -> dict[str, File]:
        """The files of the repository that a host serves, before a teammate has pushed anything to it."""
        coming = arrivals(self.scenario, self.history) if self.history.commits else ()
        return hosted_repository(self.files, self.history, coming, self.ids)


def practice_of(variants: Variants, code: str, *, stopped: bool = True) -> Practice:
    """Make a variant in memory, as it is handed out. Raises BadInput where it can't be made.

    One that is handed out at its first conflict stands there if `stopped`, else before it. Where learners
    begin with `git init`, there are no commits: all that is handed out is the file that says what it is, and
    for `peek` what is asked.
    """
    variant = variants.of(code)
    if variant.scenario.start.own:
        return _nothing_but_the_claim(variant, code)
    return _repository_of(variant, stopped=stopped)


def example_of(variants: Variants, code: str) -> Practice:
    """A variant as its story has it, before anything was done: where learners begin with `git init`, that is
    the example of how they could."""
    return _repository_of(variants.of(code), stopped=False)


def _nothing_but_the_claim(variant: Variant, code: str) -> Practice:
    history = History((), {}, variant.history.checked_out)
    files = {
        f"{WORK}/{CLAIM}": File(PLAIN_FILE, claim_of(variant.scenario.id, code).encode()),
        f"{WORK}/.git/{ASKED}": File(PLAIN_FILE, asked_file(asked_by(variant.scenario, history, {}))),
    }
    return Practice(variant.scenario, history, {}, files)


def _repository_of(variant: Variant, *, stopped: bool) -> Practice:
    varied, history = variant.scenario, variant.history
    files, ids = practice_files(history, {task.delete for task in varied.task if task.delete}, varied.start)
    if patches := [label for task in varied.task for label in task.patches or ()]:
        # Their branch is not handed out, so their ids are known by nothing else.
        held = {place for label in patches for place in history.ancestors(history.labelled(label))}
        ids = {**write_history(Objects(), history, held), **ids}
        files[MAILBOX] = File(PLAIN_FILE, mailbox([_patch(history, ids, label) for label in patches]))
    files[f"{WORK}/.git/{ASKED}"] = File(PLAIN_FILE, asked_file(asked_by(varied, history, ids)))
    if varied.start.stopped and stopped:
        with temporary_folder() as room:
            write_files(room, files)
            _stop_at_conflict(room / WORK, history, ids, varied.task[0])
            files = dict(read_files(room))
    return Practice(varied, history, ids, files)


def _stop_at_conflict(work: Path, history: History, ids: dict[int, str], task: Task) -> None:
    """Bring a freshly planted repository to the first conflict of a task, as one of the cast would have."""
    last = max(history.commits, key=lambda commit: commit.time)
    who = history.commits[history.tips[task.on]].author
    when = f"{last.time + 600} +0000"
    more = {
        f"GIT_{role}_{what}": value
        for role in ("AUTHOR", "COMMITTER")
        for what, value in (("NAME", who.name), ("EMAIL", who.email), ("DATE", when))
    }
    if task.keeps_commits:
        # A replay keeps each commit's own author; only the committer is who stopped here.
        more = {name: value for name, value in more.items() if "COMMITTER" in name}
    labelled = {commit.label: ids[n] for n, commit in enumerate(history.commits) if commit.label and n in ids}
    for words, _ in (
        *to_switch(task, history.checked_out),
        *to_fetch(task),
        to_start(task, labelled, example_message(task)),
    ):
        git.run(words, folder=work, more=more, may_fail=True)


def _patch(history: History, ids: dict[int, str], label: str) -> PatchOf:
    """A commit of the story as a patch; its id is that which it has in the story."""
    commit = history.commits[history.labelled(label)]
    objects = Objects()
    before, after = (
        {path: (file, Blob(file.mode, objects.blob(file.data))) for path, file in tree.items()}
        for tree in (history.commits[commit.parents[0]].tree, commit.tree)
    )
    who = commit.author
    return PatchOf(
        ids[history.labelled(label)],
        who.name,
        who.email,
        commit.time,
        commit.offset,
        commit.message,
        before,
        after,
    )


def plant(scenario: Scenario, folder: Path, code: str) -> Practice:
    """Make a variant, and put it in a folder. Raises BadInput as `put_practice` does."""
    practice = practice_of(Variants(scenario), code)
    put_practice(folder, practice)
    return practice


def plant_example(scenario: Scenario, folder: Path, code: str) -> Practice:
    """Put a variant as its story has it in a folder. Raises BadInput as `put_practice` does."""
    practice = _repository_of(Variants(scenario).of(code), stopped=True)
    put_practice(folder, practice)
    return practice


def put_practice(folder: Path, practice: Practice) -> None:
    """Make `folder` with BRIEF.md and work/. Raises BadInput where it isn't empty or can't be made.

    Everything is made beside it first and moved in place at the end; a failure leaves nothing.
    """
    check_empty(folder)
    remove_left_over(folder.parent)
    again = begin_again(practice.scenario, practice.history, practice.ids)
    parts = {
        "Begin": beginning(practice.scenario, again),
        "Begin again": beginning_again(again, "Plant it once more"),
        "Stuck?": STUCK,
    }
    brief = File(PLAIN_FILE, with_parts(practice.scenario, parts).encode())
    put_in_place(folder, {**practice.files, BRIEF: brief})


def check_empty(folder: Path) -> None:
    """Raise BadInput where a folder can't be made, since something else is there."""
    if folder.is_symlink() or (folder.exists() and (not folder.is_dir() or any(folder.iterdir()))):
        raise BadInput(
            Problem("this is not an empty folder", "Name a new one; nothing was written.", file=str(folder))
        )


def put_in_place(folder: Path, files: Mapping[str, File]) -> None:
    """Write files as a new folder, whole or not at all; an empty one may be there already. Raises BadInput
    where it can't be."""
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        with folder_in_the_making(folder.parent) as making:
            write_files(making, files)
            making.chmod(0o777 & ~umask())
            settle(making, folder)
    except OSError as error:
        reason = error.strerror or str(error)
        raise BadInput(Problem(f"can't be written: {reason}", file=str(folder))) from None


def write_files(folder: Path, files: Mapping[str, File]) -> None:
    """Write files with Git's modes below a folder."""
    made: set[str] = set()
    for path, file in files.items():
        parent, _, _ = path.rpartition("/")
        if parent not in made:
            os.makedirs(f"{folder}/{parent}", exist_ok=True)  # noqa: PTH103 - asked for every file
            made.add(parent)
        target = f"{folder}/{path}"
        if file.mode == LINK:
            os.symlink(file.data, os.fsencode(target))  # noqa: PTH211
            continue
        how = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0)
        descriptor = os.open(target, how, file.mode & 0o777)
        try:
            write_all(descriptor, file.data)
        finally:
            os.close(descriptor)


def read_files(folder: Path, prefix: str = "") -> Iterator[tuple[str, File]]:
    """Everything below a folder of ours. An index is written anew, without what it remembers of the files
    on this disk."""
    for entry in sorted(os.scandir(folder), key=lambda entry: entry.name):
        path = f"{prefix}{entry.name}"
        if entry.is_symlink():
            yield path, File(LINK, os.fsencode(os.readlink(entry.path)))  # noqa: PTH115
        elif entry.is_dir():
            yield from read_files(Path(entry.path), f"{path}/")
        elif path == f"{WORK}/.git/index":
            yield path, File(PLAIN_FILE, index_file(read_index(Path(entry.path).read_bytes())))
        else:
            mode = 0o100000 | (entry.stat().st_mode & 0o755)
            yield path, File(mode, Path(entry.path).read_bytes())
