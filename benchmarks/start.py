"""How long commands take to start, beside `python -c 'import argparse'`, in turns; and how many modules they
load, and how long that takes (`python -X importtime`, which itself takes a part of it)."""

from __future__ import annotations

import compileall
import re
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
        loaded = {name: _loaded(words, folder) for name, words in commands.items()}
    print(f"\n{'':30}{'ours':>12}{'argparse':>12}{'times':>8}{'modules':>10}{'loading':>12}")
    for name, took in times.items():
        ours, base = note(name, took, least)
        modules, loading = loaded[name]
        times_said = f"{1000 * ours:>9.0f} ms{1000 * base:>9.0f} ms{ours / base:>8.2f}"
        print(f"{name:30}{times_said}{modules:>10}{1000 * loading:>9.0f} ms")


def _loaded(words: list[str], folder: str) -> tuple[int, float]:
    """How many modules a command and its processes load, and how many seconds that takes."""
    command = [sys.executable, "-X", "importtime", "-m", "muddled_orchard", *words]
    told = subprocess.run(command, cwd=folder, check=False, capture_output=True, text=True).stderr
    took = [int(found) for found in re.findall(r"^import time: +(\d+) \|", told, re.MULTILINE)]
    return len(took), sum(took) / 1e6


def _run(command: list[str], folder: str) -> None:
    subprocess.run(command, cwd=folder, check=False, capture_output=True)


if __name__ == "__main__":
    main()
