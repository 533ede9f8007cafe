"""What doesn't fit together in a class, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.course.findings import ClassFinding
from muddled_orchard.show.terminal.characters import printable
from muddled_orchard.show.terminal.plain import Plain


def show_findings(on: Plain, findings: Sequence[ClassFinding]) -> None:
    """A line for each."""
    for finding in findings:
        on.line(f"? {printable(finding.said, on)}.", "doubt")
