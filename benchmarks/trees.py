"""Scenarios of whole project trees: our way, and the same trees with plain `git` commands.

Base, ours and theirs are trees of made-up files of sixty lines; of each hundred files one conflicts, and one
is changed on each side alone. By hand is: `git init`, the trees copied in, `git add`, `git commit`, a branch
and a commit for each side, then `git merge`, `git status` and `git diff`. Ours makes all of that anew for
each command: for the survey, to plant, and for the key by which a submission is graded.
Usage: python -m benchmarks.trees [files]...
"""

from __future__ import annotations

import os
import random
import re
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from shutil import rmtree

from benchmarks.figures import note
from benchmarks.measuring import timed

SIZES = (1_000, 2_000, 4_000, 8_000, 16_000)
LINES = 60
BY_HAND = """
set -e
git init -q -b main work && cd work
cp -r ../base/. . && git add -A && git commit -q -m base
git checkout -q -b side && cp -r ../theirs/. . && git add -A && git commit -q -m theirs
git checkout -q main && cp -r ../ours/. . && git add -A && git commit -q -m ours
git merge side >/dev/null || true
git status >/dev/null && git diff >/dev/null
"""
WHO = {
    f"GIT_{role}_{what}": "bench@orchard.example"
    for role in ("AUTHOR", "COMMITTER")
    for what in ("NAME", "EMAIL")
}
SOLVE = (
    "git merge -q side >/dev/null 2>&1 || git checkout -q --theirs . && git add -A && git commit -q -m solved"
)


def main() -> None:
    """Run trees of some sizes and print one table."""
    sizes = [int(size) for size in sys.argv[1:]] or list(SIZES)
    print(f"{'':34}{'ours':>10}{'by hand':>12}{'ratio':>8}{'growth':>9}{'memory':>16}")
    before: dict[str, tuple[int, float]] = {}
    for size in sizes:
        with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
            top = Path(folder)
            made = _make(top, size)
            by_hand = timed(partial(_run, ["bash", "-c", BY_HAND], top))
            for what, took, memory in _ours(top):
                _show(what, size, took, by_hand, before, f"{memory / made:.1f} x the trees")
                before[what] = size, took


def _make(top: Path, size: int) -> int:
    """Write the trees; how many bytes they have together."""
    chance = random.Random(1)  # noqa: S311 - they are made-up files
    total = 0
    for number in range(size):
        path = f"pkg{number % 50}/sub{number % 7}/file{number}.py"
        base = "".join(f"line {line} of {number}: {chance.random()}\n" for line in range(LINES))
        ours = re.sub("line 5 ", "ours 5 ", base) if number % 100 in (0, 1) else base
        theirs = re.sub("line 5 ", "theirs 5 ", base) if number % 100 in (0, 2) else base
        for side, text in (("base", base), ("ours", ours), ("theirs", theirs)):
            file = top / side / path
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(text, "ascii")
            total += len(text)
    return total


def _ours(top: Path) -> list[tuple[str, float, int]]:
    """What each command takes: seconds, and bytes of memory at most."""
    program = str(Path(sys.executable).with_name("muddled"))
    _run([program, "sketch", "--from", ".", "big.toml"], top)
    found = []
    for what, command in (
        ("survey", ["survey", "big.toml", "--quiet"]),
        ("plant", ["plant", "big.toml", "practice", "--quiet"]),
        ("grade", ["grade", "practice"]),
    ):
        took = timed(partial(_run, [program, *command], top))
        found.append((what, took, _memory([program, *command], top)))
        if what == "plant":
            _run(["bash", "-c", SOLVE], top / "practice/work")
    return found


def _memory(command: Sequence[str], top: Path) -> int:
    """The most memory that a run takes, in bytes: it is measured by a process of its own."""
    if "plant" in command:
        rmtree(top / "practice", ignore_errors=True)
    script = (
        "import resource, subprocess, sys; subprocess.run(sys.argv[1:], capture_output=True); "
        "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
    )
    done = subprocess.run([sys.executable, "-c", script, *command], cwd=top, capture_output=True, check=True)
    return int(done.stdout) * 1024


def _run(command: Sequence[str], folder: Path) -> None:
    more = {"PATH": os.environ["PATH"], "HOME": str(folder), "GIT_CONFIG_NOSYSTEM": "1", **WHO}
    subprocess.run(list(command), cwd=folder, check=False, capture_output=True, env=more)


def _show(
    what: str, size: int, took: float, by_hand: float, before: dict[str, tuple[int, float]], memory: str
) -> None:
    name = f"{what}, {size:,} files"
    note(name, [took], [by_hand])
    growth = f"{took / before[what][1]:.2f}" if what in before and before[what][0] * 2 == size else ""
    print(f"{name:34}{took:>8.2f} s{by_hand:>10.2f} s{by_hand / took:>8.2f}{growth:>9}{memory:>16}")


if __name__ == "__main__":
    main()
