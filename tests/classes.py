"""Made-up classes in a ledger: what came of each conflict is chosen, so every count is known beforehand."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from pathlib import Path

from muddled_orchard import __version__
from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.grading.assessment import (
    Assessment,
    CriterionResult,
    HunkResult,
    met,
    missed,
    partly,
)
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.core.key.graph import Graph, Node
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.stored import digest_of, scenario_text
from muddled_orchard.files.stored_results import assessment_text

WORDS = ("theirs", "ours", "base", "neither", "ours+theirs", "theirs+ours", "blend", "unresolved", "gone")
"""What can be kept; the first is accepted."""


def graph(made: bool) -> Graph:
    """A merge, made or not."""
    nodes = [
        Node("0", 0, 0, "Begin", "Jory Pell", (), (), head=False, new=False),
        Node("1", 1, 0, "Raise the limit", "Jory Pell", ("0",), () if made else ("main",), head=not made, new=False),
        Node("2", 2, 1, "Lower the limit", "Maren Holt", ("0",), ("night-shift",), head=False, new=False),
    ]  # fmt: skip
    if made:
        nodes.append(Node("3", 3, 0, "Merge branch 'night-shift'", "Ada Quince", ("1", "2"), ("main",), head=True, new=True))  # fmt: skip
    return Graph(tuple(nodes), ("main", "night-shift"))


def result(exercise: str, kept: Sequence[str], *, tidy: bool = True, work: str = "", ended: int = 0, commits: Sequence[str] = (), left: str | None = None) -> Assessment:  # fmt: skip
    """A graded work in which these words were kept, one a hunk; `theirs` alone is accepted."""
    hunks = tuple(
        HunkResult(
            task=1, commit=None, file="press.toml", hunk=number, kept=word, accepted=("theirs",), outcome="met" if word == "theirs" else "missed",
            worth=float(word == "theirs"), step=1, line=number, base="limit = 1\n", ours="limit = 2\n", theirs="limit = 3\n",
            left=left or f"{word}\n", wanted="limit = 3\n", ours_name="ours (main)", theirs_name="theirs (night-shift)", why="It is the safe one.",
            look=("git log -p -- press.toml",),
        )
        for number, word in enumerate(kept, start=1)
    )  # fmt: skip
    share = kept.count("theirs") / len(kept)
    resolution = partly(Said("Right." if share == 1 else "Wrong."), share)
    other = met(Said("Tidy.")) if tidy else missed(Said("A file too many."))
    return Assessment(
        exercise=exercise, title=exercise.title(), variant="v", state="finished", hunks=hunks, commits=tuple(commits), begun=max(0, ended - 600), ended=ended,
        criteria=(
            CriterionResult(id="resolution", outcome=resolution, points=round(8 * share, 2), possible=8, weight=8),
            CriterionResult(id="tidy", outcome=other, points=2.0 * tidy, possible=2, weight=2),
        ),
        conflicts_weight=float(len(kept)), work=work or "-".join(kept), made=graph(made=True), asked=graph(made=True),
    )  # fmt: skip


Works = Mapping[str, Mapping[str, Sequence[Assessment]]]
"""What each learner handed in for each exercise, in order."""


def ledger_of(path: Path, works: Works, names: Mapping[str, str] | None = None) -> None:
    """Write a class down as handing out and grading would."""
    ledger = Ledger(path, create=True)
    try:
        ledger.enrol(Learner(id_, (names or {}).get(id_, id_.title()), {"group": "red"}) for id_ in works)
        exercises = list(dict.fromkeys(exercise for own in works.values() for exercise in own))
        library = ScenarioLibrary()
        for exercise in exercises:
            scenario = library.find(exercise) or library.find("press-limit")
            assert scenario is not None
            ledger.add_scenario(digest_of(scenario), exercise, scenario.title, scenario_text(scenario))
            digest = digest_of(scenario)
            ledger.add_hand_outs(
                HandOut(exercise=exercise, learner=learner, variant=f"v{number}", scenario=digest, first_commit="f" * 40, tips={}, file="f")
                for number, learner in enumerate(works)
            )  # fmt: skip
            ledger.add_gradings(
                Grading(
                    submission=f"in/{learner}_{number}.zip", fingerprint=f"{learner} {number}", version=__version__, scenario=digest, exercise=exercise,
                    variant=f"v{place}", learner=learner, state=one.state, points=one.points, possible=one.possible, result=assessment_text(one),
                )
                for place, (learner, own) in enumerate(works.items())
                for number, one in enumerate(own.get(exercise, ()))
            )  # fmt: skip
    finally:
        ledger.close()


def random_class(
    size: int, exercises: Sequence[str], hunks: int, seed: int
) -> dict[str, dict[str, list[Assessment]]]:
    """A class in which each learner is as good as chance has it, at everything alike."""
    chance = random.Random(seed)
    found: dict[str, dict[str, list[Assessment]]] = {}
    for number in range(size):
        good = chance.betavariate(3, 1.5)
        found[f"l{number:05}"] = {
            exercise: [
                result(
                    exercise,
                    ["theirs" if chance.random() < good else chance.choice(WORDS[1:]) for _ in range(hunks)],
                    tidy=chance.random() < good,
                    work=f"{number}-{exercise}",
                    ended=2_000_000_000 + chance.randrange(10_000),
                    commits=[f"{number:08x}{place:032x}"],
                    left=f"limit = {chance.randrange(10**9)} of {number}\n",
                )
            ]
            for place, exercise in enumerate(exercises)
        }
    return found
