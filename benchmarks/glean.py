"""Gleaning: made histories beside plain Git, and real ones that a package brings.

    python -m benchmarks.glean            made ones, beside `git log | git merge-tree`
    python -m benchmarks.glean --real     real ones too

The first prints merges a second and what they take of memory. For the second apt-get fetches Debian's package
golang-github-go-git-go-git-fixtures-dev (49 MB). All that conflicted in its histories is taken: operations,
conflicts, how many were taken, how many proved (the real resolution earns everything), and seconds.
"""

from __future__ import annotations

import base64
import gzip
import json
import os
import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.made_history import make_history

PACKAGE = "golang-github-go-git-go-git-fixtures-dev"
_BY_HAND = "git log --min-parents=2 --format=%P main | git merge-tree --write-tree --stdin -z > /dev/null"
_PROGRAM = (sys.executable, "-m", "muddled_orchard")
_PACK = re.compile(r'"/data/(pack-[0-9a-f]+)\.pack":\s*\{.*?compressed: `(.*?)`', re.DOTALL)


def made(folder: Path) -> None:
    """Made histories: few conflicts, many, and a long one."""
    print("merges   conflicts  ours s  a second  by hand s  ratio  memory    by hand")
    for merges, every in ((5_000, 10), (20_000, 200), (100_000, 1_000)):
        place = folder / str(merges)
        make_history(place, merges, every)
        hand, memory_by_hand = _measured(["bash", "-c", _BY_HAND], place)
        ours, memory = _measured([*_PROGRAM, "glean", str(place), "--json", "--quiet"], folder)
        rate = merges / ours
        print(f"{merges:7,}  {merges // every:9,}  {ours:6.1f}  {rate:8,.0f}  {hand:9.1f}", end="  ")
        print(f"{ours / hand:5.1f}  {memory:4} MiB  {memory_by_hand:4} MiB", flush=True)


def real(folder: Path) -> None:
    """What a package brings: every conflict is taken."""
    print("history                                        operations  conflicts  taken  proved  seconds")
    for name, place in _histories(folder):
        begun = time.monotonic()
        done = subprocess.run(
            [*_PROGRAM, "glean", str(place), "--json", "--quiet", "--most", "1000"],
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode:
            print(f"{name}: {done.stderr.strip()}")
            continue
        found = json.loads(done.stdout)
        taken = proved = 0
        for row in found["found"]:
            file = folder / f"{name[5:15]}-{row['commit'][:10]}.toml"
            words = [*_PROGRAM, "glean", str(place), "--take", row["commit"], str(file)]
            made = subprocess.run(words, capture_output=True, text=True, check=False)
            taken += file.exists()
            proved += "Proved:" in made.stdout
            if "Proved:" not in made.stdout:
                print(f"  {row['commit'][:10]}: {(made.stderr or made.stdout).strip().splitlines()[0]}")
        seconds = time.monotonic() - begun
        print(
            f"{name:45}  {found['asked']:10}  {found['conflicted']:9}  {taken:5}  {proved:6}  {seconds:7.0f}"
        )


def _histories(folder: Path) -> Iterator[tuple[str, Path]]:
    """The packs of the package as repositories with a branch at each end."""
    subprocess.run(["apt-get", "download", PACKAGE], cwd=folder, check=True, capture_output=True)
    (package,) = folder.glob(f"{PACKAGE}*.deb")
    subprocess.run(["dpkg-deb", "-x", str(package), str(folder / "unpacked")], check=True)
    (data,) = (folder / "unpacked").rglob("data.go")
    for name, packed in _PACK.findall(data.read_text("utf-8")):
        place = folder / name
        subprocess.run(["git", "init", "-q", "--bare", str(place)], check=True)
        pack = gzip.decompress(base64.b64decode("".join(packed.split())))
        indexed = subprocess.run(
            ["git", "index-pack", "--stdin"], cwd=place, input=pack, check=False, capture_output=True
        )
        if indexed.returncode:
            continue
        ends = subprocess.run(
            ["git", "fsck", "--lost-found"], cwd=place, check=False, capture_output=True, text=True
        )
        for number, id_ in enumerate(re.findall(r"dangling commit ([0-9a-f]{40})", ends.stdout)):
            subprocess.run(["git", "update-ref", f"refs/heads/end-{number}", id_], cwd=place, check=True)
        yield name, place


def _measured(command: list[str], folder: Path) -> tuple[float, int]:
    """Seconds, and MiB of memory that the largest process took of it and of those that it began."""
    begun = time.monotonic()
    with subprocess.Popen(command, cwd=folder, stdout=subprocess.DEVNULL) as process:
        _, status, usage = os.wait4(process.pid, 0)
        process.returncode = os.waitstatus_to_exitcode(status)
    if process.returncode:
        raise subprocess.CalledProcessError(process.returncode, command)
    return time.monotonic() - begun, usage.ru_maxrss >> 10


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as room:
        if "--real" in sys.argv[1:]:
            real(Path(room))
        else:
            made(Path(room))
