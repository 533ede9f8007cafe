"""What Git proposes as a commit's message, and what of a message is left without it."""

from __future__ import annotations

import re

SQUASHED = "Squashed commit of the following:"
"""The subject that Git proposes for a squash merge; what follows it lists what comes in."""


def without_lines(message: str, pattern: str) -> str:
    """A message without the lines that match a pattern as a whole, and without comments."""
    lines = (line for line in message.splitlines() if not re.fullmatch(pattern, line.strip()))
    return "\n".join(line for line in lines if not line.startswith("#")).strip()
