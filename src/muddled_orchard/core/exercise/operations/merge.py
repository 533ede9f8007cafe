"""merge: one branch is brought into another."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, Self

from msgspec.structs import replace

from muddled_orchard.core.exercise.planned import Replay
from muddled_orchard.core.exercise.proposed_messages import SQUASHED, without_lines
from muddled_orchard.core.exercise.task import FastForward, Looks, Task
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.under_way import Words

_FAST_FORWARD = {"never": "--no-ff", "only": "--ff-only"}


class Joining(Task, frozen=True, kw_only=True):
    """An operation that joins two branches by a merge."""

    result = "merge"
    under_way = "merge"
    why_sides = "Ours is always what is checked out, theirs what comes in."

    def sides(self, replayed: str | None) -> tuple[str, str]:
        """The branch that receives the result, and the one that is merged."""
        return f"ours ({self.on})", f"theirs ({self.source})"

    def look_first(self, ids: Mapping[str, str]) -> Looks:
        """What each of the two branches has alone."""
        on, source = self.on, self.source
        told = f"Marked with <, what {on} has alone; with >, what {source} has alone:"
        return told, (("log", "--oneline", "--left-right", f"{on}...{source}"),)

    def compare(self, sides: tuple[str, str], replay: Replay) -> Iterator[Looks]:
        """What each changed since both parted, and who; a squash merge leaves no `MERGE_HEAD`."""
        ours, theirs = sides
        other = (self.source) if self.squash else "MERGE_HEAD"
        yield f"From the commit where both parted (the base) to {ours}:", (("diff", f"{other}...HEAD"),)
        yield f"From there to {theirs}:", (("diff", f"HEAD...{other}"),)
        if not self.squash:
            told = "Who did it, and why? The commits on both sides that touch what conflicts:"
            yield told, (("log", "--merge", "--left-right", "--format=%m %h %an: %s"),)

    def own_words(self, message: str, original: Commit | None) -> str:
        """What is not Git's `Merge branch 'night-shift'`, nor its list of what was squashed."""
        message = re.sub(rf"(?s)^{SQUASHED}.*|^Conflicts:\n(\t.*\n?)*", "", message)
        named = r"Merge (remote-tracking )?(branch|branches|commit|tag) '[^']+'( of \S+)?( into \S+)?"
        return without_lines(message, named)

    def go_on(self) -> Words:
        """`commit`, which takes Git's own message."""
        return ("commit",)

    def complete(self, said: str | None, *, emptied: bool) -> Sequence[Words]:
        """`commit`, with Git's own message or another."""
        return (("commit", *(("-m", said) if said is not None else ("--no-edit",))),)


class Merge(Joining, frozen=True, kw_only=True):
    """`git merge`, perhaps with `--squash`, `--no-ff` or `--ff-only`."""

    do: Literal["merge"]
    """The operation."""
    bring: str
    """The branch that is merged into it."""
    fast_forward: FastForward | None = None
    """Whether the branch may, must or must not just be moved on (default: allowed)."""
    squash: bool | None = None
    """Whether the result is to be one plain commit."""

    says_at_once = True

    @property
    def source(self) -> str:
        """The branch that is merged."""
        return self.bring

    def brings(self, source: str) -> Self:
        """The same of a branch at another place."""
        return replace(self, bring=source)

    @property
    def source_key(self) -> str:
        """`bring`."""
        return "bring"

    def phrase(self, on: str, source: str) -> str:
        """`merge night-shift into main, squashed`."""
        words = f"merge {source} into {on}"
        if self.squash:
            words += ", squashed"
        if self.fast_forward in _FAST_FORWARD:
            words += ", with a merge commit" if self.fast_forward == "never" else ", by fast-forward"
        return words

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> Words:
        """`merge --no-ff night-shift`, perhaps with `-m`."""
        how = [_FAST_FORWARD.get(self.fast_forward or ""), "--squash" if self.squash else None]
        message = ("-m", said) if said is not None and not self.squash else ()
        return ("merge", *message, *filter(None, how), self.source)
