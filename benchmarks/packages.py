"""Real code: three releases of each of ten public packages as base, ours and theirs, by `sketch --from`.

The releases are fetched as wheels, which are unpacked and never run. By hand is to build the same repository
and to merge; the hunks of the survey must be those that Git leaves.
Usage: python -m benchmarks.packages [folder with the wheels, to fetch them once]
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import zipfile
from functools import partial
from pathlib import Path

from benchmarks.figures import note
from benchmarks.measuring import timed
from benchmarks.trees import SOLVE, WHO

RELEASES = {
    "attrs": ("23.1.0", "23.2.0", "24.2.0"),
    "click": ("8.0.4", "8.1.3", "8.1.8"),
    "flask": ("2.2.5", "2.3.3", "3.0.3"),
    "idna": ("3.4", "3.6", "3.10"),
    "jinja2": ("3.1.2", "3.1.4", "3.1.6"),
    "packaging": ("22.0", "23.2", "24.2"),
    "pluggy": ("1.0.0", "1.3.0", "1.5.0"),
    "requests": ("2.28.2", "2.31.0", "2.32.3"),
    "urllib3": ("1.26.18", "2.0.7", "2.2.3"),
    "werkzeug": ("2.2.3", "2.3.8", "3.0.6"),
}

BY_HAND = """
set -e
git init -q -b main work && cd work
cp -r ../base/. . && git add -A && git commit -q -m base
git checkout -q -b side && git rm -rq . && cp -r ../theirs/. . && git add -A && git commit -q -m theirs
git checkout -q main && git rm -rq . && cp -r ../ours/. . && git add -A && git commit -q -m ours
git merge side >/dev/null || true
git status >/dev/null && git diff >/dev/null
"""


def main() -> None:
    """Fetch, run all, and print one table."""
    with tempfile.TemporaryDirectory(prefix="muddled-bench-") as folder:
        top = Path(folder)
        wheels = Path(sys.argv[1]) if len(sys.argv) > 1 else top / "wheels"
        print(f"\n{'':20}{'files':>7}{'hunks':>7}{'survey':>10}{'plant':>10}{'grade':>10}{'by hand':>10}")
        for name, versions in RELEASES.items():
            room = top / name
            for side, version in zip(("base", "ours", "theirs"), versions, strict=True):
                with zipfile.ZipFile(_wheel(wheels, name, version)) as archive:
                    archive.extractall(room / side)
                for about in room.glob(f"{side}/*.dist-info"):
                    about.rename(about.with_name("about"))  # it bears the version in its name
            _one(name, room)


def _wheel(wheels: Path, name: str, version: str) -> Path:
    """A release, fetched where it isn't there."""
    wheels.mkdir(exist_ok=True)
    for fetched in (True, False):
        for wheel in wheels.iterdir():
            if wheel.name.lower().startswith(f"{name}-{version}-"):
                return wheel
        if fetched:
            what = [f"{name}=={version}", "--no-deps", "--only-binary", ":all:", "--dest", str(wheels)]
            subprocess.run([sys.executable, "-m", "pip", "download", *what], capture_output=True, check=False)
    raise SystemExit(f"{name} {version} can't be fetched")


def _one(name: str, room: Path) -> None:
    program = str(Path(sys.executable).with_name("muddled"))
    env = {"PATH": os.environ["PATH"], "HOME": str(room), "GIT_CONFIG_NOSYSTEM": "1", **WHO}
    run = partial(subprocess.run, cwd=room, capture_output=True, env=env, check=False)
    by_hand = timed(partial(run, ["bash", "-c", BY_HAND]))
    left = run(["git", "grep", "-c", "^<<<<<<< "], cwd=room / "work", text=True).stdout.split()
    run([program, "sketch", "--from", ".", "big.toml"])
    told = run([program, "survey", "big.toml", "--json"], text=True).stdout
    (survey,) = json.loads(told)["surveys"]
    hunks = sum(int(line.rpartition(":")[2]) for line in left)
    if survey["hunks"] != hunks:
        raise SystemExit(f"{name}: {survey['hunks']} hunks, and Git leaves {hunks}")
    times = [timed(partial(run, [program, "survey", "big.toml", "--quiet"]))]
    times.append(timed(partial(run, [program, "plant", "big.toml", "practice", "--quiet"])))
    run(["bash", "-c", SOLVE], cwd=room / "practice/work")
    times.append(timed(partial(run, [program, "grade", "practice"])))
    for what, took in zip(("survey", "plant", "grade"), times, strict=True):
        note(f"{what} {name}", [took], [by_hand])
    files = sum(path.is_file() for path in (room / "base").rglob("*"))
    shown = "".join(f"{took:>8.2f} s" for took in (*times, by_hand))
    print(f"{name:20}{files:>7}{hunks:>7}{shown}", flush=True)


if __name__ == "__main__":
    main()
