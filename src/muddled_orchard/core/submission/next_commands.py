"""What a learner may type next, by where they stand."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence

from msgspec import Struct

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.exercise.asked import Asked
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.git.under_way import UNDER_WAY, Words
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.left_to_do import LeftToDo, is_stray
from muddled_orchard.core.submission.to_do import ToDo


class Next(Struct, frozen=True):
    """Something to type: a command, word by word (none where files are to be edited), and a few words on it.
    `instead`: it stands in the place of the one before it."""

    command: Words
    why: str
    instead: bool = False


ANEW: Mapping[str, str] = {
    "am": "to begin again: --3way merges where a patch does not apply",
    "left": "to be without it; what you edited there goes with it",
}
"""What giving up is for, by what is under way that can't be completed."""


def give_up(kind: str, tasks: Sequence[ToDo], why: str, *, anew: bool) -> Iterator[Next]:
    """Give up what is under way; `anew`: begin what was asked."""
    yield Next(UNDER_WAY[kind].give_up, why)
    if anew:
        yield from (Next(command, why) for command, why in first_open(tasks).commands)


def first_open(tasks: Sequence[ToDo]) -> ToDo:
    """The first task for which something is to be typed."""
    nothing = ToDo(number=0, task="", missing="", commands=())
    return next((task for task in tasks if task.commands), nothing)


def commands_at(
    evidence: Evidence,
    kind: str,
    left: Sequence[LeftToDo],
    tasks: Sequence[ToDo],
    asked: Asked | None,
    *,
    popped: bool,
    ends_on: str = "",
) -> Iterator[Next]:
    """The commands that lead on from where a learner stands, in the order in which they are to be typed.
    `kind` is what is under way, `left` what is left to do, `tasks` those that are open; `popped`: a stash
    was, and Git kept it. `ends_on` is the branch that is checked out in the end."""
    # What is staged goes with the file; the others are in it, or in what was committed of it.
    marked = list(dict.fromkeys(item.file for item in left if item.kind in ("marker", "committed marker")))
    first = first_open(tasks)
    # What something that was given up left in files: a commit of it would be one more.
    abandoned = not kind and not popped and bool(first.commands)
    abandoned = abandoned and (first.anew or any(item.kind == "marker" for item in left))
    if evidence.unmerged:
        yield from _resolve(evidence, marked)
    elif abandoned:
        marked = []
    elif marked and not first.takes_back:
        yield Next((), "take the marker lines out")
        yield Next(("git", "add", "--", *marked), "to stage what you mended")
    if evidence.pending is not None and evidence.pending.committed:
        yield from _at_rest(evidence, left, marked, aside=False)
        yield Next(UNDER_WAY[kind].go_on, "to go on with the next")
        return
    if kind in ("cherry-pick", "revert", "am") and not any(
        item.kind in ("unmerged", "staged", "changed") or is_stray(evidence, item) for item in left
    ):
        yield Next(("git", kind, "--skip"), "to leave it out: nothing is left of it")
        return
    if kind and UNDER_WAY[kind].go_on:
        yield from _to_stage(evidence, left, {*marked, *(asked.work if asked is not None else ())})
        yield Next(UNDER_WAY[kind].go_on, "then, to complete it" if evidence.unmerged else "to complete it")
        return
    if kind == "left":
        yield Next(("git", "commit"), "then, to have it in a commit")
        return
    if kind == "stash-pop" or popped:
        yield Next(("git", "stash", "drop"), "when all of it is here")
        if popped:
            yield Next(("git", "stash", "pop"), "if it is not", instead=True)
        return
    yield from _at_rest(evidence, left, [] if first.takes_back else marked, aside=abandoned)
    yield from (Next(command, why) for command, why in first.commands)
    if asked is not None and any(item.kind == "elsewhere" for item in left):
        yield Next(("git", "switch", ends_on), "to be where the last task ends")
    if any(item.kind == "stash" and item.work for item in left):
        yield Next(("git", "stash", "show", "-p"), "to see what is in it")
        yield Next(("git", "stash", "drop"), "if it is of no use any more")
        yield Next(("git", "stash", "pop"), "if it is", instead=True)


def _to_stage(evidence: Evidence, left: Sequence[LeftToDo], but: Collection[str]) -> Iterator[Next]:
    """What to stage before what is under way goes on, `but` for some files."""
    if changed := [item.file for item in left if item.kind == "changed" and item.file not in but]:
        yield Next(("git", "add", "--", *changed), "to stage what you changed")
    # A file that one side deleted is unknown to Git after a reset.
    if strays := [item.file for item in left if is_stray(evidence, item)]:
        yield Next(("git", "add", "--", *strays), "if it is to stay")
        yield Next(("rm", "--", *strays), "if it is to go", instead=True)


def _resolve(evidence: Evidence, marked: Sequence[str]) -> Iterator[Next]:
    """How to get rid of unmerged paths."""
    stages: dict[str, set[int]] = {}
    for entry in evidence.index:
        if entry.stage:
            stages.setdefault(entry.path, set()).add(entry.stage)
    there = evidence.working or {}
    if marked:
        yield Next((), "keep what is right in each place, and take the marker lines out")
    both = [path for path, found in sorted(stages.items()) if {2, 3} <= found and path in there]
    if both:
        yield Next(("git", "add", "--", *both), "when a file is as it should be")
    for path in (path for path in sorted(stages) if path not in both):
        if path in there:
            yield Next(("git", "add", "--", path), "to keep the file")
        yield Next(("git", "rm", "--", path), "to let it go", instead=path in there)


def _at_rest(
    evidence: Evidence, left: Sequence[LeftToDo], marked: Sequence[str], *, aside: bool
) -> Iterator[Next]:
    """What to do where no operation is under way; `aside`: what is not committed is of no use here."""
    backups = [item.file for item in left if item.kind == "backup"]
    if backups:
        yield Next(("rm", "--", *backups), "if you don't need it any more")
    committed = [item.file for item in left if item.kind == "committed backup"]
    if committed:
        yield Next(("git", "rm", "--", *committed), "to take it out of what is committed")
    changed = [item.file for item in left if item.work and item.kind == "changed"]
    changed = [path for path in changed if path not in marked]
    staged = any(item.work and item.kind == "staged" for item in left)
    nowhere = evidence.head is None and not evidence.bisecting  # a commit here would be on no branch
    new = any(is_stray(evidence, item) for item in left)
    if (aside and (changed or staged or new)) or (nowhere and (changed or staged)):
        why = "begun (git stash drop, once all is done)" if aside else "not committed (git stash pop)"
        more = ("--include-untracked",) if aside and new else ()
        yield Next(("git", "stash", *more), f"to put aside what {'was' if aside else 'is'} {why}")
        changed, staged = [], False
    if changed:
        yield Next(("git", "add", "--", *changed), "to stage it")
        # `git restore` would throw it away, and nothing else has it.
        yield Next(("git", "stash"), "to put it aside until all is done (git stash pop)", instead=True)
    if changed or marked or committed or staged:
        yield Next(("git", "commit"), "to commit what is staged")
    if evidence.bisecting:
        yield Next(("git", "bisect", "reset"), "to end it, and be where you began")
    elif evidence.head is None:
        branches = [name.split("/", 2)[2] for name in evidence.refs if name.startswith(BRANCHES)]
        if branches:
            yield Next(("git", "switch", branches[0]), f"to be on a branch again ({listed(branches)})")
