"""Random histories, made with real Git as people make them: what conflicted is found, what was kept is read as it
was made, and each exercise that is taken proves itself. `make wild` tries some; each is drawn from a seed.
"""

from __future__ import annotations

import argparse
import os
import random
import subprocess
import tempfile
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from muddled_orchard.commands.glean.found import Wanted, find
from muddled_orchard.commands.glean.making import ToTake, make
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.gleaning.conflicts_met import Gleaned
from muddled_orchard.core.gleaning.exercise import SideCommits

FILES = ("rows.csv", "plan/list.txt", "notes.md", "a b.txt", "bäume.txt", "run.sh", "crlf.txt", "seal.bin")
WORDS = ("ours", "theirs", "ours+theirs", "theirs+ours", "blend", "neither")
EVERYTHING = Wanted("", "", "", 1_000)

# What stands in the way of an exercise by right.
ALLOWED = ("several bases", "does not conflict", "has all of", "nothing of it was kept")


class History:
    """A repository in the making, and what conflicted in it: by subject, what was kept in each text."""

    def __init__(self, seed: int, folder: Path) -> None:
        self.chance, self.folder = random.Random(seed), folder
        self.conflicted: dict[str, dict[str, str]] = {}
        self.number = 0
        folder.mkdir()
        self.git("init", "-q", "-b", "main")
        for file in self.chance.sample(FILES, self.chance.randint(2, 5)):
            self.write(file, [f"{file} {n}" for n in range(self.chance.randint(6, 30))])
        self.commit("Begin")

    def git(self, *words: str, may_fail: bool = False) -> subprocess.CompletedProcess[str]:
        who = self.chance.choice(("Ann Grower", "Bea Picker", "Cem Presser"))
        self.number += 1
        more = {
            "GIT_CONFIG_GLOBAL": os.devnull, "GIT_CONFIG_NOSYSTEM": "1", "GIT_EDITOR": "true",
            "GIT_AUTHOR_NAME": who, "GIT_AUTHOR_EMAIL": "somebody@growers.invalid", "GIT_COMMITTER_NAME": who,
            "GIT_COMMITTER_EMAIL": "somebody@growers.invalid", "GIT_AUTHOR_DATE": f"{1_900_000_000 + self.number} +0200",
            "GIT_COMMITTER_DATE": f"{1_900_000_000 + self.number} +0200",
        }  # fmt: skip
        return subprocess.run(
            ["git", *words],
            cwd=self.folder,
            check=not may_fail,
            capture_output=True,
            text=True,
            env={**os.environ, **more},
        )

    def files(self) -> list[str]:
        return [name for name in self.git("ls-files", "-z").stdout.split("\0") if name]

    def lines(self, file: str) -> list[str]:
        data = (self.folder / file).read_bytes() if (self.folder / file).is_file() else b""
        return data.decode("utf-8", "replace").replace("\r\n", "\n").replace("\0", "").splitlines()

    def write(self, file: str, lines: Sequence[str]) -> None:
        end = "\r\n" if file == "crlf.txt" else "\n"
        data = "".join(f"{line}{end}" for line in lines)
        if file == "seal.bin":
            data = "\0" + data
        if file == "notes.md":
            data = data.rstrip("\n")
        (self.folder / file).parent.mkdir(exist_ok=True)
        (self.folder / file).write_bytes(data.encode())

    def commit(self, subject: str) -> None:
        self.git("add", "-A")
        self.git("commit", "-q", "--allow-empty", "-m", subject)

    def change(self, who: str) -> None:
        """A commit of some edits."""
        chance, files = self.chance, self.files()
        for file in chance.sample(files, min(len(files), chance.randint(1, 2))):
            what = chance.random()
            if what < 0.08 and len(files) > 2:
                (self.folder / file).unlink(missing_ok=True)
            elif what < 0.14 and len(files) > 1:
                (self.folder / file).rename(self.folder / f"{who}-{self.number}.txt")
            elif what < 0.18:
                (self.folder / file).chmod(0o755)
            elif what < 0.24:
                self.write(f"new-{chance.randint(0, 2)}.txt", [f"{who} {self.number}", "new"])
            else:
                lines = self.lines(file)
                for _ in range(chance.randint(1, 3)):
                    at = chance.randint(0, max(0, min(len(lines) - 1, 12)))
                    new = [f"{who} {self.number} {n}" for n in range(chance.randint(0, 3))]
                    lines[at : at + chance.randint(0, 2)] = new
                self.write(file, lines)
        self.commit(f"{who} {self.number}")

    def round(self) -> None:
        """Two sides part, and come together again in some way."""
        chance = self.chance
        side = f"side-{self.number}"
        self.git("checkout", "-q", "-b", side, "main")
        for _ in range(chance.randint(1, 3)):
            self.change("side")
        self.git("checkout", "-q", "main")
        for _ in range(chance.randint(1, 3)):
            self.change("main")
        how = chance.random()
        words: tuple[str, ...] = ("merge", "-q", "--no-edit", side)
        subject = f"Merge branch '{side}' {self.number}"
        if 0.7 < how < 0.85:
            subject, words = f"Copied {self.number}", ("cherry-pick", "-x", side)
        elif how > 0.7:
            before = int(
                self.git("rev-list", "--count", "--first-parent", "main").stdout
            )  # the first has no parent
            undone = self.git("rev-parse", f"main~{chance.randint(0, min(1, before - 2))}").stdout.strip()
            subject, words = f"Taken back {self.number}", ("revert", "--no-edit", undone)
        done = self.git(*words, may_fail=True)
        unmerged = self.git("ls-files", "-u", "-z").stdout
        if not unmerged:
            if done.returncode:  # nothing was left of it
                self.git("reset", "-q", "--hard")
            return
        self.conflicted[subject] = self.resolve()
        if words[0] == "merge":
            self.git("add", "-A")
            self.git("commit", "-q", "--allow-empty", "-m", subject)
            return
        message = self.git("rev-parse", "--git-path", "MERGE_MSG").stdout.strip()
        said = (self.folder / message).read_text().splitlines()
        kept = [line for line in said if line.startswith(("(cherry", "This reverts"))]
        self.git("add", "-A")
        self.git("commit", "-q", "--allow-empty", "-m", "\n\n".join([subject, *kept]))
        self.git(words[0], "--quit", may_fail=True)

    def resolve(self) -> dict[str, str]:
        """Decide every conflict, each file in one way; what was kept in those of which that is certain."""
        kept = {}
        rows = [row.split("\t") for row in self.git("ls-files", "-u", "-z").stdout.split("\0") if row]
        stages: dict[str, set[str]] = {}
        for about, path in rows:
            stages.setdefault(path, set()).add(about.split()[2])
        for path, there in stages.items():
            place = self.folder / path
            text = place.read_bytes() if place.is_file() else b""
            word = self.chance.choice(WORDS)
            if {"2", "3"} <= there and b"<<<<<<< " in text:
                place.write_bytes(_decided(text, word, self.number))
                kept[path] = word
            elif "2" in there and self.chance.random() < 0.5:
                self.git("checkout", "-q", "--ours", "--", path, may_fail=True)
            elif "3" in there and self.chance.random() < 0.5:
                self.git("checkout", "-q", "--theirs", "--", path, may_fail=True)
            else:
                place.unlink(missing_ok=True)
        if self.chance.random() < 0.2:
            self.write("beside.txt", [f"beside {self.number}"])
            kept.pop("beside.txt", None)  # it may have been one of them
        return kept


def _decided(text: bytes, word: str, number: int) -> bytes:
    """A text with each hunk decided alike."""
    out: list[bytes] = []
    sides: dict[str, list[bytes]] = {}
    at = ""
    for line in text.splitlines(keepends=True):
        if line.startswith(b"<<<<<<< "):
            at, sides = "ours", {"ours": [], "theirs": []}
        elif at and line.startswith(b"======="):
            at = "theirs"
        elif at and line.startswith(b">>>>>>> "):
            end = b"\r\n" if line.endswith(b"\r\n") else b"\n"
            blend = [b"blend %d%s" % (number, end)]
            out += (
                blend if word == "blend" else [one for part in word.split("+") for one in sides.get(part, [])]
            )
            at = ""
        elif at:
            sides[at].append(line)
        else:
            out.append(line)
    return b"".join(out)


def faults(seed: int) -> list[str]:
    """What is wrong with what is gleaned of a history."""
    with tempfile.TemporaryDirectory(prefix="wild-") as room:
        history = History(seed, Path(room) / "real")
        for _ in range(history.chance.randint(2, 5)):
            history.round()
        found = find(history.folder, EVERYTHING, quiet=True)
        read = {row.redone.commit.subject: row for row in found.rows}
        wrong = [f"not found: {subject}" for subject in history.conflicted if subject not in read]
        wrong += [f"{found.failed} could not be asked"] if found.failed else []
        for subject, row in read.items():
            if row.redone.how != "rebase" and subject not in history.conflicted:
                wrong.append(f"did not conflict: {subject}")
            wrong += _misread(row, history.conflicted.get(subject, {}))
        for number, row in enumerate(found.rows):
            wrong += _not_taken(history, row, Path(room) / f"taken-{number}.toml")
        return [f"{one}" for one in wrong]


def main() -> int:
    """Try some, each from a seed of its own."""
    options = argparse.ArgumentParser(prog="python -m tests.wild_histories")
    options.add_argument("--count", type=int, default=100)
    options.add_argument("--seed", type=int, default=random.randrange(10**6))
    asked = options.parse_args()
    wrong = 0
    with ProcessPoolExecutor() as pool:
        seeds = range(asked.seed, asked.seed + asked.count)
        for seed, found in zip(seeds, pool.map(faults, seeds), strict=True):
            if found:
                wrong += 1
                print(f"seed {seed}:", *found, sep="\n  ", flush=True)
    print(f"{asked.count} histories from seed {asked.seed}: {wrong} with a fault")
    return 1 if wrong else 0


def _misread(row: Gleaned, kept: dict[str, str]) -> list[str]:
    """A hunk that reads in one way alone reads as it was decided."""
    for met in row.conflicts:
        word = kept.get(met.path)
        if word in ("ours", "theirs", "blend") and met.hunks and not met.outside and word not in met.kept:
            return [f"{row.redone.commit.subject}: {met.path}: {word} reads as {met.kept}"]
    return []


def _not_taken(history: History, row: Gleaned, file: Path) -> list[str]:
    whole = history.chance.random() < 0.2
    ways: tuple[SideCommits | None, ...] = (None, "squash", "keep")
    commits = history.chance.choice(ways)
    subject = row.redone.commit.subject
    try:
        made = make(
            history.folder, file, ToTake(row.redone.commit.id, None, whole, commits, keep_names=False)
        )
    except BadInput as bad:
        return [] if any(word in str(bad) for word in ALLOWED) else [f"{subject}: {bad}"]
    if made.proof is None:
        return [
            f"{subject}: {'; '.join(map(str, made.faults)) or 'no proof'} (open: {made.open_}; kept: {made.kept})"
        ]
    rehearsal = made.rehearsal
    surprising = [] if rehearsal is None else [one.behaviour for one in rehearsal.surprising]
    return [f"{subject}: rehearsed, {', '.join(surprising)}"] if surprising else []


if __name__ == "__main__":
    raise SystemExit(main())
