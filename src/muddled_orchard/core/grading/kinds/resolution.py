"""What resolution finds."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import all_of, brief, counted, was
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.merging.keep import KEEP, choice_of


class NothingConflicts(Kind, frozen=True):
    """The scenario has no conflict."""

    said = "Nothing conflicts in this scenario."


class KeyIsSilent(Kind, frozen=True):
    """The key accepts nothing for any conflict."""

    said = "The key accepts nothing for these conflicts; a person has to look."


class AllResolved(Kind, frozen=True):
    """Every conflict is resolved as accepted."""

    count: int

    @property
    def said(self) -> str:
        them = "The conflict is" if self.count == 1 else f"{all_of(self.count)} conflicts are"
        return f"{them} resolved as the key accepts."


class ConflictWrong(Kind, frozen=True):
    """One conflict that is not, or is worth only a part: what was kept, and what the key accepts, as in
    HunkResult. `whole`: it is a whole path."""

    file: str
    line: int | None
    subject: str | None
    renamed: str | None
    left_at: str | None
    whole: bool
    kept: str
    accepted: Sequence[str]
    together: Sequence[Sequence[str]]
    ours: str
    theirs: str
    worth: float = 0.0

    @property
    def said(self) -> str:
        where = f"{self.file}, line {self.line}" if self.line else self.file
        if self.subject:
            where += f' (of "{brief(self.subject)}")'
        if self.renamed:
            where += f", now {self.renamed}"
        part = f", which earns {100 * self.worth:g} % of its points" if self.worth else ""
        sentence = f"{where}: {_kept(self)}{part}{_wanted(self)}."
        other = {"ours": "theirs", "theirs": "ours"}.get(self.kept)
        if other in self.accepted and "new base" in self.ours:
            sentence += (
                " In a rebase ours is the new base, and theirs is your own commit: "
                "this is exactly the other way round than wanted."
            )
        return sentence


class MoreWrong(Kind, frozen=True):
    """Further conflicts are not right."""

    count: int

    @property
    def said(self) -> str:
        return f"And {counted(self.count, 'more conflict')}."


class NeverMet(Kind, frozen=True):
    """Conflicts that were never come to."""

    count: int

    @property
    def said(self) -> str:
        return f"{counted(self.count, 'conflict')} {was(self.count)} never met."


def _wanted(conflict_wrong: ConflictWrong) -> str:
    if conflict_wrong.left_at:
        return f"; wanted: {conflict_wrong.file}"
    if conflict_wrong.kept == "unresolved":
        return ""
    if conflict_wrong.together:
        ways = "; or ".join(
            " and ".join(_side(conflict_wrong, word) for word in way) for way in conflict_wrong.together
        )
        return f"; wanted, hunk by hunk: {ways}"
    if conflict_wrong.accepted:
        return f"; wanted: {' or '.join(_side(conflict_wrong, word) for word in conflict_wrong.accepted)}"
    return ""


def _kept(conflict_wrong: ConflictWrong) -> str:
    if conflict_wrong.left_at:
        return f"it lies at {conflict_wrong.left_at}, where one of the sides had it"
    if conflict_wrong.kept == "unresolved" and conflict_wrong.whole:
        return "the conflict is still there, neither side was chosen"
    swapped = "+".join(reversed(conflict_wrong.kept.split("+")))
    order = (
        " in the wrong order" if swapped != conflict_wrong.kept and swapped in conflict_wrong.accepted else ""
    )
    choice = choice_of(conflict_wrong.kept)
    told = choice.told if choice else f"{conflict_wrong.kept} was kept"
    return told.format(ours=conflict_wrong.ours, theirs=conflict_wrong.theirs, order=order)


def _side(conflict_wrong: ConflictWrong, word: str) -> str:
    """A word of the key with the branches that it means here."""
    if word == "gone":
        return "no such file"
    names = {"ours": conflict_wrong.ours, "theirs": conflict_wrong.theirs}
    return " and then ".join(names.get(part, part) for part in word.split("+")) if word in KEEP else word
