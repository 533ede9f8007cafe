"""What history finds."""

from __future__ import annotations

from muddled_orchard.core.git.commits import short
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.wording import names_of


class NothingToCommit(Kind, frozen=True):
    """No task leaves a commit."""

    said = "Nothing had to be committed."


class MergedTooEarly(Kind, frozen=True):
    """A branch was merged before one that was asked for earlier."""

    branch: str
    before: str

    @property
    def said(self) -> str:
        return f"{self.branch} was merged before {self.before}; it was to come after."


class MergeInstead(Kind, frozen=True):
    """There is a merge commit where a replay was asked; `asked` is that in its operation's words."""

    asked: str

    @property
    def said(self) -> str:
        return f"There is a merge commit; the task was to {self.asked}."


class BegunAndGivenUp(Kind, frozen=True):
    """An operation was begun and given up, as asked."""

    asked: str

    @property
    def said(self) -> str:
        return f"It was begun and given up, and all is as before: {self.asked}."


class NotGivenUp(Kind, frozen=True):
    """An operation that was to be given up was carried out."""

    asked: str

    @property
    def said(self) -> str:
        return f"It was carried out, and was to be given up: {self.asked}."


class StillUnderWay(Kind, frozen=True):
    """An operation that was to be given up is under way."""

    asked: str

    @property
    def said(self) -> str:
        return f"It was begun and is still under way: {self.asked}."


class NoReflog(Kind, frozen=True):
    """There is no reflog, which alone shows what was begun and given up."""

    asked: str

    @property
    def said(self) -> str:
        return f"Only a reflog shows whether this was done, and none was handed in: {self.asked}."


class SetBack(Kind, frozen=True):
    """A branch stands at the commit where it was to stand."""

    on: str
    commit: str

    @property
    def said(self) -> str:
        return f"{self.on} stands at {short(self.commit)} again."


class UndoneInstead(Kind, frozen=True):
    """Further commits undo what was to be taken out of a branch."""

    on: str
    asked: str

    @property
    def said(self) -> str:
        undone = f"Further commits on {self.on} undo it, so it is still in the history"
        return f"{undone}; the task was to {self.asked}."


class SetElsewhere(Kind, frozen=True):
    """A branch stands neither where it stood nor where it was to stand."""

    on: str
    asked: str

    @property
    def said(self) -> str:
        return f"{self.on} stands at another commit; the task was to {self.asked}."


class NeverBegun(Kind, frozen=True):
    """A replay was never begun."""

    asked: str

    @property
    def said(self) -> str:
        return f"It was never begun: {self.asked}."


class NotSquashed(Kind, frozen=True):
    """A merge commit where one plain commit was asked."""

    commit: str

    @property
    def said(self) -> str:
        return f"{short(self.commit)} is a merge commit; one plain commit was asked for (--squash)."


class NotFastForward(Kind, frozen=True):
    """A merge commit where a fast-forward was asked."""

    commit: str

    @property
    def said(self) -> str:
        return f"{short(self.commit)} is a merge commit; a fast-forward was asked for."


class MovedOn(Kind, frozen=True):
    """A fast-forward; `asked`: it was not to be one."""

    on: str
    source: str
    merge_asked: bool

    @property
    def said(self) -> str:
        if self.merge_asked:
            return f"{self.on} was only moved on to {self.source}; a merge commit was asked for (--no-ff)."
        return f"{self.on} was moved on to {self.source}; nothing had to be merged."


class MovedOnUnsquashed(Kind, frozen=True):
    """A branch was only moved on, and one commit of all that the other has was asked for."""

    on: str
    source: str

    @property
    def said(self) -> str:
        return f"{self.on} was moved on to {self.source}; one plain commit was asked for (--squash)."


class WrongWayRound(Kind, frozen=True):
    """The branch was merged into the one that was to be merged."""

    commit: str
    on: str
    source: str

    @property
    def said(self) -> str:
        on, source = self.on, self.source
        return (
            f"The merge went the wrong way round: {short(self.commit)} merges {on} into {source}, "
            f"and {source} was to be merged into {on}."
        )


class OlderMerged(Kind, frozen=True):
    """An older commit of the branch was merged."""

    commit: str
    source: str

    @property
    def said(self) -> str:
        return f"{short(self.commit)} merges an older commit of {self.source}, not its tip."


class SquashMerged(Kind, frozen=True):
    """The branch came in as one plain commit; `asked`: as it was to."""

    commit: str
    on: str
    source: str
    asked: bool

    @property
    def said(self) -> str:
        commit, on, source = short(self.commit), self.on, self.source
        if self.asked:
            return f"{commit} brings {source} into {on} as one commit."
        return (
            f"{commit} has no second parent: for Git, {source} was never merged into {on}. "
            "It was squashed or copied."
        )


class RebasedInstead(Kind, frozen=True):
    """The commits were rebased where a merge was asked."""

    on: str
    source: str

    @property
    def said(self) -> str:
        return (
            f"The commits were copied, by a rebase or picks; {self.source} was to be merged into {self.on}."
        )


class NoMergeYet(Kind, frozen=True):
    """The merge is under way; `sides_swapped`: the wrong way round."""

    on: str
    source: str
    sides_swapped: bool

    @property
    def said(self) -> str:
        way = f" It goes the wrong way round: {self.on} into {self.source}." if self.sides_swapped else ""
        return f"There is no merge commit yet.{way}"


class BranchReset(Kind, frozen=True):
    """The branch was set to a commit that lacks what it had."""

    commit: str
    on: str
    source: str

    @property
    def said(self) -> str:
        sentence = f"{self.on} was set to {short(self.commit)}, and what it had is no longer in it; "
        return f"{sentence}{self.source} was to be merged into {self.on}."


class MergedByHand(Kind, frozen=True):
    """Files were changed, and nothing was merged."""

    said = "There is no merge: files were changed by hand."


class NeverMerged(Kind, frozen=True):
    """Nothing of the merge is there."""

    on: str
    source: str

    @property
    def said(self) -> str:
        return f"{self.source} was never merged into {self.on}."


class RewrittenBefore(Kind, frozen=True):
    """The merge is right, and its branch was rewritten before."""

    commit: str
    on: str
    source: str

    @property
    def said(self) -> str:
        return f"{short(self.commit)} merges {self.source}, but {self.on} was rewritten before."


class AlsoMerged(Kind, frozen=True):
    """The merge commit has further parents."""

    commit: str
    source: str
    names: tuple[str, ...]
    count: int

    @property
    def said(self) -> str:
        return f"{short(self.commit)} merges {names_of(self.names, self.count)} besides {self.source}."


class CameInWith(Kind, frozen=True):
    """A branch came in with another one that it had been merged into."""

    commit: str
    source: str
    other: str

    @property
    def said(self) -> str:
        came = f"{self.source} came in with {self.other}, by {short(self.commit)}"
        return f"{came}; it was to be merged by itself."


class Merged(Kind, frozen=True):
    """As asked. `moved_on`: the other branch had further commits by then; `in_parts`: an older commit of it
    was merged first."""

    commit: str
    on: str
    source: str
    moved_on: bool
    in_parts: bool

    @property
    def said(self) -> str:
        more = f" ({self.source} had moved on before)" if self.moved_on else ""
        more += ", after an older commit of it" if self.in_parts else ""
        return f"{short(self.commit)} merges {self.source} into {self.on}{more}."


class MadeElsewhere(Kind, frozen=True):
    """The commit is right, and on another branch (None: on none). `squash`: it is no merge commit."""

    commit: str
    branch: str | None
    on: str
    squash: bool

    @property
    def said(self) -> str:
        what = "commit" if self.squash else "merge commit"
        beginning = f"The {what} {short(self.commit)} is right, but "
        if self.branch is None:
            where = "no branch has it: it was made on a detached HEAD"
            return f"{beginning}{where}, and {self.on} did not receive it."
        return f"{beginning}it is on {self.branch}; {self.on} did not receive it."
