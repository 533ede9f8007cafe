"""merge: one branch is brought into another."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

from muddled_orchard.core.exercise.operations.operation import (
    SQUASHED,
    Looks,
    Operation,
    Replay,
    without_lines,
)
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.refs import is_on_remote
from muddled_orchard.core.git.under_way import Words

_FAST_FORWARD = {"never": "--no-ff", "only": "--ff-only"}


class Merge(Operation):
    """`git merge`, perhaps with `--squash`, `--no-ff` or `--ff-only`."""

    needs: Words = ("bring",)
    allows: Words = ("fast_forward", "squash")
    result = "merge"
    under_way = "merge"
    says_at_once = True
    why_sides = "Ours is always what is checked out, theirs what comes in."

    def source(self, task: Task) -> str | None:
        """The branch that is merged."""
        return task.bring

    def in_words(self, task: Task, on: str, source: str) -> str:
        """`merge night-shift into main, squashed`."""
        words = f"merge {source} into {on}"
        if task.squash:
            words += ", squashed"
        if task.fast_forward in _FAST_FORWARD:
            words += ", with a merge commit" if task.fast_forward == "never" else ", by fast-forward"
        return words

    def sides(self, task: Task, replayed: str | None) -> tuple[str, str]:
        """The branch that receives the result, and the one that is merged."""
        return f"ours ({task.on})", f"theirs ({self.source(task)})"

    def look_first(self, task: Task, ids: Mapping[str, str]) -> Looks:
        """What each of the two branches has alone."""
        on, source = task.on, self.source(task)
        told = f"Marked with <, what {on} has alone; with >, what {source} has alone:"
        return told, (("log", "--oneline", "--left-right", f"{on}...{source}"),)

    def compare(self, task: Task, sides: tuple[str, str], replay: Replay) -> Iterator[Looks]:
        """What each changed since both parted, and who; a squash merge leaves no `MERGE_HEAD`."""
        ours, theirs = sides
        other = (self.source(task) or "") if task.squash else "MERGE_HEAD"
        yield f"From the commit where both parted (the base) to {ours}:", (("diff", f"{other}...HEAD"),)
        yield f"From there to {theirs}:", (("diff", f"HEAD...{other}"),)
        if not task.squash:
            told = "Who did it, and why? The commits on both sides that touch what conflicts:"
            yield told, (("log", "--merge", "--left-right", "--format=%m %h %an: %s"),)

    def own_words(self, message: str, original: Commit | None) -> str:
        """What is not Git's `Merge branch 'night-shift'`, nor its list of what was squashed."""
        message = re.sub(rf"(?s)^{SQUASHED}.*|^Conflicts:\n(\t.*\n?)*", "", message)
        named = r"Merge (remote-tracking )?(branch|branches|commit|tag) '[^']+'( of \S+)?( into \S+)?"
        return without_lines(message, named)

    def begin(self, task: Task, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`merge --no-ff night-shift`, perhaps with `-m`."""
        how = [_FAST_FORWARD.get(task.fast_forward or ""), "--squash" if task.squash else None]
        message = ("-m", said) if said is not None and not task.squash else ()
        return ("merge", *message, *filter(None, how), self.source(task) or "")

    def fetches_first(self, task: Task) -> bool:
        """Where it is a branch of the remote that is merged."""
        return is_on_remote(self.source(task))

    def go_on(self) -> Words:
        """`commit`, which takes Git's own message."""
        return ("commit",)

    def complete(self, said: str | None, *, emptied: bool) -> Sequence[Words]:
        """`commit`, with Git's own message or another."""
        return (("commit", *(("-m", said) if said is not None else ("--no-edit",))),)
