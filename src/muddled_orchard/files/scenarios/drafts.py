"""A scenario file that is begun from something that is there: its text, and the answers that make its merges
come out as they are wanted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

import tomlkit
from msgspec import Struct
from tomlkit.items import AoT, InlineTable, String, StringType, Trivia

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.exercise.scenario import Answer, AnswerChange, KeepHunk
from muddled_orchard.core.exercise.values import verbatim
from muddled_orchard.core.git.lines import lines_of
from muddled_orchard.core.git.trees import Blob
from muddled_orchard.core.key.answer_from_text import changes_between, kept_and_changed
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.merging.conflict import STAGE, Conflict

_HOW_TO_ANSWER = (
    "# Still to be written: what is right where the sides conflict. Take the # away below, and say it with",
    "# one word a hunk in keep: ours, theirs, ours+theirs, theirs+ours, base, neither, or other lines as in",
    '# { text = "..." }. In place of keep there may be text (the whole file), side, or gone = true.',
)


class Draft(Struct, frozen=True, kw_only=True):
    """A scenario file to be written: remarks that stand first, title and brief, further keys, the tables of
    cast, story and tasks as TOML has them, the answers, and the beginnings of answers that are still to be
    written."""

    remarks: Sequence[str]
    title: str
    brief: str
    keys: Mapping[str, object] = {}
    cast: Mapping[str, str] = {}
    story: Sequence[Mapping[str, object]]
    task: Mapping[str, object]
    answers: Sequence[Answer] = ()
    open_: Sequence[str] = ()


def draft_text(draft: Draft) -> str:
    """The text of the file; it ends with what is still to be written."""
    document = tomlkit.document()
    for remark in draft.remarks:
        document.add(tomlkit.comment(remark))
    document.add("title", tomlkit.item(draft.title))
    document.add("brief", lines_of_toml(draft.brief))
    for key, value in draft.keys.items():
        document.add(key, tomlkit.item(value))
    if draft.cast:
        cast = tomlkit.table()
        for name, person in draft.cast.items():
            cast.add(name, person)
        document.add("cast", cast)
    document.add("story", _tables(draft.story))
    document.add("task", _tables([draft.task]))
    if draft.answers:
        document.add("answer", _tables([_answer(answer) for answer in draft.answers]))
    text = tomlkit.dumps(document)
    return text + _still_to_be_written(draft.open_) if draft.open_ else text


def _still_to_be_written(conflicts: Sequence[str]) -> str:
    lines = ["", *_HOW_TO_ANSWER]
    for conflict in conflicts:
        lines += ["#", "# [[answer]]", *(f"# {line}" for line in conflict.split("\n"))]
        lines += ['# why = "Say here why; it is shown after grading."']
    return "\n".join(lines) + "\n"


def answers_as(
    key: Key, step: Step, committed: Mapping[str, bytes], *, partial: bool = False
) -> tuple[list[Answer], list[str]]:
    """The answers that make the merge of a step come out as these files, and the files that stay all the same
    as Git merges them. What isn't there is to be gone, unless the files are but a part of those wanted."""
    answers: list[Answer] = []
    kept: list[str] = []
    conflicts = {conflict.path: conflict for conflict in step.merge.conflicts}
    for path in sorted({*committed, *step.merge.tree, *conflicts}):
        data, conflict = committed.get(path), conflicts.get(path)
        if data is None and partial:
            continue
        merged = step.merge.tree.get(path) if conflict is None else None
        if merged is not None and data == key.texts.get(merged.id):
            continue
        answer = _answer_for(path, data, conflict, merged, key)
        if answer is not None and (conflict is not None or answer.text is not None or answer.change):
            answers.append(answer)
        elif conflict is None:
            kept.append(path)
    return answers, kept


def _answer_for(
    path: str, data: bytes | None, conflict: Conflict | None, merged: Blob | None, key: Key
) -> Answer | None:
    """What makes a path come out as it is wanted: as briefly as it can be said."""
    why = "Say here why; it is shown after grading."
    if data is None:
        return Answer(file=path, gone=True, why=why)
    stages = conflict.stages if conflict is not None and conflict.merged is None else {}
    sides: tuple[Literal["ours", "theirs", "base"], ...] = ("ours", "theirs", "base")
    for side in sides:
        if STAGE[side] in stages and key.texts.get(stages[STAGE[side]].id) == data:
            return Answer(file=path, side=side, why=why)
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        return None
    lines = lines_of(text)
    if conflict is not None and conflict.merged is not None:
        if (said := kept_and_changed(conflict.merged, lines)) is not None:
            return Answer(file=path, keep=said[0], change=said[1], why=why)
    elif merged is not None and (changes := changes_between([lines_of(key.texts[merged.id])], [lines])):
        return Answer(file=path, change=changes, why=why)
    return Answer(file=path, text=text, why=why)


def open_conflict(conflict: Conflict) -> str:
    """The beginning of an answer for a conflict: its file, what Git calls it, and as many words as hunks."""
    hunks = len(conflict.merged.hunks) if conflict.merged else 0
    about = f"{conflict.kind}, {counted(hunks, 'hunk')}" if hunks else conflict.kind
    file = tomlkit.item(verbatim(conflict.path, ())).as_string()
    words = ", ".join(['"..."'] * hunks)
    choice = f"keep = [{words}]" if hunks else 'side = "..."'
    return f"file = {file}    # {about}\n{choice}"


def _answer(answer: Answer) -> dict[str, object]:
    keys: dict[str, object] = {"file": verbatim(answer.file, ())}
    if answer.text is not None:
        keys["text"] = text_of_toml(answer.text)
    elif answer.side is not None:
        keys["side"] = answer.side
    elif answer.gone:
        keys["gone"] = True
    if answer.keep is not None:
        keys["keep"] = [_entry(entry) for entry in answer.keep]
    if answer.change:
        keys["change"] = [change_table(change) for change in answer.change]
    return {**keys, "why": answer.why}


def text_of_toml(text: str) -> String:
    """A text as TOML has it: over several lines where it has several and none of them ends otherwise."""
    return lines_of_toml(text) if "\n" in text and "\r" not in text else tomlkit.string(verbatim(text, ()))


def lines_of_toml(text: str) -> String:
    """A text of several lines as TOML has it: they begin below the quotation marks."""
    said = verbatim(text, ())
    written = tomlkit.string(said, multiline=True).as_string()
    if said.startswith("\n"):
        return tomlkit.string(said, multiline=True)
    return String(StringType.MLB, said, f"\n{written[3:-3]}", Trivia())


def _entry(entry: object) -> object:
    if not isinstance(entry, KeepHunk):
        return entry
    table = tomlkit.inline_table()
    table.add("text", tomlkit.string(verbatim(entry.text or "", ())))
    return table


def change_table(change: AnswerChange, file: str = "") -> InlineTable:
    """An edit as an answer has it, or as an entry of a story does, which says of which file."""
    table = tomlkit.inline_table()
    if file:
        table.add("file", tomlkit.string(verbatim(file, ())))
    for word in ("find", "after", "before", "put"):
        if (text := getattr(change, word)) is not None:
            table.add(word, text_of_toml(text))
    return table


def _tables(rows: Sequence[Mapping[str, object]]) -> AoT:
    found = tomlkit.aot()
    for row in rows:
        table = tomlkit.table()
        for key, value in row.items():
            table.add(key, value)
        found.append(table)
    return found
