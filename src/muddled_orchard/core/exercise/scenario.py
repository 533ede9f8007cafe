"""A scenario as its author wrote it: plain frozen data, one class for each table of the file.

The field names are the file's keys (a trailing underscore is dropped: `from_` is `from`), and the docstrings
of the fields are the documentation of the format. Shapes are checked when a file is read
(`files.scenarios.scenario_file`), meaning (does the branch exist, does the text occur once) in
`core.exercise.story`.
"""

from __future__ import annotations

import shlex
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime
from typing import Literal

from msgspec import Struct, field

from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.text_rules import OneOrSeveral, TextRules
from muddled_orchard.core.git.lines import SpacingRule

FIRST_DAY = datetime(2031, 4, 2, 7, 30, tzinfo=UTC)
"""When a story begins whose file does not say."""

Syntax = Literal["toml", "json", "python", "xml", "csv", "yaml"]

MOST_SECONDS = 60
"""How long the commands of all rules may take together."""

MOST_WEIGHT = 1000
"""How much more than another a conflict may count."""


class Value(Struct, frozen=True, kw_only=True):
    """What differs from learner to learner: one of some words, or a whole number of a range."""

    choose: tuple[str, ...] | None = None
    """The words to choose from."""
    between: tuple[int, int] | None = None
    """The lowest and the highest number, both possible."""

    def __post_init__(self) -> None:
        if (self.choose is None) == (self.between is None):
            raise ValueError("expected either choose = [words] or between = [lowest, highest]")
        if self.choose is not None and not self.choose:
            raise ValueError("choose needs at least one word")
        if self.between is not None and self.between[0] > self.between[1]:
            raise ValueError("between needs its lower number first")


class Change(Struct, frozen=True, kw_only=True):
    """An edit of one file: the text `find` is replaced, or lines are added beside a whole line."""

    file: str
    """The file to edit; it must exist on this branch by now."""
    find: str | None = None
    """Any text; it must occur exactly once and becomes `put`."""
    after: str | None = None
    """A whole line that occurs exactly once; `put` becomes new lines below it."""
    before: str | None = None
    """A whole line that occurs exactly once; `put` becomes new lines above it."""
    put: str
    """The new text."""

    def __post_init__(self) -> None:
        _check_place(self.find, self.after, self.before)


class Entry(Struct, frozen=True, kw_only=True):
    """One commit of the story."""

    on: str
    """The branch that the commit is made on; `origin/main` is a commit that only the remote has."""
    from_: str | None = None
    """For a branch that is seen for the first time: the branch that it grows from."""
    by: str = ""
    """Who makes the commit: a name from `[cast]` (default: its only member; without a cast, one for each
    branch)."""
    at: datetime | None = None
    """When the commit was made, with its time zone (default: `minutes` after the one before)."""
    message: str = ""
    """The commit message (default: what the edit does)."""
    label: str | None = None
    """A name for this commit."""
    write: Mapping[str, str] = field(default_factory=dict)
    """Files to create or overwrite: path and whole text."""
    change: tuple[Change, ...] = ()
    """Edits of existing files, in order."""
    remove: tuple[str, ...] = ()
    """Files to delete."""
    rename: Mapping[str, str] = field(default_factory=dict)
    """Files to rename: old path and new path; it comes before the other edits."""
    take: str | None = None
    """A folder beside the scenario file that becomes the whole tree."""
    executable: tuple[str, ...] = ()
    """Files that become executable."""
    link: Mapping[str, str] = field(default_factory=dict)
    """Symbolic links to create: path and target."""
    binary: Mapping[str, str] = field(default_factory=dict)
    """Binary files to create or overwrite: path and content in base64."""
    merge: str | None = None
    """A branch that this commit merges; files that both sides changed must be written here."""
    publish: tuple[str, ...] = ()
    """Branches that the shared remote `origin` has as they are after this commit."""
    arrives: str | None = None
    """For a commit that only the remote has: when a teammate pushes it, on a host. `first push` (of the
    learner's, which is refused then), `next push` (after the one before was fetched), `first fetch` (after
    the clone), or `after 2` (a push that moved what task 2 is about). Elsewhere it is there from the
    start."""
    stash: bool = False
    """Whether this is no commit but work that waits in the stash."""


CONFIG: Mapping[str, tuple[str, ...]] = {
    "merge.conflictStyle": ("merge", "diff3", "zdiff3"),
    "merge.ff": ("true", "false", "only"),
    "pull.rebase": ("true", "false", "merges"),
    "pull.ff": ("true", "false", "only"),
    "rebase.autoSquash": ("true", "false"),
    "rebase.autoStash": ("true", "false"),
    "rerere.enabled": ("true", "false"),
}
"""The settings of Git that a hand-out may carry, and their values: none of them runs or reads anything."""


class Start(Struct, frozen=True, kw_only=True):
    """How the learner receives the repository."""

    on: str | None = None
    """What is checked out (default: the branch of the first task)."""
    own: bool = False
    """Whether nothing is handed out: learners begin with `git init`. The story is an example of how they
    could (default: one commit)."""
    stopped: bool = False
    """Whether it stands in the middle of the first operation, at its first conflict."""
    write: Mapping[str, str] = field(default_factory=dict)
    """Work that is not committed, in the working tree: path and whole text."""
    stage: Mapping[str, str] = field(default_factory=dict)
    """Work that is not committed, staged: path and whole text."""
    config: Mapping[str, str] = field(default_factory=dict)
    """Harmless settings of Git that the repository has: `merge.conflictStyle`, `pull.rebase` and others of a
    closed list."""

    def __post_init__(self) -> None:
        for name, value in self.config.items():
            known = CONFIG.get(name)
            if known is None:
                raise ValueError(f"config has {name}; there is: {', '.join(CONFIG)}")
            if value not in known:
                raise ValueError(f"{name} is one of {', '.join(known)}, not {value}")

    @property
    def work(self) -> Mapping[str, str]:
        """The files with work that is not committed, as they lie in the working tree."""
        return {**self.stage, **self.write}


class KeepHunk(TextRules, frozen=True, kw_only=True):
    """What is right in one hunk: words, lines as they should read, or rules that they must hold."""

    keep: OneOrSeveral | None = None
    """A word, or several of which any is right."""
    text: str | None = None
    """The lines that should stand in the hunk's place; with rules, an example of lines that hold them."""
    worth: float = 1.0
    """The share (0 to 1) of the hunk's points that this earns."""
    weight: float | None = None
    """How much the hunk counts among those of its file (default: 1)."""

    def __post_init__(self) -> None:
        if self.keep is not None and (self.text is not None or self.ask):
            raise ValueError("keep says it all; leave out text and rules here, or keep")
        if self.keep is None and self.text is None and not self.ask:
            raise ValueError("expected keep, text, or one of has, lacks, once and matches")
        _check_share(self.worth)
        _check_weight(self.weight)


class AnswerChange(TextRules, frozen=True, kw_only=True):
    """An edit that the result needs outside the hunks, on top of what Git merges there."""

    file: str | None = None
    """The file to edit (default: the answer's)."""
    find: str | None = None
    """Any text; it must occur exactly once outside the hunks and becomes `put`."""
    after: str | None = None
    """A whole line that occurs exactly once outside the hunks; `put` becomes new lines below it."""
    before: str | None = None
    """A whole line that occurs exactly once outside the hunks; `put` becomes new lines above it."""
    put: str
    """The new text; with rules, an example of text that holds them."""

    def __post_init__(self) -> None:
        _check_place(self.find, self.after, self.before)


class Answer(Struct, frozen=True, kw_only=True):
    """One accepted resolution of one conflicted file. Several for the same file are alternatives."""

    file: str
    """The conflicted file."""
    keep: tuple[str | KeepHunk | tuple[str | KeepHunk, ...], ...] | None = None
    """One entry a hunk, in the order in which Git shows them: a word, a table, or a list of these of which
    any is right."""
    text: str | None = None
    """The whole resolved file."""
    side: Literal["ours", "theirs", "base"] | None = None
    """For a whole path (binary, modes, deleted or renamed): whose version it should be."""
    gone: bool | None = None
    """`true` where the file should not exist afterwards."""
    change: tuple[AnswerChange, ...] = ()
    """Edits that the result needs outside the hunks; alone, those of a file that merges cleanly."""
    worth: float = 1.0
    """The share (0 to 1) of the conflict's points that this alternative earns."""
    weight: float | None = None
    """How much each conflict of this file counts within `resolution` (default: 1)."""
    task: int | None = None
    """Which task this is for, from 1; without it, every task in which the file conflicts."""
    commit: str | None = None
    """In a rebase or a cherry-pick of several commits: the label of the one that this is for."""
    why: str = ""
    """The reason, shown after grading."""

    def tables(self) -> Iterator[tuple[KeepHunk | AnswerChange, tuple[str | int, ...]]]:
        """Every table in `keep` and `change`, with its place in the answer."""
        for number, entry in enumerate(self.keep or ()):
            for place, item in enumerate(entry if isinstance(entry, tuple) else (entry,)):
                if isinstance(item, KeepHunk):
                    yield item, ("keep", number, *((place,) if isinstance(entry, tuple) else ()))
        yield from ((change, ("change", number)) for number, change in enumerate(self.change))

    def __post_init__(self) -> None:
        ways = sum(way is not None for way in (self.keep, self.text, self.side, self.gone))
        if ways > 1 or not (ways or self.change):
            raise ValueError("expected exactly one of keep, text, side and gone")
        if self.change and ways and self.keep is None:
            raise ValueError("change goes with keep, or stands alone; a whole file needs no edits")
        if self.gone is False:
            raise ValueError("gone can only be true; leave it out otherwise")
        _check_share(self.worth)
        _check_weight(self.weight)


def _words_of(command: str) -> list[str]:
    try:
        return shlex.split(command)
    except ValueError:
        return []


def _check_share(worth: float) -> None:
    if not 0 <= worth <= 1:
        raise ValueError(f"worth is a share from 0 to 1, not {worth:g}")


def _check_weight(weight: float | None) -> None:
    if weight is not None and not 0 < weight <= MOST_WEIGHT:
        raise ValueError(f"a weight is above 0 and at most {MOST_WEIGHT}, not {weight:g}")


def _check_place(find: str | None, after: str | None, before: str | None) -> None:
    if sum(place is not None for place in (find, after, before)) != 1:
        raise ValueError("expected exactly one of find, after and before")
    if find == "":
        raise ValueError("find is empty; it needs text that occurs exactly once")


class Rule(Struct, frozen=True, kw_only=True):
    """A check of one file of the result, beyond the conflicts themselves."""

    file: str = ""
    """The file to check; `runs` looks at the whole result."""
    has: str | None = None
    """Text that must occur."""
    lacks: str | None = None
    """Text that must not occur."""
    matches: str | None = None
    """A regular expression (Python's) that must be found; `^` and `$` stand for ends of lines."""
    once: str | None = None
    """Text that must occur exactly once."""
    parses: Syntax | None = None
    """The language in which the file must be well-formed."""
    runs: str | None = None
    """A command that must end with 0, in a sandbox over the result, split into words as a shell does."""
    with_: Mapping[str, str] = field(default_factory=dict)
    """runs: files that are laid over the result: path and whole text."""
    seconds: float = 10.0
    """runs: how long the command may take."""
    why: str = ""
    """The reason, shown after grading."""
    weight: float = 1.0
    """How much it counts: alone among the rules 7 makes it as much as the conflicts (default: 1)."""

    def __post_init__(self) -> None:
        _check_weight(self.weight)
        asked = (self.has, self.lacks, self.matches, self.once, self.parses, self.runs)
        if sum(check is not None for check in asked) != 1:
            raise ValueError("expected exactly one of has, lacks, matches, once, parses and runs")
        if self.runs is None and not self.file:
            raise ValueError("file is missing: which one is to be checked?")
        if self.runs is None and self.with_:
            raise ValueError("with goes with runs")
        if self.runs is not None and self.file:
            raise ValueError("runs looks at the whole result; leave file out")
        if not 0 < self.seconds <= MOST_SECONDS:
            raise ValueError(f"seconds is above 0 and at most {MOST_SECONDS}, not {self.seconds:g}")
        if self.runs is not None and not _words_of(self.runs):
            raise ValueError("this is no command: its quotes don't match, or it is empty")

    def __hash__(self) -> int:
        """What it makes of a file is remembered; its own files can't be hashed, and are few."""
        return hash((self.file, self.has, self.lacks, self.matches, self.once, self.parses, self.runs))


class Role(Struct, frozen=True, kw_only=True):
    """What one of two has of an exercise that they share."""

    name: str
    """What they do, in a few words, as in `"opens the branch"`."""
    brief: str = ""
    """Markdown for whoever has this role."""

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise ValueError("name is empty: what does this role do?")


class Scenario(Struct, frozen=True, kw_only=True):
    """A whole exercise: what happened before, what is asked, and what counts as solved."""

    format: Literal[1] = 1
    """The version of this format."""
    id: str = ""
    """The exercise's name in commits, files and results: a-z, 0-9 and hyphens (default: the file's name)."""
    title: str = ""
    """The exercise's name for people (default: the id with blanks)."""
    brief: str = ""
    """Markdown for the learner: what happened, what is wanted. Never the answer (default: the tasks in
    words)."""
    language: str = "en"
    """The language of title and brief, as in HTML: `de`, `pt-BR`."""
    starts: datetime = FIRST_DAY
    """The time of the first commit, with its time zone (default: a spring morning in 2031)."""
    minutes: int = 10
    """How many minutes lie between one commit and the next."""
    cast: Mapping[str, str] = field(default_factory=dict)
    """The authors of the commits: short name and `Name <address>` (default: one of ours for each branch)."""
    values: Mapping[str, Value] = field(default_factory=dict)
    """What differs from learner to learner; used in texts as `@{name}`."""
    story: tuple[Entry, ...] = ()
    """The commits that lead up to the conflict, in the order in which they were made."""
    task: tuple[Task, ...]
    """What the learner is asked to carry out, in order."""
    start: Start = field(default_factory=Start)
    """How the learner receives the repository."""
    answer: tuple[Answer, ...] = ()
    """The accepted resolutions."""
    rule: tuple[Rule, ...] = ()
    """Further checks of the result."""
    points: Mapping[str, float] = field(default_factory=dict)
    """Criteria whose weight differs from the default."""
    spacing: SpacingRule = "line-ends"
    """How closely white space must agree for a text to count as the same."""
    role: tuple[Role, ...] = ()
    """What each of two has of it, the first one of role 1; tasks say whose they are."""

    @property
    def makes_own(self) -> bool:
        """Whether the learner makes the conflicts: what a right solution leaves is not known beforehand."""
        return any(task.makes_own for task in self.task)

    @property
    def brief_text(self) -> str:
        """The title and the brief with that of each role, as Markdown."""
        return f"# {self.title.strip()}\n\n{self.brief_for()}\n"

    def brief_for(self, role: int = 0) -> str:
        """The brief with what it says to one of the roles (0: to each), below a heading, as Markdown."""
        parts = [
            f"## Role {number}: {one.name.strip()}\n\n{one.brief.strip()}".strip()
            for number, one in enumerate(self.role, start=1)
            if role in (0, number)
        ]
        return "\n\n".join((self.brief.strip(), *parts))
