"""What a scenario file leaves out: its name, dates, authors and messages, as they are then."""

from __future__ import annotations

import re
from collections.abc import Mapping
from itertools import cycle, islice

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.operations.own_conflict import OwnConflict
from muddled_orchard.core.exercise.scenario import Entry, Scenario
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.git.refs import is_on_remote

CAST: Mapping[str, str] = {
    "maren": "Maren Quill <maren@orchard.example>",
    "tobias": "Tobias Fenn <tobias@orchard.example>",
    "ilse": "Ilse Korn <ilse@orchard.example>",
    "odo": "Odo Marsh <odo@orchard.example>",
    "suvi": "Suvi Lind <suvi@orchard.example>",
}
"""Who makes the commits where a scenario has no cast: one for each branch, in order."""

_MOST_QUOTED = 24


def completed(scenario: Scenario, name: str) -> Scenario:
    """The scenario with everything that its file may leave out; `name` is the file's, without its suffix.

    An author is the cast's only member, or without a cast one of CAST for each branch. A message tells the
    edit. A task's branch is the first one of the story that it does not bring in. Raises BadInput where
    several authors are there to choose from.
    """
    if scenario.start.own and not scenario.story:
        scenario = replace(scenario, story=(_example_of_beginning(scenario.task),))
    id_ = scenario.id or id_for(name)
    task = tuple(_on_first_branch(task, scenario.story).with_defaults() for task in scenario.task)
    cast = scenario.cast or _cast_by_branch(scenario.story)
    problems: list[Problem] = []
    story = []
    for number, entry in enumerate(scenario.story):
        by = entry.by or _author(entry, scenario)
        if not by:
            hint = f"Add by = one of: {', '.join(cast)}."
            problems.append(Problem('"by" is missing: who makes this commit?', hint, ("story", number)))
        story.append(replace(entry, by=by, message=entry.message.strip() or message_for(entry)))
    if problems:
        raise BadInput(problems)
    return replace(
        scenario,
        id=id_,
        title=scenario.title or id_.replace("-", " ").capitalize(),
        brief=scenario.brief or _brief(task, tuple(story)),
        cast=cast,
        story=tuple(story),
        task=task,
    )


def _example_of_beginning(tasks: tuple[Task, ...]) -> Entry:
    """How somebody could begin who is handed out nothing: with the files that a task names, else one."""
    own = next((task for task in tasks if isinstance(task, OwnConflict)), None)
    paths = (own.files if own is not None else ()) or ("rows.txt",)
    on = next((task.on for task in tasks if task.on), "main")
    # Lines that lie apart for as many conflicts as are asked for.
    count = 8 * (own.conflicts if own is not None else 1) + 4
    trees = islice(cycle(("apple", "pear", "quince", "plum", "cherry", "medlar")), count)
    lines = "".join(f"Row {number}: {tree}\n" for number, tree in enumerate(trees, start=1))
    return Entry(on=on, message="Begin", write=dict.fromkeys(paths, lines))


def id_for(name: str) -> str:
    """A file's name, without its suffix, as an exercise's id."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "exercise"


def message_for(entry: Entry) -> str:
    """The subject of a commit that was given none: what it does, in a line."""
    if entry.merge is not None:
        return f"Merge branch '{entry.merge}' into {entry.on}"
    edits = [
        *((f"Rename {old} to {new}", old) for old, new in entry.rename.items()),
        *((f"Remove {path}", path) for path in entry.remove),
        *((f"Write {path}", path) for path in (*entry.write, *entry.binary)),
        *((f"Link {path}", path) for path in entry.link),
        *((_edit(change.find, change.put, change.file), change.file) for change in entry.change),
        *((f"Make {path} executable", path) for path in entry.executable),
    ]
    if not edits:
        return f"Work on {entry.on.removeprefix('origin/')}"
    first, path = edits[0]
    others = len({other for _, other in edits} - {path})
    return first + (f", and edit {counted(others, 'more file')}" if others else "")


def _edit(find: str | None, put: str, file: str) -> str:
    old, new = (find or "").strip(), put.strip()
    if any(len(text) > _MOST_QUOTED or "\n" in text for text in (old, new)) or not new:
        return f"Edit {file}"
    return f"Change {old} to {new} in {file}" if old else f"Add {new} to {file}"


def _on_first_branch(task: Task, story: tuple[Entry, ...]) -> Task:
    if task.on:
        return task
    branches = (entry.on for entry in story if not is_on_remote(entry.on))
    return replace(task, on=next((branch for branch in branches if branch != task.source), ""))


def _cast_by_branch(story: tuple[Entry, ...]) -> Mapping[str, str]:
    return {name: CAST[name] for name in dict.fromkeys(_members(story).values())}


def _members(story: tuple[Entry, ...]) -> dict[str, str]:
    """Which of CAST works on which branch; where there are more branches they begin anew."""
    names = list(CAST)
    branches = dict.fromkeys(entry.on for entry in story)
    return {branch: names[number % len(names)] for number, branch in enumerate(branches)}


def _author(entry: Entry, scenario: Scenario) -> str:
    if not scenario.cast:
        return _members(scenario.story)[entry.on]
    return next(iter(scenario.cast)) if len(scenario.cast) == 1 else ""


def _brief(tasks: tuple[Task, ...], story: tuple[Entry, ...]) -> str:
    subjects = {entry.label: f'"{entry.message.strip().splitlines()[0]}"' for entry in story if entry.label}
    sentences = [_asked(task, subjects) for task in tasks]
    asked = (
        f"{sentences[0]}."
        if len(sentences) == 1
        else "\n".join(f"{n}. {one}" for n, one in enumerate(sentences, start=1))
    )
    return f"{asked}\n\nWhere there are conflicts, decide what is right, and finish what you began."


def _asked(task: Task, subjects: Mapping[str, str]) -> str:
    """A task in words, for somebody who can see subjects and not labels."""
    names = {label: subjects.get(label, label) for label in task.labels}
    sentence = in_words(task.relabelled(names), "`{}`".format)
    return sentence[:1].upper() + sentence[1:]
