"""How time grows with the size of one thing: commits, commits of a rebase, conflicted files, hunks of a file,
lines of a file, branches, answers.

`growth` is the time against half as much; 2 is in proportion. Beside it stands what Git itself takes for the
operation alone (`git merge -X theirs`, `git rebase -X theirs`), without a look at what came of it, and the
most memory that any process has taken by then.
Usage: python -m benchmarks.growth [what]...
"""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

from benchmarks.figures import note
from benchmarks.measuring import timed

_WHO = {
    f"GIT_{role}_{what}": "bench@orchard.example"
    for role in ("AUTHOR", "COMMITTER")
    for what in ("NAME", "EMAIL")
}
_MERGE = '[[task]]\ndo="merge"\non="main"\nbring="side"\n'


def _entry(on: str, files: dict[str, str], message: str, *, begun_on: str = "") -> str:
    """An entry of a story that writes files."""
    written = ", ".join(f'"{path}" = "{text}"' for path, text in files.items())
    begun = f'from = "{begun_on}"\n' if begun_on else ""
    return f'[[story]]\non = "{on}"\n{begun}write = {{ {written} }}\nmessage = "{message}"\n'


def _sides(base: dict[str, str], theirs: dict[str, str], ours: dict[str, str]) -> str:
    begun = _entry("main", base, "base")
    return begun + _entry("side", theirs, "theirs", begun_on="main") + _entry("main", ours, "ours") + _MERGE


def _commits(size: int) -> str:
    parts = [_entry("main", {"a.txt": "0\\n", "b.txt": "0\\n"}, "base")]
    for number in range(size):
        on, file = ("main", "a.txt") if number % 2 else ("side", "b.txt")
        begun = "main" if number == 0 else ""
        parts.append(_entry(on, {file: f"{number + 1}\\n"}, f"c{number}", begun_on=begun))
    return "".join(parts) + _MERGE


def _rebase(size: int) -> str:
    """So many commits that are replayed, of which every second conflicts; the file is always as long."""

    def change(number: int, word: str) -> str:
        return f'{{ file = "a.txt", find = "l{8 * number}\\n", put = "{word}{8 * number}\\n" }}'

    lines = "".join(f"l{number}\\n" for number in range(8 * 200))
    parts = [_entry("main", {"a.txt": lines}, "base")]
    for number in range(size):
        begun = 'from = "main"\n' if number == 0 else ""
        parts.append(
            f'[[story]]\non = "side"\n{begun}change = [{change(number, "s")}]\nmessage = "c{number}"\n'
        )
    ours = ", ".join(change(number, "m") for number in range(0, size, 2))
    parts.append(f'[[story]]\non = "main"\nchange = [{ours}]\nmessage = "ours"\n')
    parts.append('[[task]]\ndo = "rebase"\non = "side"\nonto = "main"\n')
    return "".join(parts) + '[[answer]]\nfile = "a.txt"\nkeep = ["theirs"]\n'


def _files(size: int) -> str:
    base, theirs, ours = ({f"f{n}.txt": f"{side}{n}\\n" for n in range(size)} for side in "bto")
    answers = "".join(f'[[answer]]\nfile = "f{n}.txt"\nkeep = ["theirs"]\n' for n in range(size))
    return _sides(base, theirs, ours) + answers


def _hunks(size: int) -> str:
    def text(side: str) -> str:
        between = "".join(f"k{{0}}{letter}\\n" for letter in "abcdefg")
        return "".join(f"{side}{n}\\n" + between.format(n) for n in range(size))

    words = ", ".join(['"theirs"'] * size)
    sides = _sides({"a.txt": text("b")}, {"a.txt": text("t")}, {"a.txt": text("o")})
    return sides + f'[[answer]]\nfile = "a.txt"\nkeep = [{words}]\n'


def _lines(size: int) -> str:
    def text(side: str) -> str:
        half = "".join(f"line {n}\\n" for n in range(size // 2))
        return half + f"{side}\\n" + half.replace("line", "more")

    sides = _sides({"a.txt": text("b")}, {"a.txt": text("t")}, {"a.txt": text("o")})
    return sides + '[[answer]]\nfile = "a.txt"\nkeep = ["theirs"]\n'


def _branches(size: int) -> str:
    parts = [
        _entry("main", {"a.txt": "0\\n"}, "base"),
        _entry("side", {"b.txt": "0\\n"}, "s", begun_on="main"),
    ]
    parts += [_entry(f"b{n}", {"c.txt": f"{n}\\n"}, f"c{n}", begun_on="main") for n in range(size)]
    return "".join(parts) + _MERGE


def _answers(size: int) -> str:
    """So many alternatives for one file, of which the last is taken."""
    ways = "".join(f'[[answer]]\nfile = "a.txt"\ntext = "way {n}\\n"\n' for n in range(size - 1))
    return (
        _sides({"a.txt": "b\\n"}, {"a.txt": "t\\n"}, {"a.txt": "o\\n"})
        + ways
        + '[[answer]]\nfile = "a.txt"\nkeep = ["theirs"]\n'
    )


# As large as a scenario file may be (`core.base.limits`).
CASES: dict[str, tuple[Callable[[int], str], tuple[int, ...]]] = {
    "commits": (_commits, (120, 240, 480)),
    "commits of a rebase": (_rebase, (50, 100, 200)),
    "conflicted files": (_files, (125, 250, 500)),
    "hunks of a file": (_hunks, (1_250, 2_500, 5_000)),
    "lines of a file": (_lines, (25_000, 50_000, 100_000)),
    "branches": (_branches, (120, 240, 480)),
    "answers": (_answers, (120, 240, 480)),
}


def main() -> None:
    """Run all, and print one table."""
    print(
        f"\n{'':34}{'survey':>9}{'plant':>9}{'grade':>9}{'git alone':>11}{'growth of each':>20}{'memory':>9}"
    )
    for what in sys.argv[1:] or CASES:
        make, sizes = CASES[what]
        before: list[float] = []
        for size in sizes:
            took = _one(what, make(size))
            growth = "  ".join(f"{now / was:.2f}" for now, was in zip(took, before, strict=False))
            note(f"grade, {size:,} {what}", [took[2]], [took[3]])
            times = "".join(f"{one:>7.2f} s" for one in took[:3])
            print(
                f"{f'{size:,} {what}':34}{times}{took[3]:>9.2f} s{growth:>20}{_largest():>6.0f} MB",
                flush=True,
            )
            before = took[:3]


def _largest() -> float:
    """The most memory, in MB, that any of the processes has taken by now."""
    return resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024


def _one(what: str, story: str) -> list[float]:
    """Seconds for survey, plant, grade, and for Git alone."""
    program = str(Path(sys.executable).with_name("muddled"))
    rebases = what == "commits of a rebase"
    git = ["git", *("rebase main" if rebases else "merge side").split(), "-q", "-X", "theirs"]
    with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
        top = Path(folder)
        (top / "big.toml").write_text(f'title = "Big"\nbrief = "b"\n{story}', "utf-8")
        run = partial(subprocess.run, cwd=top, check=True, capture_output=True)
        survey = timed(partial(run, [program, "survey", "big.toml", "--quiet"]))
        plant = timed(partial(run, [program, "plant", "big.toml", "practice", "--quiet"]))
        more = {**os.environ, **_WHO, "GIT_EDITOR": ":"}
        work = top / "practice/work"
        alone = timed(partial(run, git, cwd=work, env=more))
        grade = timed(partial(run, [program, "grade", "practice"]))
    return [survey, plant, grade, alone]


if __name__ == "__main__":
    main()
