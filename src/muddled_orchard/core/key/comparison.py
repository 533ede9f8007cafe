"""Two scenarios that lead to the same files, side by side: what it costs to merge early, and late."""

from __future__ import annotations

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.difficulty import difficulty
from muddled_orchard.core.key.exercise_summary import Difficulty
from muddled_orchard.core.key.survey import Survey


class Cost(Struct, frozen=True):
    """What the tasks of a scenario ask for: how many steps conflict, in how many files and hunks, how many
    lines stand in conflict (of both sides), how many hunks and lines there are at once at the most, and how
    hard the hardest task is."""

    survey: Survey
    tasks: int
    steps: int
    conflicts: int
    hunks: int
    lines: int
    most_hunks: int
    most_lines: int
    hardest: Difficulty


class Comparison(Struct, frozen=True):
    """Two scenarios with the same outcome, in the order in which they were named."""

    first: Cost
    second: Cost

    @property
    def rows(self) -> tuple[tuple[str, str, str], ...]:
        """What is compared: what it is, and the two values, for people."""
        first, second = self.first, self.second
        hardest = [_level(cost.hardest) for cost in (first, second)]
        levels = [_level(cost.survey.difficulty) for cost in (first, second)]
        return (
            ("tasks", str(first.tasks), str(second.tasks)),
            ("times that Git stops", str(first.steps), str(second.steps)),
            ("conflicted files", str(first.conflicts), str(second.conflicts)),
            ("hunks", str(first.hunks), str(second.hunks)),
            ("lines in conflict", str(first.lines), str(second.lines)),
            ("hunks at once, at most", str(first.most_hunks), str(second.most_hunks)),
            ("lines at once, at most", str(first.most_lines), str(second.most_lines)),
            ("difficulty of the hardest task", hardest[0], hardest[1]),
            ("difficulty of all together", levels[0], levels[1]),
        )

    @property
    def told(self) -> str:
        """What the difference comes to, in a sentence; nothing where none stands out."""
        less, more = sorted((self.first, self.second), key=lambda cost: cost.most_lines)
        if less.most_lines == more.most_lines:
            return ""
        often = " stops more often, and" if less.steps > more.steps else ""
        at_most = f"at most {counted(less.most_lines, 'line')} instead of {more.most_lines}"
        return f"{less.survey.key.scenario.id}{often} has less in conflict at once: {at_most}."


def _level(found: Difficulty) -> str:
    return f"{found.level} ({found.points})"


def compare(first: Survey, second: Survey) -> Comparison | None:
    """Lay two scenarios side by side; None where they don't lead to the same files."""
    if _outcome(first.key) != _outcome(second.key):
        return None
    return Comparison(_cost(first), _cost(second))


def _outcome(key: Key) -> Tree:
    """The files that the last task's branch has after a solution by the key."""
    return key.commits[key.solved_tips[key.scenario.task[-1].on]].tree


def _cost(survey: Survey) -> Cost:
    steps = [step for step in survey.key.steps if step.merge.conflicts]
    return Cost(
        survey=survey,
        tasks=len(survey.key.scenario.task),
        steps=len(steps),
        conflicts=sum(len(step.merge.conflicts) for step in steps),
        hunks=sum(map(_hunks, steps)),
        lines=sum(map(_lines, steps)),
        most_hunks=max(map(_hunks, steps), default=0),
        most_lines=max(map(_lines, steps), default=0),
        hardest=max(_by_task(survey.key), key=lambda found: found.points),
    )


def _by_task(key: Key) -> list[Difficulty]:
    """How hard each task is by itself."""
    tasks = range(1, len(key.scenario.task) + 1)
    return [
        difficulty(replace(key, steps=tuple(step for step in key.steps if step.task == number)))
        for number in tasks
    ]


def _hunks(step: Step) -> int:
    return sum(len(conflict.merged.hunks) for conflict in step.merge.conflicts if conflict.merged)


def _lines(step: Step) -> int:
    return sum(
        len(hunk.ours) + len(hunk.theirs)
        for conflict in step.merge.conflicts
        if conflict.merged
        for hunk in conflict.merged.hunks
    )
