"""A hundred learners with known weaknesses: how many exercises it takes until these are found and mended, by
the drill and by the catalogue in order.

    python -m benchmarks.drill [LEARNERS]

A simulated learner lacks some skills. An exercise is right if none that it is about is lacking; one that was
wrong teaches a lacking skill of it with even chances. A day passes after every five exercises.
"""

from __future__ import annotations

import random
import statistics
import sys
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta

from muddled_orchard.core.course.drilling import Try, next_exercise, skills_of
from muddled_orchard.core.key.exercise_summary import ExerciseSummary
from muddled_orchard.files.scenarios.catalogue_index import bundled_exercises

MOST = 400
_A_DAY = 5

Chooses = Callable[[Sequence[Try], datetime], ExerciseSummary | None]


def exercises_until_mended(chooses: Chooses, lacking: set[str], draw: random.Random) -> int:
    """How many exercises a learner does until nothing is lacking any more."""
    tries: list[Try] = []
    now = datetime(2031, 9, 1, 8, tzinfo=UTC)
    left = set(lacking)
    while left and len(tries) < MOST:
        chosen = chooses(tries, now)
        if chosen is None:
            now += timedelta(days=1)
            continue
        skills = skills_of(chosen)
        wrong = tuple(skill for skill in skills if skill in left)
        tries.append(Try(exercise=chosen.id, variant=str(len(tries)), at=now, skills=skills, wrong=wrong))
        left -= {skill for skill in wrong if draw.random() < 0.5}
        now += timedelta(days=1) if len(tries) % _A_DAY == 0 else timedelta(minutes=10)
    return len(tries)


def simulated(learners: int, seed: int = 1) -> tuple[list[int], list[int]]:
    """How many exercises each learner does: by the drill, and by the catalogue in order."""
    known = sorted(bundled_exercises().values(), key=lambda it: (it.difficulty.points, it.id))
    skills = sorted({skill for summary in known for skill in skills_of(summary)})

    def by_drill(tries: Sequence[Try], now: datetime) -> ExerciseSummary | None:
        found = next_exercise(known, tries, now)
        return found[0] if found else None

    def in_order(tries: Sequence[Try], _: datetime) -> ExerciseSummary:
        return known[len(tries) % len(known)]

    found: tuple[list[int], list[int]] = ([], [])
    for number in range(learners):
        lacking = set(random.Random(f"{seed} {number}").sample(skills, 3))  # noqa: S311 - it is no secret
        for counts, chooses in zip(found, (by_drill, in_order), strict=True):
            draw = random.Random(f"{seed} {number} learns")  # noqa: S311
            counts.append(exercises_until_mended(chooses, lacking, draw))
    return found


def main() -> None:
    """Print the figures."""
    learners = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    drill, in_order = simulated(learners)
    for name, counts in (("drill", drill), ("catalogue in order", in_order)):
        tenths = statistics.quantiles(counts, n=10)
        print(f"{name}: median {statistics.median(counts):g} exercises, nine of ten within {tenths[8]:.0f}")
    fewer = sum(one < other for one, other in zip(drill, in_order, strict=True))
    print(f"{learners} learners, each lacking 3 skills; {fewer} need fewer with the drill")


if __name__ == "__main__":
    main()
