"""Mutated submissions, mutated files of instructors and kills at any moment: `make fuzz`, a short run in the tests.

Nothing of it may give a traceback, cost an honest neighbour anything, run, write or change something, or be left
behind. Every round prints its seed; `python -m tests.fuzz --seed N` does that one again.
"""

from __future__ import annotations

import argparse
import contextlib
import gzip
import hashlib
import io
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tarfile
import time
import zlib
from collections.abc import Callable
from pathlib import Path

from muddled_orchard.cli import main
from tests.conftest import LEARNER, PROGRAM, muddled, shell

RIGHT = (
    "git merge -q night-shift >/dev/null || true\n"
    "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' press.toml; git commit -qam merged\n"
)
HALF_WAY = "git merge -q night-shift >/dev/null || true\n"
ODD = (
    b"", b"\0", b"-1", b"\xff\xfe", b"../../../etc/passwd", b"PWNED", b"ref: refs/heads/\n", b"9" * 5000, b"\n" * 3000,
    b"<<<<<<< HEAD\n=======\n>>>>>>> night-shift\n", b"[core]\n\tfsmonitor = touch PWNED\n", b"* text eol=crlf\n",
)  # fmt: skip
NAMES = (b"/x", b"a//b", b"..", b".git", b"a\nb", b"\xff", b"=1+1", b"x" * 300, b"CON", b"a:b", b"-rf", b"")


class Fault(AssertionError):
    """Something that must not happen."""


# -- Submissions ------------------------------------------------------------------------------------------


def _some_bytes(chance: random.Random, data: bytes) -> bytes:
    """A content with something done to its bytes."""
    if not data or chance.random() < 0.2:
        return chance.choice(ODD)
    at = chance.randrange(len(data))
    end = min(len(data), at + chance.choice((1, 1, 4, 40, len(data))))
    middle = chance.choice(
        (b"", chance.choice(ODD), data[at:end] * 2, bytes(b ^ chance.randrange(256) for b in data[at:end]))
    )
    return data[:at] + middle + data[end:]


def _files(top: Path) -> list[Path]:
    return sorted(path for path in top.rglob("*") if path.is_file() and not path.is_symlink())


def mutate_a_file(chance: random.Random, top: Path) -> None:
    """Change, remove, move or replace some file of a practice folder."""
    for _ in range(chance.choice((1, 1, 2, 8))):
        path = chance.choice(_files(top))
        path.chmod(0o644)
        what = chance.random()
        if what < 0.6:
            path.write_bytes(_some_bytes(chance, path.read_bytes()))
        elif what < 0.7:
            path.unlink()
        elif what < 0.8:
            path.unlink()
            path.symlink_to(chance.choice(("/etc/passwd", "/", path.name, "../../../..")))
        elif what < 0.9:
            name = chance.choice(("HEAD", "index", "packed-refs", "a b", "x.lock"))
            path.with_name(name).write_bytes(path.read_bytes())
        else:
            path.unlink()
            path.mkdir()


def _stored(top: Path, kind: str, content: bytes) -> str:
    whole = f"{kind} {len(content)}\0".encode() + content
    id_ = hashlib.sha1(whole, usedforsecurity=False).hexdigest()
    path = top / f"work/.git/objects/{id_[:2]}/{id_[2:]}"
    path.parent.mkdir(exist_ok=True)
    if not path.exists():
        path.write_bytes(zlib.compress(whole))
    return id_


def mutate_an_object(chance: random.Random, top: Path) -> None:
    """Put a well-stored object into the history that no Git would write."""
    git = top / "work/.git"

    def read(what: str) -> tuple[str, bytes]:
        def ask(*more: str) -> bytes:
            return subprocess.run(
                ["git", *more], cwd=top / "work", env=LEARNER, capture_output=True, check=True
            ).stdout

        kind = ask("cat-file", "-t", what).decode().strip()
        return kind, ask("cat-file", kind, what)

    commit = read("main")[1]
    tree_id = commit[5:45].decode()
    tree = read(tree_id)[1]
    entry = b"%s %s\0" % (
        chance.choice((b"100644", b"40000", b"120000", b"160000", b"7", b"100666")),
        chance.choice(NAMES),
    )
    blob = bytes.fromhex(_stored(top, "blob", _some_bytes(chance, b"x\n")))
    choice = chance.random()
    if choice < 0.4:
        tree = chance.choice(
            (tree + entry + blob, entry + blob + tree, tree + tree, _some_bytes(chance, tree))
        )
        commit = commit.replace(tree_id.encode(), _stored(top, "tree", tree).encode(), 1)
    elif choice < 0.8:
        head, _, message = commit.partition(b"\n\n")
        lines = head.split(b"\n")
        extra = chance.choice((b"encoding \xff", b"encoding zlib", b"encoding utf-7", b"parent " + b"0" * 40, b"parent " + tree_id.encode(), b"gpgsig x", b"author", b"committer x <x> 99999999999999999999 +9999"))  # fmt: skip
        lines.insert(chance.randrange(len(lines) + 1), extra)
        commit = b"\n".join(lines) + b"\n\n" + _some_bytes(chance, message)
    else:
        commit = _some_bytes(chance, commit)
    for path in (git / "refs/heads/main", git / "ORIG_HEAD"):
        path.write_text(_stored(top, "commit", commit) + "\n", "ascii")


def packed(chance: random.Random, top: Path, target: Path) -> None:
    """Hand a folder in, in one of the forms that there are, perhaps with damage to the whole."""
    form = chance.choice(("folder", "folder", "tar", "tar.gz", "zip", "bundle"))
    if form == "folder":
        shutil.copytree(top, target, symlinks=True)
        return
    data = b""
    if form == "bundle":
        # Git itself can be made to wait for ever, as by a link to /proc; then there is nothing to hand in.
        with contextlib.suppress(subprocess.TimeoutExpired):
            data = subprocess.run(
                ["git", "bundle", "create", "-q", "-", "--all"],
                cwd=top / "work", env=LEARNER, capture_output=True, check=False, timeout=10,
            ).stdout  # fmt: skip
    elif form == "zip":
        made = shutil.make_archive(str(target), "zip", top.parent, top.name)
        data = Path(made).read_bytes()
        Path(made).unlink()
    else:
        out = io.BytesIO()
        with tarfile.open(fileobj=out, mode="w") as archive:
            archive.add(top, arcname=top.name)
        data = gzip.compress(out.getvalue(), 1) if form == "tar.gz" else out.getvalue()
    if chance.random() < 0.3:
        data = _some_bytes(chance, data)
    target.with_name(f"{target.name}.{form}").write_bytes(data)


def _state_of(top: Path) -> str:
    return shell(top, "find . -printf '%p %y %l %s %T@\\n' | sort | sha1sum")


def submissions(seed: int, room: Path, many: int = 24) -> None:
    """One class of mutated submissions among honest ones."""
    chance = random.Random(seed)
    room.mkdir(parents=True)
    muddled("plant", "press-limit", room / "plain", "--quiet")
    for name, script in (("right", RIGHT), ("half", HALF_WAY)):
        shutil.copytree(room / "plain", room / name, symlinks=True)
        shell(room / name / "work", script)
    honest = room / "in/honest"
    shutil.copytree(room / "right", honest, symlinks=True)
    (alone,) = json.loads(muddled("grade", honest, "--json").stdout)["submissions"]
    for number in range(many):
        top = room / "session/h"
        shutil.rmtree(top.parent, ignore_errors=True)
        shutil.copytree(room / chance.choice(("right", "right", "half")), top, symlinks=True)
        for mutate in chance.choice(
            ((mutate_a_file,), (mutate_an_object,), (mutate_an_object, mutate_a_file))
        ):
            mutate(chance, top)
        packed(chance, top, room / f"in/{number:03}")
    before = _state_of(room / "in")
    done = subprocess.run(
        [*PROGRAM, "grade", str(room / "in"), "--json"], capture_output=True, text=True, check=False, cwd=room,
        env={**os.environ, "TMPDIR": str(room)},
    )  # fmt: skip
    if done.returncode not in (0, 1, 2) or "Traceback" in done.stderr:
        raise Fault(f"exit {done.returncode}: {done.stderr[-2000:]}")
    found = {one["submission"]: one for one in json.loads(done.stdout)["submissions"]}
    if found[str(honest)] != alone:
        raise Fault("an honest neighbour got something else")
    if failed := [one["reason"] for one in found.values() if "grading it failed" in (one["reason"] or "")]:
        raise Fault(f"a failure without a sentence of its own: {failed}")
    if _state_of(room / "in") != before or list(room.rglob("PWNED")) or list(room.glob("muddled-*")):
        raise Fault("something was changed, run or left behind")


# -- What instructors supply ------------------------------------------------------------------------------


def _some_text(chance: random.Random, text: str) -> str:
    lines = text.split("\n")
    for _ in range(chance.choice((1, 1, 2, 5))):
        at = chance.randrange(len(lines))
        what = chance.random()
        if what < 0.3:
            lines[at] = _some_bytes(chance, lines[at].encode()).decode("utf-8", "replace")
        elif what < 0.5:
            del lines[at]
        elif what < 0.7:
            lines.insert(at, chance.choice(lines))
        elif what < 0.85:
            other = chance.randrange(len(lines))
            lines[at], lines[other] = lines[other], lines[at]
        else:
            words = lines[at].split(" ")
            words[chance.randrange(len(words))] = chance.choice(
                ("[]", "{}", "-1", "true", '""', "1979-05-27", '"../x"', '"@{x}"', "[[story]]")
            )
            lines[at] = " ".join(words)
        lines = lines or [""]
    return "\n".join(lines)


def _run(arguments: list[str], folder: Path) -> None:
    """The program in this process: it must end with an exit code of its own."""
    out, told = io.StringIO(), io.StringIO()
    with contextlib.chdir(folder), contextlib.redirect_stdout(out), contextlib.redirect_stderr(told):
        try:
            code = main(arguments)
        except SystemExit as leaving:
            code = int(leaving.code or 0)
    if code not in (0, 1, 2) or "Traceback" in told.getvalue():
        raise Fault(f"{arguments}: exit {code}: {told.getvalue()[-1000:]}")
    if code == 2 and not told.getvalue() and "--json" not in arguments:
        raise Fault(f"{arguments}: nothing said")


def supplied(seed: int, room: Path, many: int = 12) -> None:
    """Mutated scenario files, rosters and ledgers."""
    chance = random.Random(seed)
    room.mkdir(parents=True)
    bundled = sorted(Path("src/muddled_orchard/catalogue").glob("*.toml"))
    roster = "id,name\nada,Ada Plum\nbo,Bo Reed\n"
    (room / "roster.csv").write_text(roster, "utf-8")
    _run(["handout", "press-limit", "--roster", "roster.csv", "--out", "out", "--quiet", "--jobs", "1"], room)
    ledger = (room / "orchard.db").read_bytes()
    for number in range(many):
        (room / "own.toml").write_text(_some_text(chance, chance.choice(bundled).read_text("utf-8")), "utf-8")
        _run(["survey", "own.toml", "--quiet"], room)
        _run(["plant", "own.toml", f"p{number}", "--quiet"], room)
        (room / "other.csv").write_bytes(_some_bytes(chance, roster.encode()))
        _run(["handout", "press-limit", "--roster", "other.csv", "--out", f"o{number}", "--ledger", f"l{number}.db", "--quiet", "--jobs", "1"], room)  # fmt: skip
        data = bytearray(ledger)
        for _ in range(chance.choice((1, 10, 300))):
            data[chance.randrange(len(data))] = chance.randrange(256)
        (room / "bad.db").write_bytes(bytes(data[: chance.choice((len(data), len(data), len(data) // 2))]))
        for more in (
            ["ledger"],
            ["ledger", "--json"],
            ["grade", "out/press-limit", "--jobs", "1", "--quiet"],
        ):
            _run([*more, "--ledger", "bad.db"], room)
        for left in room.glob("bad.db-*"):
            left.unlink()


# -- Stopped at any moment --------------------------------------------------------------------------------


def _children(pid: int) -> list[int]:
    found = []
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            fields = stat.read_text().rpartition(")")[2].split()
            found += [int(stat.parent.name)] if int(fields[1]) == pid and fields[0] != "Z" else []
    return found


def stopped(seed: int, room: Path, many: int = 6) -> None:
    """Runs that are interrupted or killed: no traceback, no process and no file is left, and the next one goes on."""
    chance = random.Random(seed)
    room.mkdir(parents=True)
    rows = "".join(f"l{number},Learner {number}\n" for number in range(200))
    (room / "roster.csv").write_text(f"id,name\n{rows}", "utf-8")
    (room / "tmp").mkdir()
    command = [
        *PROGRAM,
        "handout",
        "press-limit",
        "left-in-a-rebase",
        "--roster",
        "roster.csv",
        "--out",
        "out",
        "--quiet",
        "--jobs",
        "2",
    ]
    env = {**os.environ, "TMPDIR": str(room / "tmp")}
    for _ in range(many):
        number = chance.choice((signal.SIGINT, signal.SIGTERM, signal.SIGKILL))
        run = subprocess.Popen(
            command, cwd=room, stderr=subprocess.PIPE, text=True, env=env, start_new_session=True
        )
        time.sleep(chance.uniform(0.1, 1.5))  # Python itself takes a moment to begin
        workers = _children(run.pid)
        if number == signal.SIGINT:
            os.killpg(run.pid, number)  # as a terminal does
        else:
            run.send_signal(number)
        told = run.communicate(timeout=60)[1]
        expected = (0, -number, 128 + number)
        if run.returncode not in expected or "Traceback" in told or len(told.splitlines()) > 3:
            raise Fault(f"{number.name}: exit {run.returncode}: {told}")
        time.sleep(0.3)
        if alive := [pid for pid in workers if Path(f"/proc/{pid}").exists() and pid in _alive()]:
            raise Fault(f"{number.name}: processes are left: {alive}")
    done = subprocess.run(command, cwd=room, capture_output=True, text=True, env=env, check=False)
    if done.returncode or len(list((room / "out").rglob("*.tar.gz"))) != 400:
        raise Fault(f"the next run did not go on: {done.stderr}")
    left = [*(room / "tmp").iterdir(), *(room / "out").rglob(".muddled-*")]
    # Python itself tries with such a file where it may write; it can be killed in between.
    if left := [path for path in left if path.name.startswith((".", "muddled-")) or path.stat().st_size > 4]:
        raise Fault(f"files are left: {left}")


def _alive() -> set[int]:
    found = set()
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            if stat.read_text().rpartition(")")[2].split()[0] != "Z":
                found.add(int(stat.parent.name))
    return found


KINDS: dict[str, Callable[..., None]] = {
    "submissions": submissions,
    "supplied": supplied,
    "stopped": stopped,
}


def fuzz(seed: int, kinds: list[str], room: Path) -> None:
    """One round of each kind."""
    for kind in kinds:
        print(f"seed {seed} {kind}", flush=True)
        try:
            KINDS[kind](seed, room / kind)
        except BaseException:
            print(f"  python -m tests.fuzz --seed {seed} --kind {kind}   (left in {room / kind})", flush=True)
            raise
        shutil.rmtree(room / kind, ignore_errors=True)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seed", type=int, help="one round with this seed")
    parser.add_argument("--rounds", type=int, default=20)
    parser.add_argument("--kind", choices=KINDS, action="append")
    options = parser.parse_args()
    first = options.seed if options.seed is not None else random.SystemRandom().randrange(1 << 30)
    place = Path("build/fuzz").absolute()
    shutil.rmtree(place, ignore_errors=True)
    for seed in range(first, first + (1 if options.seed is not None else options.rounds)):
        fuzz(seed, options.kind or list(KINDS), place)
    sys.exit(0)
