"""A submission is hostile until read: nothing in it runs, leads elsewhere or takes others down."""

from __future__ import annotations

import gzip
import hashlib
import io
import json
import lzma
import os
import shutil
import tarfile
import time
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from muddled_orchard.classroom import parallel
from muddled_orchard.classroom.marking import GradingRun
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.grading.assess import assess
from muddled_orchard.core.submission.file_source import FileSource
from muddled_orchard.files.archives.submissions import Handed
from muddled_orchard.files.scenarios.bundled import BUNDLED
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.vcs import grading
from muddled_orchard.vcs.read.disk import DiskSource
from tests.conftest import all_marked, graded, muddled, once, shell

RIGHT = (
    "git merge -q night-shift >/dev/null || true\n"
    "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' press.toml; git commit -qam merged\n"
)

# What honest people's machines and habits do to a repository: nothing of it may cost a point.
HONEST = {
    "packed": "git gc -q --prune=now",
    "packed with a commit graph and a bitmap": "git repack -qadb; git commit-graph write --reachable; git multi-pack-index write",
    "refs packed": "git pack-refs --all",
    "a tag that says something": "git tag -a v1 -m 'As of now'",
    "a note": "git notes add -m 'Checked by the press'",
    "settings of all kinds": "git config user.name Else; git config core.autocrlf input; git config merge.tool none; git config core.editor vi",
    "a remote that is gone": "git remote add home /nowhere; git update-ref refs/remotes/home/main HEAD",
    "another branch with an umlaut": "git branch übung",
    "a branch with slashes": "git branch feature/press/limit",
    "an alias and a hook": "git config alias.st status; mkdir -p .git/hooks; echo 'exit 1' >.git/hooks/pre-commit; chmod +x .git/hooks/pre-commit",
    "a sparse index": "git config index.sparse true; git update-index --index-version 4",
    "an index with a cache of untracked files": "git update-index --untracked-cache; git status >/dev/null",
    "rerere": "git config rerere.enabled true; mkdir -p .git/rr-cache",
    "an editor's folders in .git": "mkdir -p .git/sublime; echo x >.git/COMMIT_EDITMSG~",
    "a message in another encoding": "git -c i18n.commitEncoding=ISO-8859-1 commit -q --amend -m $'Gr\\xf6\\xdfer'",
    "a signature of nobody": "git commit -q --amend -m merged --date '2031-05-01T00:00:00+1345'",
    "a long message with trailers": "git commit -q --amend -m merged -m $'Because.\\n\\nVariant: none\\nExercise: other'",
    "no reflog": "rm -rf .git/logs",
    "a worktree that was removed": "git worktree add -q ../other; git worktree remove ../other; git branch -D other",
    "a look at an older commit": "git checkout -q HEAD~1; git checkout -q main",
    "noise of operating systems": "touch .DS_Store Thumbs.db ._press.toml",
    "an ignored file": "echo '*.log' >.git/info/exclude",
    "read-only": "chmod -R a-w .",
}  # fmt: skip


def test_honest_habits_cost_nothing(tmp_path: Path) -> None:
    muddled("plant", "press-limit", tmp_path / "first")
    shell(tmp_path / "first/work", RIGHT)
    for number, script in enumerate(HONEST.values()):
        shutil.copytree(tmp_path / "first", tmp_path / f"in/{number:02}", symlinks=True)
        shell(tmp_path / f"in/{number:02}/work", script)
    results = graded(tmp_path / "in")
    shell(tmp_path, "chmod -R u+w in")
    lacking = {
        name: (
            results[f"{number:02}"]["reason"],
            [c["because"] for c in results[f"{number:02}"]["criteria"].values()],
        )
        for number, name in enumerate(HONEST)
        if results[f"{number:02}"]["percent"] != 100
    }
    assert lacking == {}


# What is done to a submission, and its state: everything but the damaged is graded as if nothing were.
HOSTILE = {
    "configuration that runs programs": (
        "git config core.fsmonitor 'touch PWNED'; git config core.hooksPath .git/h; git config core.pager 'touch PWNED'\n"
        "git config filter.x.clean 'touch PWNED'; git config filter.x.smudge 'touch PWNED'; git config diff.x.textconv 'touch PWNED'\n"
        "git config merge.x.driver 'touch PWNED'; echo '* filter=x diff=x merge=x' >.git/info/attributes\n"
        "git config include.path PWNED; git config alias.status '!touch PWNED'",
        "finished",
    ),
    "a file that is only announced": ("touch new; git add -N new", "finished"),
    "a work tree elsewhere": ("git config core.worktree /etc", "finished"),
    "alternates": ("mkdir -p .git/objects/info; echo /etc >.git/objects/info/alternates", "finished"),
    "replace refs and grafts": (
        "git replace HEAD HEAD~1; echo \"$(git rev-parse HEAD)\" >.git/info/grafts; echo x >.git/shallow", "finished",
    ),
    "a link and a pipe among the files": (
        "ln -s /etc/passwd notes; git add notes; git commit -qm x; mkfifo pipe; ln -s / root; echo pipe >.git/info/exclude",
        "finished",
    ),
    "a link in .git": ("ln -s /etc/passwd .git/refs/heads/evil; ln -s / .git/refs/remotes; mkfifo .git/MERGE_MSG", "finished"),
    "a loop of refs": ("echo 'ref: refs/heads/b' >.git/refs/heads/a; echo 'ref: refs/heads/a' >.git/refs/heads/b", "finished"),
    "a variant that is none": (
        "git filter-branch -f --msg-filter \"sed 's/^Variant: .*/Variant: \\.\\.@{x}/'\" -- --all >/dev/null 2>&1", "unreadable",
    ),
    ".git is a link": ("mv .git ../elsewhere; ln -s ../elsewhere .git", "unreadable"),
    ".git is a file": ("mv .git ../elsewhere; echo 'gitdir: ../elsewhere' >.git", "unreadable"),
    "a split index": ("git update-index --split-index", "unreadable"),
    "no objects": ("rm -rf .git/objects/??", "unreadable"),
    "a damaged object": ("f=.git/objects/$(git rev-parse HEAD | sed 's|..|&/|'); chmod +w $f; echo x >$f", "unreadable"),
    "a damaged index": ("head -c 50 /dev/zero >.git/index", "unreadable"),
    "no HEAD": ("rm .git/HEAD", "unreadable"),
    "a HEAD that is noise": ("head -c 500 /dev/urandom >.git/HEAD", "finished"),
}  # fmt: skip


def tar_of(*members: tuple[str, bytes, dict[str, Any]], form: str = "w:gz") -> bytes:
    """An archive of members (name, content, what else its header says)."""
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode=form, format=tarfile.GNU_FORMAT) as archive:  # type: ignore[call-overload]  # a mode from a table
        for name, data, said in members:
            about = tarfile.TarInfo(name)
            about.size = len(data)
            for key, value in said.items():
                setattr(about, key, value)
            archive.addfile(about, io.BytesIO(data))
    return out.getvalue()


def zip_of(*members: tuple[str, bytes, int]) -> bytes:
    """A zip file of members (name, content, mode)."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data, mode in members:
            about = zipfile.ZipInfo(name)
            about.external_attr = mode << 16
            about.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(about, data)
    return out.getvalue()


def loose(kind: str, data: bytes) -> tuple[str, bytes]:
    """A loose object: its path below .git, and its file."""
    whole = f"{kind} {len(data)}\0".encode() + data
    id_ = hashlib.sha1(whole, usedforsecurity=False).hexdigest()
    return f".git/objects/{id_[:2]}/{id_[2:]}", zlib.compress(whole)


def repository(*objects: tuple[str, bytes], **files: str) -> bytes:
    """An archive of a repository with these objects and files below .git."""
    held: list[tuple[str, bytes, dict[str, Any]]] = [(path, data, {}) for path, data in objects]
    held += [
        (f".git/{name.replace('___', '-').replace('__', '/')}", text.encode(), {})
        for name, text in files.items()
    ]
    return tar_of((".git/refs/heads", b"", {"type": tarfile.DIRTYPE}), *held)


def tree_bomb() -> bytes:
    """Ten trees, each with ten times the next one: ten thousand million files."""
    path, data = loose("blob", b"x")
    objects, id_, mode = [(path, data)], path[13:].replace("/", ""), b"100644"
    for _ in range(10):
        below = b"".join(b"%s %d\0" % (mode, number) + bytes.fromhex(id_) for number in range(10))
        path, data = loose("tree", below)
        objects, id_, mode = [*objects, (path, data)], path[13:].replace("/", ""), b"40000"
    said = f"tree {id_}\nauthor x <x> 0 +0000\ncommitter x <x> 0 +0000\n\nx\n\nExercise: press-limit\nVariant: 0\n"
    path, data = loose("commit", said.encode())
    return repository(
        *objects, (path, data), HEAD="ref: refs/heads/main", refs__heads__main=path[13:].replace("/", "")
    )


LOOP = "".join(f"{'a' * 40} refs/heads/{number}\n" for number in range(60_000))

# Archives that nobody should open, and what is said of each.
ARCHIVES: dict[str, tuple[Callable[[bytes], bytes], str]] = {
    "up.tar.gz": (lambda _: tar_of(("a/../../evil", b"x", {})), "a path that leads out"),
    "absolute.tar": (lambda _: tar_of(("/evil", b"x", {}), form="w:"), "a path that leads out"),
    "up.zip": (lambda _: zip_of(("..\\..\\evil", b"x", 0o644)), "a path that leads out"),
    "drive.zip": (lambda _: zip_of(("C:/evil", b"x", 0o644)), "a path that leads out"),
    "link-out.tar": (
        lambda _: tar_of((".git", b"", {"type": tarfile.SYMTYPE, "linkname": "/etc"}), (".git/HEAD", b"x", {}), form="w:"),
        "has no objects",
    ),
    "link-out.zip": (lambda _: zip_of((".git", b"/etc", 0o120777)), "points to another place"),
    "hard-link.tar": (
        lambda _: tar_of((".git/HEAD", b"", {"type": tarfile.LNKTYPE, "linkname": "/etc/passwd"}), (".git/objects/a", b"", {}), form="w:"),
        "has no HEAD",
    ),
    "devices.tar": (
        lambda _: tar_of((".git/HEAD", b"", {"type": tarfile.CHRTYPE}), (".git/index", b"", {"type": tarfile.FIFOTYPE}), form="w:"),
        "has no HEAD",
    ),
    "bomb.tar.gz": (lambda _: gzip.compress(bytes(24 << 20), 1), "larger than"),
    "bomb.tar.xz": (lambda _: lzma.compress(bytes(24 << 20), preset=0), "larger than"),
    "bomb.zip": (lambda _: zip_of(("a", bytes(24 << 20), 0o644)), "larger than"),
    "many.zip": (lambda _: zip_of(*((str(number), b"", 0o644) for number in range(2_001))), "more than 2,000 entries"),
    "deep.tar": (lambda _: tar_of(("a/" * 5000 + "b", b"x", {}), form="w:"), "nested too deeply"),
    "liar.tar": (lambda good: gzip.decompress(good)[:2000], "damaged"),
    "cut.tar.gz": (lambda good: good[:-200], "damaged"),
    "cut.zip": (lambda _: zip_of(("a", b"x" * 1000, 0o644))[:-30], "damaged"),
    "flipped.tar.gz": (lambda good: good[:500] + bytes([good[500] ^ 255]) + good[501:], "damaged"),
    "noise.tar.gz": (lambda _: b"\x1f\x8b" + bytes(range(256)) * 4, "damaged"),
    "noise.zip": (lambda _: bytes(range(256)) * 9, "neither an archive"),
    "nothing.tar": (lambda _: b"", "neither an archive"),
    "noise.bundle": (lambda _: b"# v2 git bundle\n" + bytes(range(256)), "bundle"),
    "cut.bundle": (lambda _: b"# v2 git bundle\n" + b"a" * 40 + b" refs/heads/main\n\nPACK\0\0\0\2\0\0\0\5", "the bundle is damaged"),
    "part.bundle": (lambda _: b"# v2 git bundle\n-" + b"a" * 40 + b" x\n" + b"b" * 40 + b" HEAD\n\nPACK\0\0\0\2\0\0\0\0" + bytes.fromhex("029d08823bd8a8eab510ad6ac75c823cfd3ed31e"), "commits that it does not have"),
    "two.tar": (lambda _: tar_of(*((f"{n}/.git/{name}", b"", {"type": tarfile.DIRTYPE}) for n in "ab" for name in ("objects", "refs")), form="w:"), "several repositories"),
    "loop.tar.gz": (lambda _: repository(HEAD="ref: refs/heads/a", refs__heads__a="ref: refs/heads/b", refs__heads__b="ref: refs/heads/a", objects__x=""), "no branch of it leads to a commit"),
    "refs.tar.gz": (lambda _: repository(HEAD="ref: refs/heads/main", packed___refs=LOOP, objects__x=""), "packed-refs in its repository can't be read, or is larger than"),
    "trees.tar.gz": (lambda _: tree_bomb(), "lists more than"),
    "object-bomb.tar.gz": (
        lambda _: repository((f".git/objects/aa/{'a' * 38}", zlib.compress(b"commit 70000000\0" + bytes(70_000_000), 1)), HEAD="ref: refs/heads/main", refs__heads__main="a" * 40),
        "a commit of it is larger than",
    ),
    "pack.tar.gz": (
        lambda _: repository((".git/objects/pack/pack-" + "a" * 40 + ".pack", b"PACK" + bytes(500)), (".git/objects/pack/pack-" + "a" * 40 + ".idx", b"\xfftOc" + bytes(500)), HEAD="ref: refs/heads/main", refs__heads__main="a" * 40),
        "",
    ),
}  # fmt: skip


def hostile_pile(top: Path) -> dict[str, str]:
    """Honest, wrong and hostile submissions, as folders and as archives: where they lie, and what grading
    them says."""
    muddled("plant", "press-limit", top / "planted")
    (top / "in").mkdir()
    attacks = {name: RIGHT + attack for name, (attack, _) in HOSTILE.items()}
    for name, script in {
        "honest": RIGHT,
        "wrong": "git merge -q -X ours -m m night-shift\n",
        **attacks,
    }.items():
        shutil.copytree(top / "planted", top / "in" / _folder(name))
        shell(top / "in" / _folder(name) / "work", script)
    shutil.rmtree(top / "planted")
    shell(top / "in", "tar czf honest.tar.gz honest")
    good = (top / "in/honest.tar.gz").read_bytes()
    for name, (make, _) in ARCHIVES.items():
        (top / "in" / name).write_bytes(make(good))
    return {"place": str(top / "in"), "said": muddled("grade", "in", *BOUNDS, folder=top).stdout}


BOUNDS = ("--json", "--most-size", "20", "--most-entries", "2000")


def _folder(name: str) -> str:
    return name.replace(" ", "-").strip(".")


Pile = tuple[dict[str, dict[str, Any]], Path]


@pytest.fixture(scope="module")
def pile(tmp_path_factory: pytest.TempPathFactory) -> Pile:
    made = once(tmp_path_factory, "pile", hostile_pile)
    submissions = json.loads(made["said"])["submissions"]
    return {Path(one["submission"]).name: one for one in submissions}, Path(made["place"])


def test_whatever_lies_beside_it_an_honest_submission_is_graded(pile: Pile) -> None:
    results, place = pile
    assert [results[name]["percent"] for name in ("honest", "honest.tar.gz")] == [100, 100]
    assert not list(place.parent.rglob("PWNED"))
    assert [path.name for path in place.parent.iterdir()] == ["in"], "nothing got out"


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_submissions(name: str, pile: Pile) -> None:
    result = pile[0][_folder(name)]
    assert result["state"] == HOSTILE[name][1]
    if result["state"] == "unreadable":
        assert result["reason"]
        return
    lacking = {c["id"] for c in result["criteria"] if c["outcome"] not in ("met", "skipped")}
    assert lacking <= {"tidy", "rest", "bystanders"}, result


@pytest.mark.parametrize("name", ARCHIVES)
def test_hostile_archives(name: str, pile: Pile) -> None:
    result = pile[0][name]
    assert result["state"] == "unreadable"
    assert ARCHIVES[name][1] in result["reason"]


@pytest.mark.parametrize(
    ("act", "says"),
    [
        (lambda: time.sleep(60), "took more than 1 second"),
        (lambda: os._exit(3), "took its process down"),
        (lambda: bytearray(4 << 30), "memory"),
        (lambda: os.kill(os.getpid(), 9), "took its process down"),
    ],
)
def test_a_worker_that_fails_costs_its_submission_alone(
    act: Callable[[], object], says: str, planted: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shell(planted / "work", RIGHT)
    handed = [Handed(planted.parent / name, name) for name in ("one", "ilse", "two")]
    for name in ("one", "two"):
        shutil.copytree(planted, planted.parent / name, symlinks=True)

    def opened(path: Path, bounds: Bounds) -> FileSource:
        return really_opened(path, bounds) if path.name != "ilse" or act() is None else DiskSource(path)

    really_opened = parallel.opened
    monkeypatch.setattr(parallel, "opened", opened)
    found = all_marked(handed, GradingRun(ScenarioLibrary()), Bounds(seconds=1), 2)
    assert [one.assessment.percent for one in found] == [100, 0, 100]
    assert says in found[1].assessment.reason


def test_a_crash_costs_one_submission_alone(planted: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    shell(planted / "work", RIGHT)
    shutil.copytree(planted, planted.parent / "honest", symlinks=True)

    def fails_once(*_: Any) -> Any:
        monkeypatch.setattr(grading, "assess", assess)
        raise KeyError("surprise")

    monkeypatch.setattr(grading, "assess", fails_once)
    with grading.grader(lambda hand_out: ScenarioLibrary().find(hand_out.exercise)) as grading_one:
        first, second = grading_one.grade([planted, planted.parent / "honest"])
    assert "grading it failed (KeyError: 'surprise')" in first.reason
    assert (first.state, second.percent) == ("unreadable", 100.0)


def test_names_can_not_speak_to_the_terminal(planted: Path) -> None:
    shell(
        planted / "work",
        RIGHT.replace("press.toml;", "press.toml; echo >$'\\e[2Jevil\\n[bold]'; git add .;")
        + "echo >$'left\\e]0;x\\a'",
    )
    for arguments in ((), ("--json",)):
        said = muddled("grade", planted, *arguments)
        assert "\x1b" not in said.stdout + said.stderr
        assert "evil" in said.stdout
    # Also where only its own name is told, beside a ledger that does not know it.
    (planted.parent / "roster.csv").write_text("id,name\nada,Ada\n", "utf-8")
    muddled(
        "handout", "press-limit", "--roster", "roster.csv", "--out", "out", "--quiet", folder=planted.parent
    )
    shutil.copytree(planted, planted.parent / "\x1b[2Jown", symlinks=True)
    said = muddled("grade", "\x1b[2Jown", folder=planted.parent)
    assert "was not handed out by this ledger" in " ".join(said.stdout.split())
    assert "\x1b" not in said.stdout + said.stderr


def test_names_need_not_be_utf_8(planted: Path) -> None:
    """In a repository, as a folder of submissions, and through the ledger and every file that is written."""
    top = planted.parent
    muddled("handout", "press-limit", "--roster", "/dev/stdin", "--out", "out", folder=top, code=2)
    (top / "roster.csv").write_text("id,name\nada,Ada\n", "utf-8")
    muddled("handout", "press-limit", "--roster", "roster.csv", "--out", "out", folder=top)
    shell(planted / "work", RIGHT + "echo x >$'f\\xff\\nile'; git add .; git commit -qm $'Gr\\xfc\\xdfe'")
    shell(top, "mkdir in; mv ilse $'in/ils\\xff'; mkdir $'in/\\xfe'; touch $'in/\\xfe/x'")
    arguments = ("grade", "in", "--csv", "g.csv", "--junit", "g.xml")
    for more in ((), ("--json",), ("--again",)):
        said = muddled(*arguments, *more, folder=top).stdout
        assert "ils" in said
        said.encode("utf-8")
    assert "1 not graded again" in " ".join(muddled(*arguments, folder=top).stdout.split())
    for name in ("g.csv", "g.xml"):
        assert "ils\\" in (top / name).read_text("utf-8")
    assert "ils\\" in muddled("ledger", "--json", folder=top).stdout.replace("\\\\", "\\")


def test_a_changed_scenario_and_a_foreign_repository_are_told(planted: Path, tmp_path: Path) -> None:
    changed = tmp_path / "changed.toml"
    changed.write_text((BUNDLED / "press-limit.toml").read_text().replace("brush", "broom"))
    said = muddled("grade", planted, "--scenarios", changed, code=2).stdout
    assert "the scenario was changed after handing out" in " ".join(said.split())
    shell(tmp_path, "mkdir other; cd other; git init -q; git commit -q --allow-empty -m x")
    assert "names no exercise" in muddled("grade", tmp_path / "other", code=2).stdout
    (tmp_path / "empty").mkdir()
    assert "no submission in this folder" in muddled("grade", tmp_path / "empty", code=2).stderr
