"""How long commands take to start, beside `python -c 'import argparse'`, in turns."""

from __future__ import annotations

import compileall
import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path

import muddled_orchard
from benchmarks.figures import note
from benchmarks.measuring import EXERCISE, timed

TURNS = 15
LEAST = [sys.executable, "-c", "import argparse"]


def main() -> None:
    """Run each in turn, and print one table."""
    program = str(Path(sys.executable).with_name("muddled"))
    # As pip does it when it installs: who works on the sources may have told Python to write no bytecode.
    compileall.compile_dir(Path(muddled_orchard.__file__).parent, quiet=1)
    commands = {
        "muddled --help": ["--help"],
        "muddled peek": ["peek", "practice"],
        "muddled catalogue": ["catalogue"],
        "muddled survey, one": ["survey", EXERCISE],
        "muddled grade, one": ["grade", "practice"],
        "muddled plant": ["plant", EXERCISE, "planted", "--quiet"],
    }
    with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
        subprocess.run([program, "plant", EXERCISE, "practice", "--quiet"], cwd=folder, check=True)
        times: dict[str, list[float]] = {name: [] for name in commands}
        least: list[float] = []
        for turn in range(TURNS):
            least.append(timed(partial(_run, LEAST, folder)))
            for name, words in commands.items():
                given = [word.replace("planted", f"planted-{turn}") for word in words]
                times[name].append(timed(partial(_run, [program, *given], folder)))
    print(f"\n{'':42}{'ours':>12}{'argparse':>12}{'times':>8}")
    for name, took in times.items():
        ours, base = note(name, took, least)
        print(f"{name:42}{1000 * ours:>9.0f} ms{1000 * base:>9.0f} ms{ours / base:>8.2f}")


def _run(command: list[str], folder: str) -> None:
    subprocess.run(command, cwd=folder, check=False, capture_output=True)


if __name__ == "__main__":
    main()
