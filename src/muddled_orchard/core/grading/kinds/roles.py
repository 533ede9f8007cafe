"""What is found of the roles that a team gives out among its members."""

from __future__ import annotations

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.grading.finding import Kind


class DoneByAnother(Kind, frozen=True):
    """Others of the team did what this member's role has to do."""

    role: str
    names: tuple[str, ...]

    @property
    def said(self) -> str:
        return f"{listed(self.names)} did what {self.role} has to do, which is yours: it earns you nothing."


class DidAnothersTasks(Kind, frozen=True):
    """A member did what another one's role has to do."""

    role: str

    @property
    def said(self) -> str:
        return f"also did what {self.role} has to do, another's: that earns the team's points alone"


class NobodyShownToHaveDone(Kind, frozen=True):
    """Nothing shows who of the team did what a role has to do."""

    role: str

    @property
    def said(self) -> str:
        return f"nothing shows who did what {self.role} has to do: it counts for whoever has that role"
