"""What doesn't fit together in a class, in the terminal."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.course.findings import ClassFinding
from muddled_orchard.show.terminal.plain import Plain, show_item


def show_findings(on: Plain, findings: Sequence[ClassFinding]) -> None:
    """A line for each."""
    for finding in findings:
        show_item(on, "?", f"{finding.said}.", "doubt")
