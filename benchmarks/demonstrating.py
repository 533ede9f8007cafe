"""Walking through a scenario, and planting one at a step: our way and plain `git` commands in a script.

The script is the one that the walkthrough writes: it runs the same commands, one after the other, and neither
reads their answers nor says what to look at. Each takes several turns, and the best counts.
Usage: python -m benchmarks.demonstrating [scenario]...
"""

from __future__ import annotations

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

TURNS = 5
SCENARIOS = ("press-limit", "rebase-four", "pull-by-rebase", "five-in-a-rebase", "early-merges")


def main() -> None:
    """Run some scenarios and print one table."""
    program = Path(sys.executable).with_name("muddled")
    with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
        top = Path(folder)
        print(f"\n{'':42}{'ours':>12}{'by hand':>12}{'ratio':>8}")
        for id_ in sys.argv[1:] or SCENARIOS:
            script, conflict = _scripts(program, id_, top)
            made = top / "made"
            whole = _times([program, "walkthrough", id_, "--to", top / "page.html"], top, made)
            _show(f"walkthrough {id_}", whole, _times(["bash", script, made], top, made))
            at = _times([program, "plant", id_, made, "--at", "conflict", "--quiet"], top, made)
            _show(f"plant {id_} --at conflict", at, _times(["bash", conflict, made], top, made))
        plain = _times([program, "plant", "press-limit", made, "--quiet"], top, made)
        print(f"plant press-limit: {1000 * min(plain):.0f} ms")


def _scripts(program: Path, id_: str, top: Path) -> tuple[Path, Path]:
    """The script of a whole walkthrough, and the same up to its first conflict, without wrong turns."""
    whole, until = top / f"{id_}.sh", top / f"{id_}-conflict.sh"
    for file, more in ((whole, []), (until, ["--short"])):
        subprocess.run([program, "walkthrough", id_, "--to", file, *more], check=True, capture_output=True)
    text = until.read_text("utf-8")
    found = re.search(r"(?m)^step '.*\(file\)'$", text)
    until.write_text(text[: found.start()] if found else text, "utf-8")
    return whole, until


def _times(command: Sequence[object], folder: Path, made: Path) -> list[float]:
    times = []
    for _ in range(TURNS):
        rmtree(made, ignore_errors=True)
        run = partial(
            subprocess.run, list(map(str, command)), cwd=folder, check=True, capture_output=True,
            stdin=subprocess.DEVNULL,
        )  # fmt: skip
        times.append(timed(run))
    return times


def _show(what: str, ours: Sequence[float], by_hand: Sequence[float]) -> None:
    best, other = note(what, ours, by_hand)
    print(f"{what:42}{1000 * best:>9.0f} ms{1000 * other:>9.0f} ms{other / best:>8.2f}")


if __name__ == "__main__":
    main()
