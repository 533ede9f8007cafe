"""The story unrolled: which commits there are, on what they stand, and what every file holds in them."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from muddled_orchard.core.problems import BadInput, KeyPath, Problem, likely
from muddled_orchard.core.scenario import Change, Entry, Scenario

PLAIN_FILE = 0o100644

_CAST = re.compile(r"(?P<name>[^<>\n]*[^<>\s])\s+<(?P<email>[^<>\s]+)>")
_BRANCH = re.compile(r"(?!-)[A-Za-z0-9._/-]+")


@dataclass(frozen=True, slots=True)
class File:
    """A file in a tree: Git's mode and the content."""

    mode: int
    data: bytes


@dataclass(frozen=True, slots=True)
class Person:
    """An author."""

    name: str
    email: str


@dataclass(frozen=True, slots=True)
class PlannedCommit:
    """A commit of the story.

    `parents` are places in `History.commits`; `time` is in seconds since 1970, `offset` in minutes
    east of UTC; `tree` is everything that the commit holds, by path.
    """

    branch: str
    parents: tuple[int, ...]
    author: Person
    time: int
    offset: int
    message: str
    label: str | None
    tree: Mapping[str, File]


@dataclass(frozen=True, slots=True)
class History:
    """All commits of a story, parents first, and the commit that each branch ends at."""

    commits: tuple[PlannedCommit, ...]
    tips: Mapping[str, int]
    checked_out: str


def unroll(scenario: Scenario, code: str) -> History:
    """Play the story of one variant (`variant_of(scenario, code)`) through.

    The first commit's message carries the trailers that tell a grader what it is looking at.
    Raises BadInput with everything that does not fit together.
    """
    problems = list(_misfits(scenario))
    cast = {short: found for short, said in scenario.cast.items() if (found := _CAST.fullmatch(said))}
    commits: list[PlannedCommit] = []
    tips: dict[str, int] = {}
    offset = scenario.starts.utcoffset()
    for number, entry in enumerate(scenario.story):
        key: KeyPath = ("story", number)
        parents = _parents(entry, key, tips, problems)
        before = commits[parents[0]].tree if parents else {}
        tree = _tree_after(entry, key, before, problems)
        if tree == before and not problems:
            problems.append(Problem("this commit changes nothing", "Give it a write, change or remove.", key))
        author = cast.get(entry.by)
        message = entry.message.strip() + "\n"
        if number == 0:
            message += f"\nExercise: {scenario.id}\nVariant: {code}\n"
        commits.append(
            PlannedCommit(
                branch=entry.on,
                parents=parents,
                author=Person(author["name"], author["email"]) if author else Person("?", "?"),
                time=int(scenario.starts.timestamp()) + number * scenario.minutes * 60,
                offset=int(offset.total_seconds()) // 60 if offset else 0,
                message=message,
                label=entry.label,
                tree=tree,
            )
        )
        tips[entry.on] = number
    problems += _task_misfits(scenario, tips)
    if problems:
        raise BadInput(problems)
    return History(tuple(commits), tips, scenario.task[0].on)


def _misfits(scenario: Scenario) -> Iterator[Problem]:
    """What can be said without playing the story."""
    if not re.fullmatch(r"[a-z0-9]+(-[a-z0-9]+)*", scenario.id):
        yield Problem(f'"{scenario.id}" is no id', "Use a-z, 0-9 and hyphens, as in press-limit.", ("id",))
    if scenario.starts.tzinfo is None:
        yield Problem(
            "the time has no time zone", "Write it as in 2031-04-02T07:30:00+00:00.", key=("starts",)
        )
    if scenario.minutes < 0:
        yield Problem("commits can't go back in time", "Use 0 or more minutes.", ("minutes",))
    for short, said in scenario.cast.items():
        if not _CAST.fullmatch(said):
            yield Problem(
                f'"{said}" is no author', 'Write "Name <name@orchard.example>".', key=("cast", short)
            )
    if not scenario.story:
        yield Problem("the story has no commits", "Add a [[story]] entry with on, by, message and write.")
    if not scenario.task:
        yield Problem("there is nothing to do", "Add a [[task]] with do, on and bring.")
    labels: set[str] = set()
    for number, entry in enumerate(scenario.story):
        if entry.by not in scenario.cast:
            yield Problem(
                f'"{entry.by}" is not in the cast', likely(entry.by, scenario.cast), ("story", number, "by")
            )
        if not entry.message.strip():
            yield Problem(
                "the commit message is empty", "Say what the commit does.", ("story", number, "message")
            )
        if entry.label is not None and entry.label in labels:
            yield Problem(
                f'two commits are labelled "{entry.label}"', "A label is unique.", ("story", number, "label")
            )
        labels |= {entry.label} if entry.label is not None else set()


def _parents(entry: Entry, key: KeyPath, tips: Mapping[str, int], problems: list[Problem]) -> tuple[int, ...]:
    if not is_branch_name(entry.on):
        problems.append(Problem(f'"{entry.on}" is no branch name', "Git refuses it too.", (*key, "on")))
    if entry.on in tips:
        if entry.from_ is not None:
            problems.append(
                Problem(
                    f'the branch "{entry.on}" exists by now and can\'t grow again',
                    "Leave out from; it belongs to the branch's first commit.",
                    (*key, "from"),
                )
            )
        return (tips[entry.on],)
    if entry.from_ is None:
        if tips:
            problems.append(
                Problem(
                    f'the branch "{entry.on}" is new here; what does it grow from?',
                    f'Add from = "main", or mend the name. {likely(entry.on, tips)}',
                    (*key, "on"),
                )
            )
        return _some(tips)
    if entry.from_ not in tips:
        problems.append(
            Problem(f'there is no branch "{entry.from_}" yet', likely(entry.from_, tips), key=(*key, "from"))
        )
        return _some(tips)
    return (tips[entry.from_],)


def _some(tips: Mapping[str, int]) -> tuple[int, ...]:
    """The newest commit, to read on from when the right one can't be known: one mistake is told once."""
    return (max(tips.values()),) if tips else ()


def is_branch_name(name: str) -> bool:
    """Whether Git takes it (`git check-ref-format --branch`), and every file system besides."""
    parts = name.split("/")
    return (
        _BRANCH.fullmatch(name) is not None
        and name != "HEAD"
        and ".." not in name
        and all(part and not part.startswith(".") and not part.endswith((".", ".lock")) for part in parts)
    )


def _tree_after(
    entry: Entry, key: KeyPath, before: Mapping[str, File], problems: list[Problem]
) -> dict[str, File]:
    tree = dict(before)
    for path, text in entry.write.items():
        where: KeyPath = (*key, "write", path)
        if complaint := bad_path(path):
            problems.append(Problem(f'"{path}" is no path for a file: {complaint}', key=where))
        elif beside := next((p for p in tree if p.startswith(path + "/") or path.startswith(p + "/")), None):
            problems.append(Problem(f'"{path}" can\'t stand beside "{beside}"', key=where))
        else:
            tree[path] = File(PLAIN_FILE, text.encode())
    for number, change in enumerate(entry.change):
        if change.file not in tree:
            problems.append(
                Problem(
                    f'there is no file "{change.file}" on {entry.on} by then',
                    likely(change.file, tree),
                    (*key, "change", number, "file"),
                )
            )
            continue
        text = tree[change.file].data.decode()
        edited = _edited(text, change, (*key, "change", number), problems)
        tree[change.file] = File(tree[change.file].mode, edited.encode())
    for number, path in enumerate(entry.remove):
        if tree.pop(path, None) is None:
            problems.append(
                Problem(
                    f'there is no file "{path}" on {entry.on} by then',
                    likely(path, tree),
                    (*key, "remove", number),
                )
            )
    return tree


def bad_path(path: str) -> str:
    """Why a path can't be used in a repository on every system, or nothing where it can."""
    parts = path.split("/")
    if "" in parts or "\\" in path or any(ord(letter) < 32 for letter in path):
        return "use names with single slashes between them"
    if any(part in (".", "..") for part in parts):
        return "it must not leave its folder"
    if any(part.lower() == ".git" for part in parts):
        return ".git belongs to Git"
    return ""


def _edited(text: str, change: Change, key: KeyPath, problems: list[Problem]) -> str:
    if change.find is not None:
        if not _occurs_once(text.count(change.find), change, "find", key, problems):
            return text
        return text.replace(change.find, change.put)
    place: Literal["after", "before"] = "after" if change.after is not None else "before"
    wanted = (change.after if place == "after" else change.before or "") or ""
    lines = text.splitlines(keepends=True)
    places = [number for number, line in enumerate(lines) if line.rstrip("\r\n") == wanted.rstrip("\n")]
    if not _occurs_once(len(places), change, place, key, problems):
        return text
    at = places[0] + (1 if place == "after" else 0)
    new = change.put if change.put.endswith("\n") or not change.put else change.put + "\n"
    if at > 0 and not lines[at - 1].endswith("\n"):
        lines[at - 1] += "\n"
    return "".join([*lines[:at], new, *lines[at:]])


def _occurs_once(count: int, change: Change, word: str, key: KeyPath, problems: list[Problem]) -> bool:
    if count == 1:
        return True
    times = "does not occur" if count == 0 else f"occurs {count} times"
    whole = "" if word == "find" else " as a whole line"
    hint = (
        "Look at what the earlier commits leave in it."
        if count == 0
        else "Take in more of the text around it, so that it is unique."
    )
    problems.append(Problem(f"{word} {times}{whole} in {change.file} by then, not once", hint, (*key, word)))
    return False


def _task_misfits(scenario: Scenario, tips: Mapping[str, int]) -> Iterator[Problem]:
    for number, task in enumerate(scenario.task):
        for name, branch in (("on", task.on), ("bring", task.bring)):
            if branch not in tips:
                yield Problem(
                    f'there is no branch "{branch}"', likely(branch, tips), key=("task", number, name)
                )
        if task.on == task.bring:
            yield Problem(f"{task.on} can't be merged into itself", key=("task", number, "bring"))
    for number, answer in enumerate(scenario.answer):
        if answer.task is not None and not 1 <= answer.task <= len(scenario.task):
            yield Problem(
                f"there is no task {answer.task}",
                f"Tasks are numbered from 1 to {len(scenario.task)}.",
                ("answer", number, "task"),
            )
