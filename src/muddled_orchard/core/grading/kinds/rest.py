"""What rest finds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.trees import kind_of
from muddled_orchard.core.grading.finding import Kind


class CameThrough(Kind, frozen=True):
    """Nothing outside the conflicts was changed."""

    said = "Everything that did not conflict came through as it should."


class Departures(Kind, frozen=True):
    """Places outside the conflicts that are not as they should be.

    `group`: `beyond`, more than a hunk had to be changed; `clean`, what merges cleanly had to be; `lost`,
    what `side` changed was lost; `further`, it was lost in a conflict that the key does not have; `changed`,
    all else. Each of `places` has a path, a line (or None), a text,
    and `what`: `missing`, `back`, `left`, `new`, `deleted`, `added`, `changed`, `executable`, `plain`, or the
    two modes of another kind of entry.
    """

    group: Literal["beyond", "clean", "lost", "further", "changed"]
    side: str | None
    places: Sequence[Sequence[Any]]
    count: int

    @property
    def said(self) -> str:
        beginning = {
            "beyond": "Here more than the hunk had to be changed, and that was not",
            "clean": "This merges cleanly and had to be changed all the same",
            "lost": f"What {self.side} changed outside the conflict was lost",
            "further": f"What {self.side} changed was lost in a further conflict that an earlier choice "
            "led to",
            "changed": "Something outside the conflict was changed",
        }[self.group]
        more = [f"and {self.count - len(self.places)} more"] if self.count > len(self.places) else []
        return f"{beginning}: {'; '.join([*(_departure(*place) for place in self.places), *more])}."


class NothingOfSide(Kind, frozen=True):
    """Nothing of a side came in."""

    side: str

    @property
    def said(self) -> str:
        return f"Nothing of {self.side} came in at all, as with git merge -s ours."


class WholeFileOfSide(Kind, frozen=True):
    """A whole file is a side's."""

    file: str
    side: str

    @property
    def said(self) -> str:
        return f"The whole of {self.file} was taken from {self.side}."


class OtherParent(Kind, frozen=True):
    """A merge was undone as seen from a parent that was not asked for; parents count from 1."""

    commit: str
    parent: int
    asked: int

    @property
    def said(self) -> str:
        how = f"what the merge brought to its parent {self.parent} (git revert -m {self.parent})"
        wanted = f"what it brought to parent {self.asked} was to go (-m {self.asked})"
        return f"{short(self.commit)} takes back {how}; {wanted}."


class PickedToo(Kind, frozen=True):
    """A commit was picked that was not to be."""

    commit: str
    subject: str

    @property
    def said(self) -> str:
        return f'"{self.subject}" was picked, too ({short(self.commit)}), and was not to be.'


_OF_LINES = {"missing": "is missing", "back": "came back", "left": "is still there"}


def _departure(path: str, line: int | None, text: str, what: Any) -> str:
    if not isinstance(what, str):
        now, wanted = what
        return f"{path} is {kind_of(now).name} now, and was {kind_of(wanted).name}"
    whole = {
        "deleted": "was deleted",
        "added": "was added",
        **({} if text or line else {"missing": "is missing", "left": "is still there"}),
        "changed": "was changed",
        "executable": "is executable now",
        "plain": "is not executable any more",
    }
    if what in whole:
        return f"{path} {whole[what]}"
    place = f"{path}, line {line}" if line else path
    shown = f'"{text.strip()[:50]}"' if text.strip() else "a blank line"
    return f"{place}: {shown} {_OF_LINES.get(what, 'is new')}"
