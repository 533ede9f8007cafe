"""What markers finds."""

from __future__ import annotations

from muddled_orchard.core.git.commits import short
from muddled_orchard.core.grading.finding import Kind


class NoMarkers(Kind, frozen=True):
    """No marker is left."""

    said = "No conflict marker was left behind."


class MarkersLeft(Kind, frozen=True):
    """Markers are left: the first one, what it is, how it reads, and how many there are."""

    file: str
    line: int
    sign: str
    text: str
    count: int

    @property
    def said(self) -> str:
        more = f", and {self.count - 1} more" if self.count > 1 else ""
        place = f"{self.file}, line {self.line}"
        return f"Conflict markers were left behind: {place}, is {self.sign} ({self.text}){more}."


class MarkersMended(Kind, frozen=True):
    """Markers were committed, and taken out later."""

    file: str
    commit: str

    @property
    def said(self) -> str:
        return f"{self.file} was committed with conflict markers in {short(self.commit)} and mended later."
