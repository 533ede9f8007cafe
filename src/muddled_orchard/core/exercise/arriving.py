"""What a teammate pushes meanwhile: commits of the remote that are not there yet when a host hands it out.

Everywhere else, in archives and on other servers, they are there from the start.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.patterns import pattern
from muddled_orchard.core.base.problems import Problem
from muddled_orchard.core.exercise.history import History
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.git.refs import REMOTE, branch_ref, is_on_remote

FIRST_PUSH, NEXT_PUSH, FIRST_FETCH = "first push", "next push", "first fetch"

Service = Literal["push", "fetch"]
"""What a learner's Git asks a remote for."""

_AFTER = pattern(r"after ([1-9][0-9]?)")

ARRIVING, ARRIVED = "refs/muddled/arriving/", "refs/muddled/arrived/"
"""The refs of a served repository, by the number of an arrival: what keeps its commits, and what says that it
has come. No client sees either."""


class Arrival(Struct, frozen=True, kw_only=True):
    """Commits that come to a branch of the remote together: their number, from 1, in the order of the story;
    when; who pushes them; and where the branch stands before and after (places in the story)."""

    number: int
    when: str
    branch: str
    by: str
    before: int
    after: int

    @property
    def after_task(self) -> int | None:
        """The task (from 1) after which it comes; None where that is at another moment."""
        found = _AFTER.fullmatch(self.when)
        return int(found[1]) if found else None


def moments_told(scenario: Scenario, history: History) -> list[str]:
    """For whoever sets the exercise: what arrives when, a sentence each."""
    moments = {
        FIRST_PUSH: "with the learner's first push, which is refused",
        NEXT_PUSH: "with the next push after that was fetched",
        FIRST_FETCH: "with the learner's first fetch",
    }
    found = []
    for one in arrivals(scenario, history):
        subject = history.commits[one.after].message.split("\n", 1)[0]
        when = moments.get(one.when) or f"after a push of what task {one.after_task} is about"
        pushed = f'{one.by} pushes "{subject}" to {one.branch}'
        found.append(f"On a host {pushed} {when}; elsewhere it is there from the start.")
    return found


def coming_of(scenario: Scenario, history: History, ids: Mapping[int, str]) -> tuple[Coming, ...]:
    """What arrives, with its ids; `ids` are those of the commits by place."""
    every = arrivals(scenario, history)
    return tuple(Coming(one, ids[one.before], ids[one.after]) for one in every)


class Coming(Struct, frozen=True):
    """What a teammate pushes to a repository meanwhile: the arrival, and the ids at which its branch stands
    before and after."""

    arrival: Arrival
    before: str
    after: str

    @property
    def branch(self) -> str:
        """The branch, by its full name."""
        return branch_ref(self.arrival.branch)

    @property
    def marker(self) -> str:
        """The ref that says that it has come."""
        return f"{ARRIVED}{self.arrival.number}"

    def has_come(self, refs: Mapping[str, str]) -> bool:
        """Whether it has, by the refs of the repository: the marker says so, or the branch stands there, and
        whoever was to write the marker was stopped."""
        return self.marker in refs or refs.get(self.branch) == self.after


def with_arrived(
    known: Mapping[str, str], refs: Mapping[str, str], coming: Iterable[Coming]
) -> dict[str, str]:
    """The refs of a served repository as they were known, with what only teammates have changed since; `refs`
    are those of now."""
    found = dict(known)
    for one in coming:
        if one.has_come(refs):
            if found.get(one.branch) == one.before:
                found[one.branch] = one.after
            if one.marker in refs:
                found[one.marker] = refs[one.marker]
    return found


def _is_moment(when: str) -> bool:
    return when in (FIRST_PUSH, NEXT_PUSH, FIRST_FETCH) or _AFTER.fullmatch(when) is not None


def arrivals(scenario: Scenario, history: History) -> tuple[Arrival, ...]:
    """What arrives, in the order of the story; commits of a branch with the same moment come together, each
    `next push` by itself."""
    found: list[Arrival] = []
    stands: dict[str, int] = {}
    for number, (entry, commit) in enumerate(zip(scenario.story, history.commits, strict=True)):
        for branch in entry.publish:
            stands[branch] = number
        if not is_on_remote(entry.on):
            continue
        branch = entry.on.removeprefix(REMOTE)
        last = found[-1] if found else None
        if entry.arrives is None:
            pass
        elif last is not None and last.branch == branch and last.when == entry.arrives != NEXT_PUSH:
            found[-1] = replace(last, after=number)
        else:
            found.append(
                Arrival(
                    number=len(found) + 1, when=entry.arrives, branch=branch, by=commit.author.name,
                    before=stands[branch], after=number,
                )
            )  # fmt: skip
        stands[branch] = number
    return tuple(found)


def pushes_first(scenario: Scenario, history: History, number: int) -> bool:
    """Whether a task (by number, from 1) begins with a push that is refused, since a teammate was first."""
    task = scenario.task[number - 1]
    branch = task.source.removeprefix(REMOTE)
    earlier = [other.source for other in scenario.task[: number - 1]]
    first = any(one.branch == branch and one.when == FIRST_PUSH for one in arrivals(scenario, history))
    return first and is_on_remote(task.source) and task.source not in earlier


def is_due(arrival: Arrival, service: Service, *, had: bool, fetched: bool) -> bool:
    """Whether something arrives before a learner's push or fetch is answered. `had`: they have the repository
    already; `fetched`: they have fetched since what came before it."""
    if arrival.when == FIRST_FETCH:
        return service == "fetch" and had
    if service != "push":
        return False
    return arrival.when == FIRST_PUSH or (arrival.when == NEXT_PUSH and fetched)


def as_served(history: History, coming: Sequence[Arrival]) -> History:
    """The story as a host hands it out, before anything has arrived."""
    first = {one.branch: one.before for one in reversed(coming)}
    return replace(history, remote={**history.remote, **first})


def remote_then(history: History, coming: Sequence[Arrival], came: Mapping[str, str]) -> Mapping[str, int]:
    """Where the branches of the remote stood (places in the story) as far as only teammates have moved them;
    `came` are the refs of a served repository, which say what has arrived."""
    stands = dict(as_served(history, coming).remote)
    for one in coming:
        if f"{ARRIVED}{one.number}" in came:
            stands[one.branch] = one.after
    return stands


def misfits_of_arrivals(scenario: Scenario) -> Iterator[Problem]:
    """About what is to arrive."""
    came: dict[str, bool] = {}
    earlier = False
    for number, entry in enumerate(scenario.story):
        branch = entry.on.removeprefix(REMOTE)
        key = ("story", number, "arrives")
        for name in entry.publish:
            if came.get(name):
                what = f"{name} is published after something has arrived on it"
                yield Problem(what, "Publish it before.", ("story", number, "publish"))
        if entry.arrives is None:
            if is_on_remote(entry.on) and came.get(branch):
                what = f"it stands on what arrives on {branch}, and is to be there from the start"
                yield Problem(what, "Give it arrives, too, or put it before.", ("story", number))
            continue
        if not _is_moment(entry.arrives):
            hint = f"It is {FIRST_PUSH}, {NEXT_PUSH}, {FIRST_FETCH}, or as in after 1."
            yield Problem(f'nothing arrives "{entry.arrives}"', hint, key)
            continue
        if not is_on_remote(entry.on):
            what = "only what the remote gets can arrive"
            yield Problem(what, f'Write on = "{REMOTE}{entry.on}".', key)
            continue
        if entry.arrives == NEXT_PUSH and not earlier:
            yield Problem("nothing arrives before it", f'Write arrives = "{FIRST_PUSH}".', key)
        yield from _misfits_after_task(scenario, entry.arrives, branch, number)
        came[branch] = earlier = True


def _misfits_after_task(scenario: Scenario, when: str, branch: str, number: int) -> Iterator[Problem]:
    after = _AFTER.fullmatch(when)
    if after is None:
        return
    key = ("story", number, "arrives")
    last = int(after[1])
    if last > len(scenario.task):
        yield Problem(f"there is no task {last}", f"There are {len(scenario.task)}.", key)
    if any(task.on == branch for task in scenario.task[:last]):
        what = f"the learner pushes to {branch} before that: then it stands elsewhere"
        yield Problem(what, "Let it arrive on another branch, or earlier.", key)
