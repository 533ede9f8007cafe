"""What rules finds."""

from __future__ import annotations

from muddled_orchard.core.grading.finding import Kind


class NoRules(Kind, frozen=True):
    """The scenario has no rules."""

    said = "This scenario has no rules of its own."


class RulesNotRun(Kind, frozen=True):
    """The scenario's rules run commands, and that was not asked for."""

    count: int

    @property
    def said(self) -> str:
        them = "A command" if self.count == 1 else f"{self.count} commands"
        return f"{them} would have to be run over the result (grade --run-rules)."


class CommandFailed(Kind, frozen=True):
    """A command of a rule did not end with 0; `what` says how it ended, `why` is the author's reason."""

    command: str
    what: str
    why: str

    @property
    def said(self) -> str:
        why = f" {self.why.strip()}" if self.why else ""
        return f"{self.command}: {self.what}.{why}"


class RulesUndecided(Kind, frozen=True):
    """Whether its rules hold can't be decided."""

    said = "Whether the scenario's own checks hold can't be decided; a person has to look."


class RulesHold(Kind, frozen=True):
    """All of them hold."""

    said = "The scenario's own checks hold."


class RuleBroken(Kind, frozen=True):
    """One does not: `what` are the words of the rule, `why` those of its author."""

    file: str
    line: int | None
    what: str
    why: str

    @property
    def said(self) -> str:
        place = f"{self.file}, line {self.line}" if self.line else self.file
        return f"{place}: {self.what}.{f' {self.why}' if self.why else ''}"
