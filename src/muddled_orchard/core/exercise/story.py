"""The story unrolled: which commits there are, on what they stand, and what every file holds in them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import datetime

from msgspec.structs import replace

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.problems import BadInput, KeyPath, Problem, likely
from muddled_orchard.core.exercise.checks import misfits
from muddled_orchard.core.exercise.claim import CLAIM, claim_of, with_other_code
from muddled_orchard.core.exercise.edits import merged_files, tree_after
from muddled_orchard.core.exercise.history import History, Person, PlannedCommit
from muddled_orchard.core.exercise.scenario import Entry, Scenario
from muddled_orchard.core.git.refs import REMOTE, is_on_remote
from muddled_orchard.core.git.trees import PLAIN_FILE, File, Files

_CAST = pattern(r"(?P<name>[^<>\n]*[^<>\s])\s+<(?P<email>[^<>\s]+)>")
_NO_BRANCH = pattern(r"[\x00-\x20\x7f~^:?*\[\\]|\.\.|@\{|\.\Z|\A\Z")


def unroll(scenario: Scenario, code: str) -> History:
    """Play the story of one variant (`variant_of(scenario, code)`) through.

    The first commit's message carries the lines that tell a grader what it is looking at; where learners
    begin with nothing of ours, a file of it does.
    Raises BadInput with everything that does not fit together.
    """
    story = _Story(scenario, code)
    story.problems += _misfits(scenario)
    for number, entry in enumerate(scenario.story):
        story.add(entry, ("story", number))
    history = story.history()
    problems = story.problems
    if scenario.story:
        problems += misfits(scenario, history)
    if problems:
        raise BadInput(problems)
    return history


def story_until(scenario: Scenario, code: str, count: int) -> History:
    """The story of a variant that can be played through, after its first `count` commits; the branch of the
    last one is checked out."""
    story = _Story(scenario, code)
    for number, entry in enumerate(scenario.story[:count]):
        story.add(entry, ("story", number))
    history = story.history()
    own = [commit.branch for commit in history.commits if commit.branch in history.tips]
    return replace(history, checked_out=own[-1])


def with_code(history: History, code: str) -> History:
    """The same story as that of another variant with the same values."""
    first, *others = history.commits
    changed = replace(first, message=with_other_code(first.message, code))
    return replace(history, commits=tuple(_with_claim(commit, code) for commit in (changed, *others)))


def _with_claim(commit: PlannedCommit, code: str) -> PlannedCommit:
    """A commit whose file that says what it is, if it has one, says another variant."""
    file = commit.tree.get(CLAIM)
    if file is None:
        return commit
    text = with_other_code(file.data.decode(), code)
    return replace(commit, tree={**commit.tree, CLAIM: replace(file, data=text.encode())})


class _Story:
    """The story so far."""

    def __init__(self, scenario: Scenario, code: str) -> None:
        self.scenario = scenario
        self.code = code
        self.cast = {
            short: match for short, address in scenario.cast.items() if (match := _CAST.fullmatch(address))
        }
        self.commits: list[PlannedCommit] = []
        self.tips: dict[str, int] = {}
        self.folders: dict[str, str] = {}
        self.tracked: dict[str, int] = {}
        self.remote: dict[str, int] = {}
        self.stashes: list[int] = []
        self.problems: list[Problem] = []

    def history(self) -> History:
        start = self.scenario.start.on
        withheld = self._withheld()
        first = self.scenario.task[0].on if self.scenario.task else ""
        return History(
            commits=tuple(self.commits),
            tips={branch: number for branch, number in self.tips.items() if branch not in withheld},
            checked_out=start or first,
            tracked=dict(self.tracked),
            remote=dict(self.remote),
            stashes=tuple(self.stashes),
        )

    def _withheld(self) -> set[str]:
        """The branches whose commits are handed out as patches alone."""
        tasks = self.scenario.task
        labels = {label for task in tasks for label in task.patches or ()}
        held = {commit.branch for commit in self.commits if commit.label in labels}
        return held - {task.on for task in tasks}

    def add(self, entry: Entry, key: KeyPath) -> None:
        """Add the commit of an entry."""
        said = len(self.problems)
        parents = self._parents(entry, key)
        before = self.commits[parents[0]].tree if parents else {}
        if entry.merge is not None:
            parents, before = self._merged(entry, key, parents, before)
        tree = tree_after(entry, key, before, self.problems)
        number = len(self.commits)
        if len(parents) < 2 and tree == before and len(self.problems) == said:
            hint = "Give it a write, change, remove or rename."
            self.problems.append(Problem("this commit changes nothing", hint, key))
        author = self.cast.get(entry.by)
        offset = (entry.at or self.scenario.starts).utcoffset()
        message = entry.message.strip() + "\n"
        claim = claim_of(self.scenario.id, self.code) if number == 0 else ""
        if claim and self.scenario.start.own:
            tree = {**tree, CLAIM: File(PLAIN_FILE, claim.encode())}
        elif claim:
            message += f"\n{claim}"
        self.commits.append(
            PlannedCommit(
                branch=entry.on,
                parents=parents,
                author=Person(author["name"], author["email"]) if author else Person("?", "?"),
                time=self._time(entry),
                offset=int(offset.total_seconds()) // 60 if offset else 0,
                message=message,
                label=entry.label,
                tree=tree,
                stash=entry.stash,
            )
        )
        self._move(entry, number)
        self._publish(entry, key)

    def _time(self, entry: Entry) -> int:
        """When the commit of an entry was made, in seconds since 1970."""
        if entry.at is not None:
            return int(entry.at.timestamp())
        if not self.commits:
            return int(self.scenario.starts.timestamp())
        return self.commits[-1].time + self.scenario.minutes * 60

    def _move(self, entry: Entry, number: int) -> None:
        if entry.stash:
            self.stashes.append(number)
        elif is_on_remote(entry.on):
            self.remote[entry.on.removeprefix(REMOTE)] = number
        else:
            self.tips[entry.on] = number
            self.folders |= dict.fromkeys(_folders_of(entry.on), entry.on)

    def _publish(self, entry: Entry, key: KeyPath) -> None:
        for place, branch in enumerate(entry.publish):
            if branch not in self.tips:
                self.problems.append(
                    Problem(
                        f'there is no branch "{branch}" to publish',
                        likely(branch, self.tips),
                        (*key, "publish", place),
                    )
                )
            else:
                self.tracked[branch] = self.remote[branch] = self.tips[branch]

    def _parents(self, entry: Entry, key: KeyPath) -> tuple[int, ...]:
        if is_on_remote(entry.on):
            return self._remote_parents(entry, key)
        tips = self.tips
        if not is_branch_name(entry.on):
            self.problems.append(
                Problem(f'"{entry.on}" is no branch name', "Git refuses it too.", (*key, "on"))
            )
        if entry.on in tips:
            if entry.from_ is not None:
                self.problems.append(
                    Problem(
                        f'the branch "{entry.on}" exists by now and can\'t grow again',
                        "Leave out from; it belongs to the branch's first commit.",
                        (*key, "from"),
                    )
                )
            return (tips[entry.on],)
        if entry.stash:
            self.problems.append(
                Problem(f'there is no branch "{entry.on}" to stash on', likely(entry.on, tips), (*key, "on"))
            )
            return self._some()
        if other := self._in_the_way(entry.on):
            hint = "Git keeps branches like files in folders: one name must not begin another."
            what = f'there can be no branch "{entry.on}" beside "{other}"'
            self.problems.append(Problem(what, hint, (*key, "on")))
        if entry.from_ is None:
            if tips:
                self.problems.append(
                    Problem(
                        f'the branch "{entry.on}" is new here; what does it grow from?',
                        f'Add from = "main", or mend the name. {likely(entry.on, tips)}',
                        (*key, "on"),
                    )
                )
            return self._some()
        if entry.from_ not in tips:
            self.problems.append(
                Problem(f'there is no branch "{entry.from_}" yet', likely(entry.from_, tips), (*key, "from"))
            )
            return self._some()
        return (tips[entry.from_],)

    def _in_the_way(self, branch: str) -> str:
        """A branch because of whose name there can be no such one, or nothing."""
        if branch in self.folders:
            return self.folders[branch]
        return next((folder for folder in _folders_of(branch) if folder in self.tips), "")

    def _remote_parents(self, entry: Entry, key: KeyPath) -> tuple[int, ...]:
        branch = entry.on.removeprefix(REMOTE)
        if branch not in self.remote:
            self.problems.append(
                Problem(
                    f"origin has no branch {branch} yet",
                    f'Put publish = ["{branch}"] to an earlier commit.',
                    (*key, "on"),
                )
            )
            return self._some()
        if entry.stash:
            self.problems.append(Problem("a stash lies on a branch of the learner's", key=(*key, "on")))
        return (self.remote[branch],)

    def _some(self) -> tuple[int, ...]:
        """The newest commit, to read on from when the right one can't be known: one mistake is told once."""
        return (len(self.commits) - 1,) if self.commits else ()

    def _merged(
        self, entry: Entry, key: KeyPath, parents: tuple[int, ...], before: Files
    ) -> tuple[tuple[int, ...], Files]:
        other = self.tips.get(entry.merge or "")
        if other is None or not parents:
            self.problems.append(
                Problem(
                    f'there is no branch "{entry.merge}" yet',
                    likely(entry.merge or "", self.tips),
                    (*key, "merge"),
                )
            )
            return parents, before
        history = self.history()
        common = history.ancestors(parents[0]) & history.ancestors(other)
        base = self.commits[max(common)].tree if common else {}
        written = {*entry.write, *entry.binary, *entry.link, *entry.remove}
        tree, both = merged_files(base, before, self.commits[other].tree, written)
        for path in both:
            self.problems.append(
                Problem(
                    f"both sides changed {path} since they parted",
                    "Say in write what the merge makes of it.",
                    (*key, "merge"),
                )
            )
        return (parents[0], other), tree


def _folders_of(branch: str) -> Iterator[str]:
    """`a` and `a/b` of `a/b/c`: no branch can have these names beside it."""
    parts = branch.split("/")
    return ("/".join(parts[:number]) for number in range(1, len(parts)))


def _misfits(scenario: Scenario) -> Iterator[Problem]:
    """What can be said without playing the story."""
    if not re.fullmatch(r"[a-z0-9]+(-[a-z0-9]+)*", scenario.id):
        yield Problem(f'"{scenario.id}" is no id', "Use a-z, 0-9 and hyphens, as in press-limit.", ("id",))
    if not re.fullmatch(r"[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*", scenario.language):
        hint = "Write it as in de or pt-BR."
        yield Problem(f'"{scenario.language}" is no language', hint, ("language",))
    yield from _misfit_of_time(scenario.starts, ("starts",))
    if scenario.minutes < 0:
        yield Problem("commits can't go back in time", "Use 0 or more minutes.", ("minutes",))
    for short, address in scenario.cast.items():
        if not _CAST.fullmatch(address):
            yield Problem(
                f'"{address}" is no author', 'Write "Name <name@orchard.example>".', ("cast", short)
            )
    if not scenario.task:
        yield Problem("there is nothing to do", "Add a [[task]] with do and bring.", ("task",))
    yield from _misfits_of_story(scenario)


def _misfit_of_time(time: datetime, key: KeyPath) -> Iterator[Problem]:
    if time.tzinfo is None:
        hint = "Write it as in 2031-04-02T07:30:00+00:00."
        yield Problem("the time has no time zone", hint, key)
    elif time.timestamp() < 0:
        yield Problem("Git has no dates before 1970", "Let the story begin later.", key)


def _misfits_of_story(scenario: Scenario) -> Iterator[Problem]:
    if not scenario.story:
        hint = "Add a [[story]] entry with on and write."
        yield Problem("the story has no commits", hint, ("story",))
    labels: set[str] = set()
    for number, entry in enumerate(scenario.story):
        key: KeyPath = ("story", number)
        if entry.at is not None:
            yield from _misfit_of_time(entry.at, (*key, "at"))
        if entry.by not in scenario.cast:
            yield Problem(f'"{entry.by}" is not in the cast', likely(entry.by, scenario.cast), (*key, "by"))
        if entry.label is not None and entry.label in labels:
            hint = "A label is unique."
            yield Problem(f'two commits are labelled "{entry.label}"', hint, (*key, "label"))
        labels |= {entry.label} if entry.label is not None else set()


def is_branch_name(name: str) -> bool:
    """Whether Git takes it, by the rules of `git check-ref-format --branch`."""
    return (
        not _NO_BRANCH.search(name)
        and name not in ("HEAD", "@")
        and not name.startswith("-")
        and all(part and not part.startswith(".") and not part.endswith(".lock") for part in name.split("/"))
    )
