"""Bounds and ties: what is just within, just without, and which of two comes first."""

from __future__ import annotations

import gzip
import io
import json
import os
import random
import shlex
import struct
import subprocess
import sys
import tarfile
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from muddled_orchard.classroom import parallel
from muddled_orchard.classroom.marking import GradingRun
from muddled_orchard.core.base import limits
from muddled_orchard.core.base.limits import Bounds, Exceeded
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.git.lines import by_lines, lines_of
from muddled_orchard.core.git.packs import BadPack, Pack, PackIndex, TooLarge, index_of, patched
from muddled_orchard.core.git.stored_objects import BadObject, stored_commit, stored_tree
from muddled_orchard.core.git.trees import Blob
from muddled_orchard.core.grading.locating.matching import _ALIKE, alike, patch
from muddled_orchard.core.grading.readings import read_file
from muddled_orchard.core.key.accepted import Accepted, HunkChoice
from muddled_orchard.core.merging.conflict import Hunk, MergedText
from muddled_orchard.files.archives.submissions import Handed
from muddled_orchard.files.archives.unpacking import unpacked_bytes
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.system import LOG_VARIABLE, output
from muddled_orchard.system.log import log, write_log
from muddled_orchard.system.output import write_file, write_new_file
from muddled_orchard.vcs.read import objects
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.objects import ForeignObjects
from tests.conftest import PROGRAM, all_marked, muddled, shell
from tests.test_verdicts import MERGE, scenario, write


def test_three_fifths_of_a_patch_are_the_same_change() -> None:
    texts = {"base": b"", "whole": b"1\n2\n3\n4\n", "most": b"1\n2\n3\n", "half": b"1\n2\n"}
    whole, most, half = (patch(texts, {"a": Blob(0o100644, "base")}, {"a": Blob(0o100644, name)}) for name in ("whole", "most", "half"))  # fmt: skip
    # An empty text has one empty line; it goes in each of them.
    assert [round(alike(whole, other), 2) for other in (most, half)] == [0.75, 0.5]
    assert alike(whole, half) < _ALIKE <= alike(whole, most)
    five, three = (patch({"b": b"x\n", name: text}, {"a": Blob(0o100644, "b")}, {"a": Blob(0o100644, name)}) for name, text in (("five", b"x\n1\n2\n3\n4\n5\n"), ("three", b"x\n1\n2\n3\n")))  # fmt: skip
    assert alike(five, three) == _ALIKE


def test_the_nearest_way_counts_and_of_those_the_one_with_least_change() -> None:
    def clean(*lines: str) -> tuple[str, ...]:
        return tuple(f"{line}\n" for line in lines)

    def way(*before: str) -> Accepted:
        return Accepted(choices=((HunkChoice(word="ours", text=clean("o")),),), clean=(clean(*before), ()))

    merged = MergedText((clean("a", "b", "c", "d"), Hunk(clean("o"), clean("t"), clean("x"))))

    def strayed(lines: str, *ways: Accepted) -> int:
        return read_file(merged, lines_of(lines), ways, "line-ends", ()).strayed

    # One changed line costs less than two that are lost, and is two differences as well.
    changed, lost = way("a", "b", "C", "d"), way("a", "b", "c", "d", "e", "f")
    reading = read_file(merged, lines_of("a\nb\nc\nd\no\n"), (lost, changed), "line-ends", ())
    assert [line for _, line in reading.added] == ["c"]
    # Two changed lines cost what three lost ones do, and are four differences.
    assert strayed("a\nb\nc\nd\no\n", way("a", "B", "c", "D"), way("a", "b", "x", "y", "c", "z", "d")) == 3


def test_packs_are_bounded_together(planted: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    shell(planted / "work", "git gc -q --prune=now")
    folder = planted / "work/.git/objects"
    size = sum(path.stat().st_size for path in folder.glob("pack/*.pack"))
    for most, fits in ((2 * size, True), (size - 1, False)):
        monkeypatch.setattr(objects, "LARGEST_PACKS", most)
        if fits:
            assert ForeignObjects(DiskSource(folder)).has(
                shell(planted / "work", "git rev-parse HEAD").strip()
            )
        else:
            with pytest.raises(Exceeded, match="its packs are larger"):
                ForeignObjects(DiskSource(folder))


@pytest.mark.parametrize(
    ("size", "more", "fits"),
    [(4000, {}, True), (90_000, {"free": 1000, "ratio": 2}, False), (90_000, {"free": 1000, "ratio": 5000}, True), (90_000, {"free": 200_000, "ratio": 1}, True), (90_000, {"size": 50_000}, False)],
)  # fmt: skip
def test_how_far_an_archive_may_grow(size: int, more: dict[str, Any], fits: bool) -> None:
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w") as archive:
        about = tarfile.TarInfo("a")
        about.size = size
        archive.addfile(about, io.BytesIO(bytes(size)))
    data = gzip.compress(out.getvalue())
    if fits:
        assert unpacked_bytes(data, Bounds(**more)).read("a", size) == bytes(size)
    else:
        with pytest.raises(Exceeded, match="larger than"):
            unpacked_bytes(data, Bounds(**more))


def test_what_lies_behind_an_archive_is_not_inflated_without_end() -> None:
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w") as archive:
        archive.addfile(tarfile.TarInfo("a"))
    padded = gzip.compress(out.getvalue() + bytes(90_000))
    assert unpacked_bytes(padded, Bounds()).kind("a") == "file"
    with pytest.raises(Exceeded, match="larger than"):
        unpacked_bytes(padded, Bounds(size=50_000))


def test_a_story_merges_from_where_its_branches_parted_last(tmp_path: Path) -> None:
    text = scenario(
        "twice",
        "main: Begin\n" + write(a_txt="1\n", c_txt="1\n"),
        "topic: Start\n" + write(b_txt="1\n"),
        "main: Second\n" + write(a_txt="2\n"),
        'topic: Catch up\nmerge = "main"',
        "topic: Third\n" + write(a_txt="3\n"),
        "main: Other\n" + write(c_txt="2\n"),
        'main: Bring home\nmerge = "topic"',
        "topic: Last\n" + write(c_txt="3\n"),
        "main: Also last\n" + write(c_txt="4\n"),
        MERGE,
        '[[answer]]\nfile = "c.txt"\nkeep = ["ours"]',
    )
    (tmp_path / "twice.toml").write_text(text, "utf-8")
    muddled("plant", "twice.toml", "one", folder=tmp_path)
    assert shell(tmp_path / "one/work", "cat a.txt c.txt") == "3\n4\n"


# -- Writing ----------------------------------------------------------------------------------------------


def test_what_the_system_takes_piece_by_piece_is_written_whole(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    really = os.write
    monkeypatch.setattr(os, "write", lambda descriptor, data: really(descriptor, bytes(data)[:3]))
    write_file(tmp_path / "new/a", b"0123456789")
    assert (tmp_path / "new/a").read_bytes() == b"0123456789"


def test_a_file_is_written_whole_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    kept = tmp_path / "kept"
    kept.write_bytes(b"old")
    kept.chmod(0o640)
    write_file(kept, b"new")
    assert (kept.read_bytes(), kept.stat().st_mode & 0o777) == (b"new", 0o640)
    write_file(tmp_path / "private", b"", output.PRIVATE)
    assert (tmp_path / "private").stat().st_mode & 0o777 == 0o600
    (tmp_path / "link").symlink_to(kept)
    os.mkfifo(tmp_path / "pipe")
    for name, says in (("link", "a link"), ("pipe", "no plain file"), (".", "a folder")):
        with pytest.raises(BadInput, match=says):
            write_file(tmp_path / name, b"x")
    with pytest.raises(BadInput, match="exists already"):
        write_new_file(kept, b"x")

    def full(*_: object) -> int:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "write", full)
    for write_it in (write_file, write_new_file):
        with pytest.raises(BadInput, match="No space left"):
            write_it(tmp_path / "other", b"x")
    assert sorted(path.name for path in tmp_path.iterdir()) == ["kept", "link", "pipe", "private"]
    assert kept.read_bytes() == b"new"


def test_a_worker_that_fails_alone_is_not_tried_again(planted: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def opened(path: Path, bounds: Bounds) -> DiskSource:  # noqa: ARG001
        with (planted / "tries").open("a") as tries:
            tries.write(".")
        os._exit(3)

    monkeypatch.setattr(parallel, "opened", opened)
    monkeypatch.setenv(LOG_VARIABLE, "")
    write_log(str(planted / "log"))
    (found,) = all_marked([Handed(planted, "ilse")], GradingRun(ScenarioLibrary()), Bounds(), 1)
    assert found.assessment.reason == "reading it took its process down; a person has to look"
    assert (planted / "tries").read_text() == "."
    for handler in log().handlers[1:]:
        log().removeHandler(handler)
        handler.close()
    noted = (planted / "log").read_text("utf-8")
    assert f"lost while reading it: [{planted!r}]" in noted
    assert "WorkerLost" in noted, "who looks into it finds why"


class Odd(BaseException):
    """Something that is no Exception and can't be sent either."""

    def __init__(self, _: object, __: object) -> None:
        super().__init__(lambda: None)


def test_whatever_leaves_a_worker_costs_its_submission_alone(
    planted: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    really = parallel.opened

    def opened(path: Path, bounds: Bounds) -> object:
        if path.name == "odd":
            raise Odd(1, 2)
        return really(path, bounds)

    monkeypatch.setattr(parallel, "opened", opened)
    handed = [Handed(planted.parent / name, name) for name in ("ilse", "odd", "two")]
    shell(planted.parent, "cp -r ilse odd; cp -r ilse two")
    found = all_marked(handed, GradingRun(ScenarioLibrary()), Bounds(), 1)
    assert [one.assessment.state for one in found] == ["untouched", "unreadable", "untouched"]


# -- Objects ----------------------------------------------------------------------------------------------


def entry(kind: int, size: int, data: bytes, between: bytes = b"") -> bytes:
    """An object of a pack that says that it has this size."""
    byte, size = kind << 4 | size & 15, size >> 4
    head = b""
    while size:
        head, byte, size = head + bytes([byte | 128]), size & 127, size >> 7
    return head + bytes([byte]) + between + zlib.compress(data)


def number(value: int) -> bytes:
    head = b""
    while value > 127:
        head, value = head + bytes([value & 127 | 128]), value >> 7
    return head + bytes([value])


def pack(*entries: bytes) -> bytes:
    import hashlib

    data = struct.pack(">4sLL", b"PACK", 2, len(entries)) + b"".join(entries)
    return data + hashlib.sha1(data, usedforsecurity=False).digest()


BASE = entry(3, 4, b"base")
COPY = number(4) + number(6) + b"\x90\x04" + b"\x02!!"  # all of the base, and two more bytes
PACKS: dict[str, tuple[bytes, type[Exception] | None]] = {
    "a delta": (pack(BASE, entry(6, len(COPY), COPY, bytes([len(BASE)]))), None),
    "a delta that says that it makes gigabytes": (pack(BASE, entry(6, 8, number(4) + number(1 << 31) + b"\x90\x04", bytes([len(BASE)]))), TooLarge),
    "an object that says that it is larger than it may be": (pack(entry(3, 1 << 31, b"x")), TooLarge),
    "an object that is larger than it says": (pack(entry(3, 2, b"x" * 99)), TooLarge),
    "an object that is smaller than it says": (pack(entry(3, 9, b"x")), BadPack),
    "a delta that leads before the pack": (pack(entry(6, len(COPY), COPY, b"\x7f")), BadPack),
    "a delta of itself": (pack(entry(7, len(COPY), COPY, b"a" * 20)), BadPack),
    "a kind that there isn't": (pack(entry(5, 1, b"x")), BadPack),
    "no pack": (b"PUCK" + bytes(40), BadPack),
    "another checksum": (pack(BASE)[:-1] + b"\0", BadPack),
}  # fmt: skip


@pytest.mark.parametrize("name", PACKS)
def test_packs(name: str) -> None:
    data, fault = PACKS[name]
    if fault is None:
        found = Pack(data, PackIndex(index_of(data, 10)))
        offsets = list(found.entries())
        assert [found.read(offset) for offset in offsets] == [(3, b"base"), (3, b"base!!")]
        assert [found.about(offset) for offset in offsets] == [(3, 4), (3, 6)]
    else:
        with pytest.raises(fault):
            index_of(data, 10)


def test_our_reading_of_packs_is_gits(planted: Path) -> None:
    """Every object of packs with long chains of deltas, of both versions of their index."""
    work = planted / "work"
    shell(
        work, "for i in $(seq 60); do seq $i 400 >n; echo $i >>press.toml; git add .; git commit -qm $i; done"
    )
    for version in (2, 1):
        shell(work, f"git -c pack.indexVersion={version} repack -qadf --depth=50 --window=50")
        found = ForeignObjects(DiskSource(work / ".git/objects"))
        listed = shell(
            work, "git cat-file --batch-all-objects --batch-check='%(objectname) %(objecttype) %(objectsize)'"
        )
        for line in listed.splitlines():
            id_, kind, size = line.split()
            read = found.read(id_)
            assert read is not None
            assert (read[0], len(read[1])) == ({"commit": 1, "tree": 2, "blob": 3}[kind], int(size))


@pytest.mark.parametrize(("low", "high"), [(0, 2), (1, 0)])
def test_an_index_whose_counts_are_damaged(low: int, high: int) -> None:
    """The table of its beginning says how many ids begin with less than a byte, and with no more."""
    index = bytearray(index_of(pack(BASE), 10))
    struct.pack_into(">LL", index, 8 + 4 * 6, low, high)
    with pytest.raises(BadPack):
        PackIndex(bytes(index)).offset(bytes([7]) + bytes(19))


@pytest.mark.parametrize("delta", [b"", b"\x04", b"\x04\x06", b"\x04\x06\x90", b"\x05\x06\x90\x04\x02!!", b"\x04\x05\x90\x04\x02!!", b"\x04\x06\x91\x03\x04", b"\x04\x06\0", b"\x04\x06\x90\x04\x03!!"])  # fmt: skip
def test_damaged_deltas(delta: bytes) -> None:
    with pytest.raises(BadPack):
        patched(b"base", delta)


ENTRY = b"100644 a\0" + bytes(20)


@pytest.mark.parametrize("data", [ENTRY + ENTRY, *(b"100644 %s\0" % name + bytes(20) for name in (b"", b".", b"..", b".GIT", b"/x", b"a//b")), b"100644 a", b"9 a\0" + bytes(20), ENTRY[:-1]])  # fmt: skip
def test_trees_that_no_folder_can_be(data: bytes) -> None:
    with pytest.raises(BadObject):
        list(stored_tree(data))


def test_commits_of_all_kinds() -> None:
    head = (
        b"tree "
        + b"a" * 40
        + b"\nparent "
        + b"b" * 40
        + b"\nauthor %s 5 +0100\ncommitter C <c> %s +0000\nencoding %s\n\nsaid %s\n"
    )
    for encoding, raw, said in (
        (b"ISO-8859-1", b"\xe4", "ä"),
        (b"nonsense", b"\xc3\xa4", "ä"),
        (b"zlib", b"\xff", "�"),
        (b"punycode", b"x-", "x-"),
    ):
        read = stored_commit(head % (b"A " + raw + b" <a>", b"7", encoding, raw))
        assert (read.author, read.message, read.time, read.parents) == (
            f"A {said} <a>",
            f"said {said}\n",
            7,
            ("b" * 40,),
        )
    assert stored_commit(head % (b"", b"x" * 5000, b"", b"")).time == 0
    with pytest.raises(BadObject):
        stored_commit(b"parent x\n\nno tree")


def test_what_is_compared_line_by_line() -> None:
    assert by_lines(b"a\n" * 10)
    assert by_lines(b"\n" * limits.MOST_LINES)
    too_large = (b"\n" * (limits.MOST_LINES + 1), b"a" * (limits.LARGEST_TEXT + 1), b"a\0")
    assert not any(map(by_lines, too_large))


# -- Memory -----------------------------------------------------------------------------------------------

CHANCE = random.Random(5)


def _zip(form: int, size: int) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", form) as archive:
        archive.writestr("a", bytes(size))
    return out.getvalue()


def _with(files: Callable[[], dict[str, bytes]]) -> Callable[[Path], bytes]:
    def made(practice: Path) -> bytes:
        out = io.BytesIO()
        with tarfile.open(fileobj=out, mode="w:gz", compresslevel=1) as archive:
            archive.add(practice, arcname="h")
            for name, data in files().items():
                about = tarfile.TarInfo(f"h/work/{name}")
                about.size = len(data)
                archive.addfile(about, io.BytesIO(data))
        return out.getvalue()

    return made


HEAVY: dict[str, Callable[[Path], bytes]] = {
    "honest noise of 60 MB": _with(lambda: {f"n{number}": CHANCE.randbytes(15 << 20) for number in range(4)}),
    "ignore rules of 60 MB": _with(lambda: {".gitignore": b"*.log\n" * (10 << 20)}),
    "a file of two million lines": _with(lambda: {"press.toml": b"x\n" * (2 << 20)}),
    "a hundred thousand lines": _with(lambda: {"press.toml": b"limit = 3\n" * 95_000}),
    "a reflog and refs of many MB": _with(lambda: {".git/logs/HEAD": b"\n" * (20 << 20), ".git/packed-refs": b"\n" * (1 << 20)}),
    "a zip bomb": lambda _: _zip(zipfile.ZIP_DEFLATED, 256 << 20),
    "a zip file packed otherwise": lambda _: _zip(zipfile.ZIP_LZMA, 60 << 20),
}  # fmt: skip

MEASURE = """
import resource, sys
from muddled_orchard.cli import main
code = main(sys.argv[1:])
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss // 1024, file=sys.stderr)
sys.exit(code)
"""


def test_no_submission_takes_a_worker_above_300_megabytes(tmp_path: Path) -> None:
    muddled("plant", "press-limit", tmp_path / "h", "--quiet")
    (tmp_path / "in").mkdir()
    for number, make in enumerate(HEAVY.values()):
        (tmp_path / f"in/{number}.tar.gz").write_bytes(make(tmp_path / "h"))
    done = subprocess.run(
        [sys.executable, "-c", MEASURE, "grade", str(tmp_path / "in"), "--json", "--jobs", "1"], capture_output=True, text=True, check=True
    )  # fmt: skip
    assert int(done.stderr.split()[-1]) < 300
    states = [one["state"] for one in json.loads(done.stdout)["submissions"]]
    assert states == ["untouched", "untouched", "open", "open", "untouched", "unreadable", "unreadable"]


def test_rude_places_and_terminals_get_a_few_lines(tmp_path: Path) -> None:
    shell(
        tmp_path,
        "printf 'id,name\\nÄnne,Änne Öl\\n' >roster.csv; mkfifo pipe; truncate -s 100G sparse; mkdir bad; printf '#!/bin/sh\\nkill -SEGV $$' >bad/git; chmod +x bad/git",
    )
    muddled("plant", "press-limit", "one", "--quiet", folder=tmp_path)
    program = shlex.join(PROGRAM)
    cases = {
        f"LC_ALL=C PYTHONUTF8=0 {program} handout press-limit --roster roster.csv --out out": 2,
        f"{program} survey press-limit >/dev/full": 2,
        f"{program} --help >/dev/full": 2,
        f"{program} survey press-limit >&-": 2,
        f"{program} demo /proc/none": 2,
        f"{program} grade one --csv /dev/stdout": 2,
        f"{program} grade one --json --csv -": 2,
        f"{program} grade one --most-memory 99999999999999": 2,
        f"timeout 20 {program} grade pipe": 2,
        f"timeout 20 {program} grade sparse": 2,
        f"PATH={tmp_path}/bad:$PATH {program} survey press-limit": 2,
        f"PATH=/nowhere {shlex.quote(sys.executable)} -m muddled_orchard survey press-limit": 2,
        f"TMPDIR=/proc/none {program} survey press-limit": 0,
    }  # fmt: skip
    if not sys.prefix.isascii():  # Python itself does not start from there in such a locale
        cases = {command: code for command, code in cases.items() if "LC_ALL=C" not in command}
    for command, code in cases.items():
        done = subprocess.run(
            ["bash", "-c", command], cwd=tmp_path, capture_output=True, text=True, check=False
        )
        told = done.stderr.splitlines()
        assert (done.returncode, "Traceback" in done.stderr) == (code, False), (command, done.stderr)
        assert len(told) <= 3, (command, told)
        assert told or not code or "grade" in command, command
    assert Path("/dev/stdout").is_symlink()


ASKED_IN_PASSING = """
import os, signal, time
from muddled_orchard.system.stopping import Stopped, stoppable

class Cleaning:
    def __del__(self):
        os.kill(os.getpid(), signal.SIGTERM)
        time.sleep(0.05)

try:
    with stoppable():
        Cleaning()
        time.sleep(20)
except Stopped as stopped:
    print(stopped.code)
"""


def test_a_request_to_end_is_not_lost_while_python_cleans_up() -> None:
    done = subprocess.run(
        [sys.executable, "-c", ASKED_IN_PASSING], capture_output=True, text=True, check=True
    )
    assert (done.stdout, done.stderr) == ("143\n", "")


STOPPED_BEFORE_THE_FIRST_RESULT = """
import os, signal, time
from pathlib import Path
from muddled_orchard.classroom import making
from muddled_orchard.system.stopping import Stopped, stoppable

making._portion_made = lambda *_: time.sleep(60)
pieces = [making.HandOutToMake(0, f"l{number}", "0") for number in range(200)]
try:
    with stoppable(), making.made([], pieces, Path("out"), 2):
        os.kill(os.getpid(), signal.SIGTERM)
except Stopped as stopped:
    print(stopped.code)
"""


def test_a_run_that_is_stopped_does_no_more_of_its_work() -> None:
    done = subprocess.run(
        [sys.executable, "-c", STOPPED_BEFORE_THE_FIRST_RESULT],
        capture_output=True, text=True, check=True, timeout=40,
    )  # fmt: skip
    assert (done.stdout, done.stderr) == ("143\n", "")
