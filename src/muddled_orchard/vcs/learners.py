"""Act as learners do, with real Git: what people typically do with a conflict, right and wrong.

A behaviour is one function that is given a learner's desk and works at it; `BEHAVIOURS` names them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from muddled_orchard.core.key import Key, Step, side
from muddled_orchard.core.meeting import Hunk
from muddled_orchard.core.tasks import source_of
from muddled_orchard.core.texts import Lines
from muddled_orchard.vcs import git


@dataclass(frozen=True, slots=True)
class Desk:
    """Where a learner sits: the repository, the key (which learners don't know, but their actor does),
    and who they are."""

    work: Path
    key: Key
    name: str

    def git(self, *arguments: str, may_fail: bool = False) -> str:
        """Run Git as this learner, an hour after the story ended."""
        key = self.key
        time = int(key.scenario.starts.timestamp()) + (len(key.handed_out) * key.scenario.minutes + 60) * 60
        who = {"NAME": self.name.title(), "EMAIL": f"{self.name}@orchard.example", "DATE": f"{time} +0000"}
        more = {f"GIT_{role}_{what}": said for role in ("AUTHOR", "COMMITTER") for what, said in who.items()}
        return git.run(arguments, folder=self.work, more=more, may_fail=may_fail).decode("utf-8", "replace")

    def begin(self, step: Step) -> None:
        """Start a merge as it was asked and meet the conflict."""
        self.git("checkout", "-q", step.operation.on)
        self.git("merge", source_of(step.operation) or "", may_fail=True)

    def solve(self, step: Step) -> None:
        """Put what the key accepts into every conflicted file."""
        for conflict in step.meeting.conflicts:
            path = self.work / conflict.path
            blob = step.solved.get(conflict.path)
            if blob is None:
                path.unlink(missing_ok=True)
            else:
                path.write_bytes(self.key.texts[blob.id])

    def choose(self, step: Step, choice: Callable[[Hunk, int], Lines]) -> None:
        """Fill every hunk with what `choice` says for it and its place in the file."""
        for conflict in step.meeting.conflicts:
            if conflict.merged is not None:
                chosen = [choice(hunk, number) for number, hunk in enumerate(conflict.merged.hunks)]
                text = "".join(conflict.merged.resolved(chosen))
                (self.work / conflict.path).write_bytes(text.encode("utf-8", "surrogateescape"))

    def commit(self) -> None:
        """Stage everything and complete the merge."""
        self.git("add", "--all")
        self.git("commit", "--no-edit", "-q")


def right(desk: Desk) -> None:
    """Resolve everything as the key asks."""
    for step in desk.key.steps:
        desk.begin(step)
        desk.solve(step)
        desk.commit()


def markers_left(desk: Desk) -> None:
    """Commit the file just as Git left it."""
    for step in desk.key.steps:
        desk.begin(step)
        desk.commit()


def wrong_side(desk: Desk) -> None:
    """Keep in every hunk a side that the key does not accept."""
    for step in desk.key.steps:
        accepted = {word for ways in step.accepted.values() for way in ways for word in way.words}
        word = next(word for word in ("ours", "theirs", "base") if word not in accepted)
        desk.begin(step)
        desk.choose(step, lambda hunk, _, word=word: side(hunk, word))  # type: ignore[misc]
        desk.commit()


def both_sides(desk: Desk) -> None:
    """Keep both, one below the other."""
    for step in desk.key.steps:
        desk.begin(step)
        desk.choose(step, lambda hunk, _: hunk.ours + hunk.theirs)
        desk.commit()


def whole_file(desk: Desk) -> None:
    """Take the whole file from the other branch, though only a hunk of it was in question."""
    for step in desk.key.steps:
        desk.begin(step)
        for conflict in step.meeting.conflicts:
            desk.git("checkout", "--theirs", conflict.path)
        desk.commit()


def not_committed(desk: Desk) -> None:
    """Resolve and stage the last merge, and forget to commit."""
    for step in desk.key.steps:
        desk.begin(step)
        desk.solve(step)
        desk.git("add", "--all")
        if step is not desk.key.steps[-1]:
            desk.git("commit", "--no-edit", "-q")


def wrong_way_round(desk: Desk) -> None:
    """Merge the receiving branch into the other one."""
    step = desk.key.steps[0]
    desk.git("checkout", "-q", source_of(step.operation) or "")
    desk.git("merge", step.operation.on, may_fail=True)
    desk.solve(step)
    desk.commit()


def never_started(_: Desk) -> None:
    """Do nothing at all."""


BEHAVIOURS: Mapping[str, tuple[Callable[[Desk], None], str]] = {
    "right": (right, "decided by the report, as asked"),
    "markers left": (markers_left, "committed the file just as Git left it"),
    "wrong side": (wrong_side, "kept the side that the report rules out"),
    "both sides": (both_sides, "kept both sides, one below the other"),
    "whole file": (whole_file, "took the whole file from the other branch"),
    "not committed": (not_committed, "resolved and staged it, and forgot to commit"),
    "wrong way round": (wrong_way_round, "merged main into night-shift"),
    "never started": (never_started, "never started"),
}
"""Behaviour by name: the function, and what an onlooker would say of it."""
