"""`make bench`: our way and the by-hand way (shell scripts with plain `git` commands) side by side.

Every figure is for one core. Both ways work on the same disk, one after the other, in the same run.
Usage: python -m benchmarks [how many repositories]
"""

from __future__ import annotations

import hashlib
import os
import resource
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterable, Sequence
from functools import partial
from itertools import product
from pathlib import Path

from benchmarks.figures import note
from benchmarks.measuring import EXERCISE, HERE, WAYS, material_of, timed
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.grading.assess import assess
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.merging.alignment import Gap, align
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.core.submission.submission import Submission
from muddled_orchard.files.scenarios.bundled import bundled_ids
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.ask.surveying import Surveyor
from muddled_orchard.vcs.grading import grader
from muddled_orchard.vcs.planting import plant

TURNS = 4


def _assessed(evidence: Evidence, key: Key) -> None:
    assess(Submission(evidence, key))


def main() -> None:
    """Run all and print one table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})
    with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
        top = Path(folder)
        print(f"{count} repositories, one core, in {top.parent}\n")
        print(f"{'':42}{'ours':>12}{'by hand':>12}{'ratio':>8}")
        planting(top, count)
        grading(top, count)
    surveying()
    assessing()
    aligning()
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"\npeak memory of this process: {peak:.0f} MB")


def in_turns(
    ours: Callable[[int], object], by_hand: Callable[[int], object]
) -> tuple[list[float], list[float]]:
    """The times of two ways that take turns, so that a busy machine is no advantage to either."""
    times: tuple[list[float], list[float]] = ([], [])
    for turn in range(TURNS):
        for way, taken in zip((by_hand, ours), times, strict=True):
            taken.append(timed(partial(way, turn)))
    return times[1], times[0]


def row(what: str, ours: Sequence[float], by_hand: Sequence[float], count: int) -> None:
    """A line of the table, in milliseconds for each."""
    best, other = note(what, [one / count for one in ours], [one / count for one in by_hand])
    print(f"{what:42}{1000 * best:>9.2f} ms{1000 * other:>9.2f} ms{other / best:>8.1f}")


def planting(top: Path, count: int) -> None:
    """The same repository again and again, by both ways; their ids must agree."""
    scenario = ScenarioLibrary().find(EXERCISE)
    assert scenario is not None  # noqa: S101
    model = plant(scenario, top / "plain", "0")
    material = material_of(top)
    share = max(1, count // TURNS)
    script = [str(HERE / "by_hand_plant.sh")]

    def ours(turn: int) -> None:
        for number in range(share):
            plant(scenario, top / "ours" / f"{turn}-{number}", "0")

    def by_hand(turn: int) -> None:
        subprocess.run([*script, str(top / "by-hand" / str(turn)), str(share), str(material)], check=True)

    row("plant, each", *in_turns(ours, by_hand), share)
    answer = subprocess.run(
        ["git", "rev-parse", "main"], cwd=top / "by-hand/0/0/work", capture_output=True, text=True, check=True
    )
    if answer.stdout.strip() != model.ids[len(model.history.commits) - 1]:
        raise SystemExit("the by-hand way must build the same commits")


def grading(top: Path, count: int) -> None:
    """Submissions of eight behaviours in turn: all of one variant, then each of its own."""
    library = ScenarioLibrary()
    scenario = library.find(EXERCISE)
    assert scenario is not None  # noqa: S101
    scratch = ScratchRepository(top / "scratch.git")
    for kind, codes in (("one variant", 1), (f"{count} variants", count)):
        folder = top / f"class-{codes}"
        for number in range(count):
            code = hashlib.sha256(str(number % codes).encode()).hexdigest()[:6]
            plant(scenario, folder / f"{number:04}", code)
            key = make_key(scratch, scenario, code)
            behaviour = named(WAYS[number % len(WAYS)])
            behaviour.act(LearnerSession(folder / f"{number:04}" / "work", key, "ilse"))
        key = make_key(scratch, scenario, hashlib.sha256(b"0").hexdigest()[:6])
        (top / "wanted").write_bytes(key.texts[key.steps[0].solved["press.toml"].id])
        tips = [key.refs[f"refs/heads/{branch}"] for branch in ("main", "night-shift")]
        script = [str(HERE / "by_hand_grade.sh"), str(folder), str(top / "wanted"), *tips]
        submissions = sorted(folder.iterdir())

        def ours(_: int, submissions: list[Path] = submissions) -> None:
            with grader(lambda hand_out: library.find(hand_out.exercise)) as grading:
                assert len(list(grading.grade(submissions))) == count  # noqa: S101

        def by_hand(_: int, script: list[str] = script) -> None:
            subprocess.run(script, check=True, stdout=subprocess.DEVNULL)

        row(f"grade, each ({kind})", *in_turns(ours, by_hand), count)


def surveying() -> None:
    """A survey of the whole catalogue beside the bare `git merge-tree` calls for the same merges."""
    library = ScenarioLibrary()
    scenarios = [scenario for id_ in bundled_ids() if (scenario := library.find(id_)) is not None]
    asked: list[tuple[str, str]] = []
    merge_trees = git.merge_trees

    def noted(gitdir: Path, pairs: Iterable[tuple[str, str]]) -> tuple[bytes, bytes]:
        pairs = list(pairs)
        asked.extend(pairs)
        return merge_trees(gitdir, pairs)

    with tempfile.TemporaryDirectory() as folder:
        git.merge_trees = noted
        surveyor = Surveyor(Path(folder))
        taken = timed(lambda: surveyor.survey(scenarios, PLAIN_VARIANT))
        git.merge_trees = merge_trees
        gitdir = Path(folder) / "scratch.git"

        def bare() -> None:
            for style, pair in product(("merge", "diff3"), asked):
                command = ["git", "-c", f"merge.conflictStyle={style}", "merge-tree", "--write-tree", *pair]
                subprocess.run(command, cwd=gitdir, stdout=subprocess.DEVNULL, check=False)

        calls = timed(bare)
    ours, calls = note("survey of the catalogue", [taken], [calls])
    print(f"\nsurvey of {len(scenarios)} scenarios: {1000 * ours:.0f} ms, ratio {ours / calls:.2f}")
    print(f"  to the {2 * len(asked)} bare git merge-tree calls for it: {1000 * calls:.0f} ms")


def assessing() -> None:
    """The pure core on one submission's evidence, for every bundled scenario solved by its key."""
    library = ScenarioLibrary()
    taken: list[tuple[float, str, int]] = []
    with tempfile.TemporaryDirectory() as folder:
        scratch = ScratchRepository(Path(folder) / "scratch.git")
        for id_ in bundled_ids():
            scenario = library.find(id_)
            assert scenario is not None  # noqa: S101
            key = make_key(scratch, scenario, PLAIN_VARIANT)
            tips = {**key.refs, **{f"refs/heads/{name}": tip for name, tip in key.solved_tips.items()}}
            own = {id_: commit for id_, commit in key.commits.items() if id_ not in key.handed_out}
            on = scenario.task[-1].on
            evidence = Evidence(head=on, head_commit=key.solved_tips[on], refs=tips, commits=own)
            lines = sum(text.count(b"\n") for text in key.texts.values())
            taken.append((min(timed(partial(_assessed, evidence, key)) for _ in range(5)), id_, lines))
    slowest, id_, lines = max(taken)
    middle = sorted(taken)[len(taken) // 2][0]
    print(f"assessing one submission: {1000 * middle:.2f} ms (median of {len(taken)} scenarios), "
          f"at most {1000 * slowest:.2f} ms ({id_}, {lines} lines)")  # fmt: skip


def aligning() -> None:
    """The alignment alone, by length of the file."""
    print("\nalignment with ten hunks and five stray edits:")
    for length in (500, 5_000, 50_000):
        part = length // 11
        template: list[tuple[str, ...] | Gap] = [tuple(f"clean {n}" for n in range(part))]
        lines = list(template[0]) if not isinstance(template[0], Gap) else []
        for number in range(10):
            template += [Gap((("ours",), ("theirs",))), tuple(f"{number} clean {n}" for n in range(part))]
            lines += ["theirs", *(f"{number} clean {n}" for n in range(part))]
        for place in range(1, 6):
            lines[place * part + part // 2] = "stray"
        read = partial(align, template, tuple(lines))
        took, _ = note(f"alignment, {length} lines", [timed(read) for _ in range(3)])
        print(f"  {length:>6} lines: {1000 * took:>7.2f} ms")


if __name__ == "__main__":
    main()
