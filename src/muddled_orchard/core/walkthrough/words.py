"""What is said in a walkthrough: the sentences that an instructor would say to the class."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.git.lines import Lines, bare
from muddled_orchard.core.key.accepted import AS_WRITTEN, Accepted
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.merging.conflict import Conflict
from muddled_orchard.core.merging.keep import KEEP
from muddled_orchard.core.walkthrough.moved import MovedLine

_MOST_SHOWN = 3


def sides_told(task: Task, ours: str, theirs: str) -> str:
    """Which side is which in an operation, and why; `ours` and `theirs` name them."""
    return f"The sides here: {ours}, and {theirs}. {task.why_sides}"


_KINDS = {
    "modify/delete": "One side changed this file and the other one "
    "deleted it. There are no markers: Git leaves the "
    "changed version there, and waits for you to say whether the file stays (git add) or goes (git rm).",
    "rename/delete": "One side renamed this file and the other one "
    "deleted it. Say whether it stays, under which name.",
    "add/add": "Both sides made a file of this name, so there is no base to compare with.",
    "binary": "This is no text, so Git can't mix the two: take one of them whole.",
    "rename/rename": "Both sides renamed the same file, each to another name. Say which name stays.",
    "file/directory": "One side has a file where the other one has a "
    "folder of that name. One of them has to give way.",
    "file location": "The folder was renamed on one side, and this "
    "file was made in the old one on the other.",
    "distinct modes": "The two sides made different kinds of things "
    "here; Git keeps both under names of their own.",
}


def kind_told(conflict: Conflict) -> str:
    """What a conflict without markers is."""
    sides = {1: "base", 2: "ours", 3: "theirs"}
    there = [sides[stage] for stage in sorted(conflict.stages)]
    about = next(
        (text for kind, text in _KINDS.items() if kind in conflict.kind), "Git can't merge this by itself."
    )
    return f"{conflict.path} ({conflict.kind}): {about} Git has these versions of it: {listed(there)}."


def moved_told(moved: Sequence[MovedLine], side: str) -> str:
    """Where lines stand now that a side took out of the conflict, all into one file."""
    one = len(moved) == 1
    lines, them = ("this line stands", "it") if one else ("these lines stand", "them")
    where = f"line {moved[0].line}" if one else f"from line {min(line.line for line in moved)} on"
    return (
        f"Look where the code has gone: on the side of {side} {lines} in {moved[0].path} now, {where}: "
        f"{_quoted([line.text for line in moved])}. What the other side did to {them} belongs there, too."
    )


def one_side_told(conflict: Conflict, word: str, other: str, text: Lines) -> str:
    """What keeping one side's version of a file costs, by what is lost with the other."""
    hunks = conflict.merged.hunks if conflict.merged else ()
    lost = [
        bare(line).strip()
        for hunk in hunks
        for line in (hunk.theirs if word == "ours" else hunk.ours)
        if line not in text and line not in hunk.base and line.strip()
    ]
    told = f"The whole file is now as on that side. What {other} did is gone"
    if lost:
        told += f": {_quoted(lost)}"
    merged = conflict.merged.resolved([getattr(hunk, word) for hunk in hunks]) if conflict.merged else text
    if merged != text:
        told += "; and with it also what Git had merged by itself, outside the conflict"
    return f"{told}."


BOTH_TOLD = (
    "Only the markers are gone; both sides stand there, one behind the other. "
    "Read it aloud: does it make sense?"
)
"""What is there when both sides are kept."""


def _quoted(lines: Sequence[str]) -> str:
    shown = ", ".join(f'"{line}"' for line in lines[:_MOST_SHOWN])
    return f"{shown} and {len(lines) - _MOST_SHOWN} more" if len(lines) > _MOST_SHOWN else shown


def resolution_told(step: Step, path: str, ways: Sequence[Accepted]) -> str:
    """What is right at a path, in words."""
    if not ways:
        return f"{path}: whatever you decide is right here; we keep ours."
    first = ways[0]
    if first.gone:
        return f"{path}: the file goes."
    if first.whole:
        return f"{path}: the whole version of {_side(step, first.word)} is right."
    if not first.choices:
        return f"{path}: it becomes what stands below."
    words = [choices[0].word for choices in first.choices]
    if len(set(words)) == 1:
        each = "in every hunk " if len(words) > 1 else ""
        return f"{path}: {each}{_kept(step, words[0])}."
    told = "; ".join(f"hunk {number}: {_kept(step, word)}" for number, word in enumerate(words, start=1))
    return f"{path}: {told}."


def _kept(step: Step, word: str) -> str:
    if word == AS_WRITTEN or word not in KEEP:
        return "what is right is written by hand, from both sides"
    parts = [_side(step, part) for part in KEEP[word].parts]
    if not parts:
        return "neither side stays"
    return f"{' and then '.join(parts)} {'stays' if len(parts) == 1 else 'stay'}"


def _side(step: Step, word: str) -> str:
    return {"ours": step.ours_name, "theirs": step.theirs_name}.get(word, "the base, as it was before both,")


def tool_told(ours: str, theirs: str) -> tuple[str, ...]:
    """What a merge tool is given, and how one is set up."""
    return (
        "Many resolve conflicts in a merge tool. git mergetool opens yours, file by file, and hands it four"
        f" files: LOCAL is {ours}, REMOTE is {theirs}, BASE is what both had before. MERGED is the file"
        " itself: what is saved there counts.",
        "A tool is set up once: git config merge.tool mine, and git config mergetool.mine.cmd with its"
        " command, in which $LOCAL, $REMOTE, $BASE and $MERGED stand for the files. Here a prepared command"
        " is the tool.",
    )


TOOL_CLOSED = (
    "The tool was closed without saving. Git sees that the file is as it was, and asks. Say n: the conflict"
    " stays. With y the markers would be staged as they are."
)
TOOL_SAVED = (
    "This time all of LOCAL was saved. Git asks nothing, and stages the file: it counts as resolved. What it"
    " was before lies beside it as .orig. Don't commit that. With git config mergetool.keepBackup false there"
    " is none."
)
TOOL_DELETED = (
    "Where one side deleted the file, no tool opens. Git asks which of both it is; a leaves it as it is."
)
