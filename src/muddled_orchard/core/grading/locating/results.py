"""The result of one step of a task: where it lies, and how it was made."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from msgspec import Struct

from muddled_orchard.core.grading.locating.matching import Matches

Shape = Literal[
    "merge",
    "reversed",
    "stale",
    "squash",
    "rebase",
    "fast-forward",
    "pending",
    "by hand",
    "moved",
    "none",
    "nothing to do",
    "replayed",
    "skipped",
    "squashed",
    "not reached",
    "popped",
    "dropped",
    "other",
    "given up",
    "carried out",
    "set back",
    "undone",
    "not seen",
]
"""How a task was carried out.

`merge`: as asked, ours first. `reversed`: a merge commit with the sides turned round. `stale`: a merge
of an older commit of the branch. `squash`: a commit without the second parent. `rebase`: the commits
were replayed. `fast-forward`: the branch was moved on, where that was possible. `pending`: an
operation is under way. `by hand`: files were changed, and nothing committed or pending. `moved`: the
branch was set to another commit, and what it had is no longer in it. `none`: nothing was done.
`nothing to do`: the branch had it all before.

Of a commit that is to be replayed: `replayed`; `squashed`, when it became a part of another one that nobody
asked for; `skipped`, when it is not there; `not reached`, when the operation stopped before it; `popped`, the
stashed work in the working tree; `dropped`, when it was thrown away instead; `other`, when something else was
done than what was asked.

Of an operation that is to be given up: `given up`, or `carried out`. Of a branch that is to be set back:
`set back`, or `undone`, when further commits undo what was to go. `not seen`: what would tell is not in a
bundle or a push.
"""


class Result(Struct, frozen=True, kw_only=True):
    """Where one step's result lies: of a merge, or of one replayed commit.

    `ours` and `theirs` are the learner's commits that met, turned the way the task asks; `result_commit` the
    commit that brought them together; `judged_commit` the commit at which the content is judged, None where
    it is the working tree; `branch` the branch that holds it, None for a detached HEAD. `pending` is of what
    kind the operation is that is under way, `sides_swapped` whether its sides are; `base_commit` is what
    replayed commits stand on, `matches` how all of the operation's commits were matched. `leaves_commit`: a
    new commit is to come of the step, which can be read.
    """

    shape: Shape
    ours: str
    theirs: str
    result_commit: str | None = None
    judged_commit: str | None = None
    branch: str | None = None
    pending: str = ""
    sides_swapped: bool = False
    base_commit: str | None = None
    matches: Matches | None = None
    leaves_commit: bool = True

    @property
    def in_working_tree(self) -> bool:
        """Whether the content is judged in the working tree."""
        return self.shape in ("pending", "by hand", "popped")

    @property
    def done(self) -> bool:
        """Whether there is a committed result."""
        return self.judged_commit is not None


def stopped_at(shapes: Sequence[Shape]) -> int | None:
    """The step, from 1, at which or before which an operation stopped that is under way; None without one."""
    stops = (n for n, shape in enumerate(shapes, start=1) if shape in ("pending", "not reached"))
    return next(stops, None)
