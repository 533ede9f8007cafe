"""A scenario file of an operation that a real history has, or of two of its branches."""

from __future__ import annotations

import base64
from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime

import tomlkit
from tomlkit.items import InlineTable

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.exercise.scenario import Answer
from muddled_orchard.core.git.lines import by_lines, lines_of
from muddled_orchard.core.git.trees import EXECUTABLE, LINK, File, Files
from muddled_orchard.core.gleaning.exercise import StoryCommit, TakenExercise
from muddled_orchard.core.key.answer_from_text import changes_between
from muddled_orchard.files.scenarios.drafts import Draft, change_table, draft_text, text_of_toml

_ASKED: Mapping[str, Callable[[str, str], str]] = {
    "merge": lambda on, source: f"Merge `{source}` into `{on}`.",
    "rebase": lambda on, source: f"Rebase `{on}` onto `{source}`.",
    "cherry-pick": lambda on, source: f"Copy the newest commit of `{source}` to `{on}`.",
    "revert": lambda on, _: f"Undo the second commit of `{on}` by a new one.",
}
_TASKS: Mapping[str, Callable[[str, str], dict[str, object]]] = {
    "merge": lambda on, source: {"do": "merge", "on": on, "bring": source},
    "rebase": lambda on, source: {"do": "rebase", "on": on, "onto": source},
    "cherry-pick": lambda on, _: {"do": "cherry-pick", "on": on, "pick": ["work"]},
    "revert": lambda on, _: {"do": "revert", "on": on, "undo": "work"},
}

REMARKS = (
    "Made of a real history ({what}). What a person has to think about:",
    "- title and brief: what happened, and what is wanted; never the answer",
    "- why in each answer: the reason that learners read after grading",
    "- whether its texts may be shown: names, addresses, links, licences",
)


def history_scenario(
    taken: TakenExercise,
    title: str,
    cast: Mapping[str, tuple[str, str]],
    answers: Sequence[Answer] = (),
    open_: Sequence[str] = (),
    *,
    dates: bool = False,
) -> str:
    """The text of the scenario file. `cast` has the name and the person that each author becomes; with
    `dates` every commit has its own."""
    conflicting = listed(sorted({answer.file for answer in answers}), 4)
    where = f" ({conflicting})" if conflicting else ""
    asked = _ASKED[taken.how](taken.on, taken.source)
    lead = f"{asked} Say here what happened, and who is right about what{where}.\n"
    story: list[Mapping[str, object]] = []
    before: dict[str, Files] = {}
    for commit in taken.story:
        base = before.get(commit.branch, before.get(commit.grows_from, {}))
        story.append(_entry(commit, base, cast, dates=dates))
        before[commit.branch] = commit.files
    return draft_text(
        Draft(
            remarks=[remark.format(what=taken.what) for remark in REMARKS],
            title=title,
            brief=lead,
            keys={"starts": datetime.fromtimestamp(taken.story[0].time, UTC)} if dates else {},
            cast=dict(cast.values()),
            story=story,
            task=_TASKS[taken.how](taken.on, taken.source),
            answers=answers,
            open_=open_,
        )
    )


def _entry(
    commit: StoryCommit, before: Files, cast: Mapping[str, tuple[str, str]], *, dates: bool
) -> dict[str, object]:
    entry: dict[str, object] = {"on": commit.branch}
    if commit.grows_from:
        entry["from"] = commit.grows_from
    entry["by"] = cast[commit.author][0]
    if dates:
        entry["at"] = datetime.fromtimestamp(commit.time, UTC)
    if commit.label:
        entry["label"] = commit.label
    entry["message"] = text_of_toml(commit.message)
    return entry | _edits(before, commit.files)


def _edits(before: Files, after: Files) -> dict[str, object]:
    """What makes some files into others, as an entry of a story says it."""
    renamed, start = _renamed(before, after)
    write, binary, link = tomlkit.table(), tomlkit.table(), tomlkit.table()
    change: list[InlineTable] = []
    executable = []
    remove = sorted(path for path in start if path not in after)
    for path, file in sorted(after.items()):
        old = start.get(path)
        if old == file:
            continue
        if old is not None and old.mode != file.mode and (file.mode != EXECUTABLE or old.mode == LINK):
            remove.append(path)  # a mode is kept else
            old = None
        if file.mode == EXECUTABLE and (old is None or old.mode != EXECUTABLE):
            executable.append(path)
        if old is not None and old.data == file.data:
            continue
        if file.mode == LINK:
            link.add(path, text_of_toml(file.data.decode("utf-8", "surrogateescape")))
        elif not _is_text(file.data):
            binary.add(path, base64.b64encode(file.data).decode())
        elif (edits := _changes(path, old, file)) is not None:
            change += edits
        else:
            write.add(path, text_of_toml(file.data.decode()))
    edits_of: dict[str, object] = {
        "rename": renamed, "remove": remove, "write": write, "binary": binary, "link": link,
        "change": change, "executable": executable,
    }  # fmt: skip
    return {key: value for key, value in edits_of.items() if value}


def _renamed(before: Files, after: Files) -> tuple[InlineTable, Files]:
    """Files that have another name, and are as they were or nearly so, and all files as they are called
    then."""
    gone = {path: file for path, file in before.items() if path not in after}
    renamed = tomlkit.inline_table()
    start = dict(before)
    for path, file in sorted(after.items()):
        old = next((name for name, one in gone.items() if _is_alike(one, file)), None)
        if path not in before and old is not None:
            renamed.add(old, path)
            start[path] = start.pop(old)
            del gone[old]
    return renamed, start


def _is_alike(old: File, new: File) -> bool:
    """Whether a file may be another one under a new name."""
    if old.mode != new.mode or not old.data or not new.data:
        return False
    return old == new or 2 * len({*lines_of(old.data)} & {*lines_of(new.data)}) > len({*lines_of(old.data)})


def _changes(path: str, old: File | None, new: File) -> list[InlineTable] | None:
    """The edits of a file, where they say it more briefly than the whole text does."""
    if old is None or not _is_text(old.data) or old.mode == LINK:
        return None
    found = changes_between([lines_of(old.data)], [lines_of(new.data)])
    if not found:
        return None
    words = (getattr(change, word) for change in found for word in ("find", "after", "before", "put"))
    length = sum(len(text or "") for text in words)
    return [change_table(change, path) for change in found] if length < len(new.data) else None


def _is_text(data: bytes) -> bool:
    try:
        text = data.decode()
    except UnicodeDecodeError:
        return False
    return by_lines(data) and not any(sign < " " and sign not in "\t\n\r\f" for sign in text)
