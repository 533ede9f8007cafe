"""Objects, packs, indexes and archives of our own making, read back by Git and by what reads archives."""

from __future__ import annotations

import io
import stat
import struct
import subprocess
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest

from muddled_orchard.core.base.limits import Bounds, Exceeded
from muddled_orchard.core.git.patch_text import PatchOf, mailbox
from muddled_orchard.core.git.trees import Blob, File
from muddled_orchard.core.submission.evidence import IndexEntry
from muddled_orchard.core.submission.file_source import Below, FileEntry, MemorySource, below
from muddled_orchard.files.archives.packing import pack
from muddled_orchard.files.archives.unpacking import is_archive, unpacked, unpacked_bytes
from muddled_orchard.system.output import write_file
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.index import BadIndex, index_file, read_index
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.write.build import new_repository, zone
from muddled_orchard.vcs.write.memory import Objects, loose_file, loose_path, pack_file
from tests.conftest import LEARNER, shell

WHO = "Maren Quill <maren@orchard.example> 1900000000 +0530"


def story() -> tuple[Objects, str]:
    """Two commits with what trees find hard to sort: folders beside files of nearly the same name."""
    objects = Objects()
    names = ("a", "a.b", "a-b", "a/c", "ab/c/d", "zoë.txt", "run.sh")
    modes = {"run.sh": 0o100755, "a-b": 0o120000}
    listing = {
        name: (modes.get(name, 0o100644), objects.blob(name.encode())) for name in names if name != "a"
    }
    first = objects.commit(WHO, "First\n", objects.tree(listing), [])
    large = objects.blob(bytes(range(256)) * 400)
    second = objects.commit(
        WHO, "Größer\n", objects.tree({**listing, "large.bin": (0o100644, large)}), [first]
    )
    return objects, second


@pytest.mark.parametrize("form", ["loose", "packed"])
def test_git_finds_nothing_wrong_with_our_objects(form: str, tmp_path: Path) -> None:
    objects, tip = story()
    new_repository(tmp_path / "x.git", bare=True)
    if form == "packed":
        git.index_pack(tmp_path / "x.git", pack_file(objects.held.values()))
    else:
        for id_, held in objects.held.items():
            write_file(tmp_path / "x.git/objects" / loose_path(id_), loose_file(*held))
    (tmp_path / "x.git/refs/heads/main").write_text(f"{tip}\n")
    where = tmp_path / "x.git"
    assert shell(where, "git fsck --strict --full 2>&1") == ""
    assert shell(where, "git log --format='%s %an %ae %ad' --date=iso main").splitlines() == [
        "Größer Maren Quill maren@orchard.example 2030-03-17 23:16:40 +0530",
        "First Maren Quill maren@orchard.example 2030-03-17 23:16:40 +0530",
    ]
    listed = shell(where, "git -c core.quotePath=false ls-tree -r --name-only main").splitlines()
    assert listed == ["a-b", "a.b", "a/c", "ab/c/d", "large.bin", "run.sh", "zoë.txt"]
    assert shell(where, "git cat-file -s main:large.bin") == "102400\n"


def test_a_pack_of_nothing_and_of_every_size() -> None:
    for size in (0, 1, 15, 16, 2047, 2048, 70_000):
        objects = Objects()
        id_ = objects.blob(b"x" * size)
        asked = subprocess.run(
            ["git", "hash-object", "--stdin"], input=b"x" * size, capture_output=True, check=True, env=LEARNER
        )
        assert asked.stdout.decode().strip() == id_
        assert pack_file(objects.held.values())[:12] == b"PACK\0\0\0\2\0\0\0\1"


@pytest.mark.parametrize(("minutes", "said"), [(0, "+0000"), (330, "+0530"), (-90, "-0130"), (-720, "-1200")])
def test_zones(minutes: int, said: str) -> None:
    assert zone(minutes) == said


def test_an_index_of_ours_is_one_for_git(tmp_path: Path) -> None:
    shell(
        tmp_path,
        "git init -q; echo a >a; mkdir d; echo b >d/b; touch c.sh; chmod +x c.sh; git add .; git commit -qm x",
    )
    entries = listed(tmp_path)
    index = tmp_path / ".git/index"
    index.write_bytes(index_file(reversed(entries)))
    assert shell(tmp_path, "git status --porcelain; git fsck 2>&1") == ""
    unmerged = [IndexEntry("a", stage, entries[0].blob) for stage in (3, 1, 2)]
    index.write_bytes(index_file([*entries[1:], *unmerged]))
    assert shell(tmp_path, "git ls-files -u | cut -f1 | cut -d' ' -f3").split() == ["1", "2", "3"]
    assert shell(tmp_path, "git status --porcelain") == "UU a\n"
    for version in (2, 4):
        shell(tmp_path, f"git update-index --index-version {version}")
        assert read_index(index.read_bytes()) == listed(tmp_path)
    shell(tmp_path, "git add a; echo new >d/bee; git add -N d/bee; git update-index --skip-worktree d/b")
    for version in (3, 4):
        shell(tmp_path, f"git update-index --index-version {version}")
        assert read_index(index.read_bytes()) == listed(tmp_path)


def listed(folder: Path) -> list[IndexEntry]:
    """What is in the index, as Git says."""
    rows = [line.split("\t") for line in shell(folder, "git ls-files -s").splitlines()]
    parts = [(path, about.split()) for about, path in rows]
    return [IndexEntry(path, int(stage), Blob(int(mode, 8), id_)) for path, (mode, id_, stage) in parts]


ENTRY = struct.pack(">24xL12x20sH", 0o100644, b"x" * 20, 1)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "damaged"),
        (b"DIRC", "damaged"),
        (struct.pack(">4sLL", b"DIRC", 5, 0), "damaged"),
        (struct.pack(">4sLL", b"DIRC", 2, 1), "damaged"),
        (struct.pack(">4sLL", b"DIRC", 2, 1) + ENTRY + b"no end", "damaged"),
        (struct.pack(">4sLL", b"DIRC", 4, 1) + ENTRY + b"\xff", "damaged"),
        (struct.pack(">4sLL", b"DIRC", 4, 1) + ENTRY + b"\x05name\0", "damaged"),
        (struct.pack(">4sLL", b"DIRC", 4, 1) + ENTRY + b"\xff" * (4 << 20), "damaged"),
        (struct.pack(">4sLL4sL", b"DIRC", 2, 0, b"link", 0), "split"),
        (struct.pack(">4sLL4sL", b"DIRC", 2, 0, b"sdir", 0), "kind"),
        (
            lambda: struct.pack(">4sLL", b"DIRC", 4, 1700) + (ENTRY + b"\0" + b"n" * 40_000 + b"\0") * 1700,
            "more",
        ),
    ],
)
def test_what_is_no_index(data: bytes | Callable[[], bytes], says: str) -> None:
    data = data if isinstance(data, bytes) else data()
    with pytest.raises(BadIndex, match=says):
        read_index(data + b"\0" * 20)
    with pytest.raises(BadIndex, match="damaged"):
        read_index(data + b"\1" * 20)


FILES = {
    "shed/press.toml": File(0o100644, b"limit = 1\n"),
    "shed/run.sh": File(0o100755, b"#!/bin/sh\n"),
    "shed/zo\u00eb/" + "n" * 120: File(0o100644, b"long"),
    "shed/here": File(0o120000, b"press.toml"),
    "shed/empty": File(0o100644, b""),
}


@pytest.mark.parametrize("form", ["tar.gz", "zip"])
def test_what_is_packed_comes_out_again(form: str, tmp_path: Path) -> None:
    packed = pack(FILES, "top", form)
    assert packed == pack(dict(reversed(FILES.items())), "top", form)
    (tmp_path / "x").write_bytes(packed)
    assert is_archive(tmp_path / "x")
    place = Below(unpacked(tmp_path / "x", Bounds()), "top")
    found = dict(below(place))
    assert found.keys() == FILES.keys()
    for path, file in FILES.items():
        entry = found[path]
        assert entry.kind == ("link" if file.mode == 0o120000 else "file")
        assert (place.target(path) if entry.kind == "link" else place.read(path, 999)) == file.data
        assert entry.executable == (file.mode in (0o100755, 0o120000))
    # Others read it too.
    if form == "zip":
        with zipfile.ZipFile(tmp_path / "x") as archive:
            assert archive.testzip() is None
            modes = {info.filename: info.external_attr >> 16 for info in archive.infolist()}
        assert stat.S_ISLNK(modes["top/shed/here"])
    else:
        with tarfile.open(tmp_path / "x") as archive_:
            names = {member.name: member.mtime for member in archive_}
        assert names == {f"top/{path}": 1_577_836_800 for path in FILES}


@pytest.mark.parametrize("form", [tarfile.USTAR_FORMAT, tarfile.GNU_FORMAT, tarfile.PAX_FORMAT])
def test_tars_of_every_format_read_alike(form: int) -> None:
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w", format=form) as archive:
        for name, kind in (
            ("d", tarfile.DIRTYPE),
            ("d/f", tarfile.REGTYPE),
            ("d/" + "g" * 99, tarfile.REGTYPE),
            ("l", tarfile.SYMTYPE),
        ):
            about = tarfile.TarInfo(name)
            about.type, about.linkname = kind, "d/f" if kind == tarfile.SYMTYPE else ""
            about.size = 600 if kind == tarfile.REGTYPE else 0
            archive.addfile(about, io.BytesIO(b"y" * 600))
    place = unpacked_bytes(out.getvalue(), Bounds())
    assert [(path, entry.kind, entry.size) for path, entry in below(place)] == [
        ("l", "link", 3), ("d/f", "file", 600), ("d/" + "g" * 99, "file", 600),
    ]  # fmt: skip


def both(tmp_path: Path) -> list[MemorySource | DiskSource]:
    """The same files in memory and on a disk."""
    memory = MemorySource()
    memory.add("a/b/file", "file", b"text", executable=True)
    memory.add("a/link", "link", b"b")
    memory.add("pipe", "other")
    memory.add("empty", "folder")
    shell(
        tmp_path, "mkdir -p a/b empty; printf text >a/b/file; chmod 755 a/b/file; ln -s b a/link; mkfifo pipe"
    )
    return [memory, DiskSource(tmp_path)]


def test_a_place_is_the_same_in_memory_and_on_a_disk(tmp_path: Path) -> None:
    for place in both(tmp_path):
        kinds = {
            path: place.kind(path)
            for path in ("", "a", "a/b/file", "a/link", "a/link/file", "pipe", "none", "a/b/file/x")
        }
        assert kinds == {
            "": "folder", "a": "folder", "a/b/file": "file", "a/link": "link", "a/link/file": None, "pipe": "other", "none": None,
            "a/b/file/x": None,
        }  # fmt: skip
        assert place.read("a/b/file", 4) == b"text"
        assert [place.read(path, 3) for path in ("a/b/file", "a/link", "pipe", "a", "a/link/file")] == [
            None
        ] * 5
        assert place.target("a/link") == b"b"
        assert place.entries("a/b") == [FileEntry("file", "file", 4, True)]
        assert (place.entries("empty"), place.entries("none"), place.entries("a/link")) == ([], [], [])
        assert sorted(path for path, _ in below(place)) == ["a/b/file", "a/link", "pipe"]
        inner = Below(place, "a")
        assert (inner.kind(""), inner.read("b/file", 9), [entry.name for entry in inner.entries("")]) == (
            "folder",
            b"text",
            ["b", "link"],
        )


def test_what_an_archive_says_twice_counts_as_it_is_said_last() -> None:
    place = MemorySource()
    place.add("a/b", "file", b"one")
    place.add("a/b", "file", b"two")
    assert place.read("a/b", 9) == b"two"
    place.add("a/in/deep", "file", b"x")
    place.add("a", "link", b"/etc")
    assert (place.kind("a"), place.kind("a/b"), place.read("a/b", 9)) == ("link", None, None)
    assert (place.kind("a/in"), place.kind("a/in/deep"), place.entries("a/in")) == (None, None, [])
    place.add("a/c", "file", b"three")
    assert (place.kind("a"), place.read("a/c", 9)) == ("folder", b"three")


def test_an_encrypted_zip_is_told(tmp_path: Path) -> None:
    data = bytearray(pack({"a": File(0o100644, b"x")}, "top", "zip"))
    for start in (data.index(b"PK\3\4") + 6, data.index(b"PK\1\2") + 8):
        data[start] |= 1
    with pytest.raises(Exceeded, match="can't be unpacked"):
        unpacked_bytes(bytes(data), Bounds())
    (tmp_path / "x").write_bytes(data)
    with pytest.raises(Exceeded, match="larger than 10 bytes"):
        unpacked(tmp_path / "x", Bounds(size=10))


def test_patches_are_what_git_applies(tmp_path: Path) -> None:
    trees: list[dict[str, tuple[int, bytes]]] = [
        {"a.txt": (0o100644, b"one\ntwo\n"), "run": (0o100644, b"x\n"), "end": (0o100644, b"no newline")},
        {"a.txt": (0o100644, "one\nzw\u00f6lf\n".encode()), "run": (0o100755, b"x\n"), "end": (0o100644, b"none here")},
        {"run": (0o100755, b"x\n"), "end": (0o100644, b"none here\nbut here\n"), "new/b.txt": (0o100755, b"b\n")},
        {"run": (0o100755, b"From here\n"), "end": (0o100644, b""), "new/b.txt": (0o100755, b"b\n")},
    ]  # fmt: skip
    objects = Objects()
    sides = [{path: (File(mode, data), Blob(mode, objects.blob(data))) for path, (mode, data) in tree.items()} for tree in trees]  # fmt: skip
    messages = ("Change it\n\nFrom here on it is twelve.\n", "M\u00f6ve it", "[not a tag] Empty it")
    patches = [
        PatchOf("1" * 40, "J\u00f6rn Quill", "j@orchard.example", 1_900_000_000 + 60 * number, 120, message, before, after)
        for number, (message, before, after) in enumerate(zip(messages, sides, sides[1:], strict=False))
    ]  # fmt: skip
    (tmp_path / "in.mbox").write_bytes(mailbox(patches))
    (tmp_path / "work").mkdir()
    work = tmp_path / "work"
    for path, (_, data) in trees[0].items():
        (work / path).write_bytes(data)
    shell(work, "git init -q; git add -A; git commit -qm begin; git am -q --keep-non-patch ../in.mbox")
    made = objects.tree({path: (blob.mode, blob.id) for path, (_, blob) in sides[-1].items()})
    assert shell(work, "git rev-parse HEAD^{tree}").strip() == made
    assert shell(work, "git log -3 --reverse --format=%an:%ae:%ad:%s --date=raw").splitlines() == [
        f"J\u00f6rn Quill:j@orchard.example:{1_900_000_000 + 60 * number} +0200:{message.splitlines()[0]}"
        for number, message in enumerate(messages)
    ]
    assert "From here on" in shell(work, "git log -1 --format=%b HEAD~2")
