"""Where a learner stands, as JSON."""

from __future__ import annotations

from muddled_orchard.core.submission.peek import Peek
from muddled_orchard.reports.json.outputs import PeekFile
from muddled_orchard.reports.json.text import json_text


def peek_file(peek: Peek) -> str:
    """One object: what is going on, what is left, what to type (as lists of words, with paths from the top of
    the working tree)."""
    data: PeekFile = {
        "format": 1,
        "done": peek.done,
        "doing": peek.doing,
        "ours": peek.ours,
        "theirs": peek.theirs,
        "knows_tasks": peek.knows_tasks,
        "left": [{"where": item.where, "what": item.what, "work": item.work} for item in peek.left],
        "next": [
            {"command": list(item.command), "why": item.why, "instead": item.instead}
            for item in peek.commands
        ],
        "back": list(peek.back),
    }
    return json_text(data)
