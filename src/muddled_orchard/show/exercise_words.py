"""How an exercise's conflicts and difficulty are shown."""

from __future__ import annotations

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.key.exercise_summary import ExerciseSummary

LEVEL_STYLES = {"none": "faint", "easy": "good", "medium": "doubt", "hard": "bad"}

HANDED_OUT = {False: "Handed out", True: "Nothing is handed out; an example of how to begin"}
"""What stands above the graph of a story, by whether learners begin with `git init`."""


def conflicts_in_words(summary: ExerciseSummary) -> str:
    """`contents: 3 hunks, modify/delete`."""
    words = [
        f"contents: {counted(summary.hunks, 'hunk')}" if kind == "contents" and summary.hunks else kind
        for kind in summary.kinds
    ]
    return ", ".join(words) or "none"
