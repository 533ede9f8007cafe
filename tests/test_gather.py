"""A class's repositories gathered from servers, with real Git, over file:// and http://."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.course.sources import by_column, sources
from tests.conftest import graded, muddled, shell
from tests.test_class import RIGHT, WRONG

NAMES = {"ada": "Ada Quince", "bo": "Bo Medlar", "cyd": "Cyd Sloe"}


@pytest.fixture(scope="module")
def served(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A course of two exercises, and a server's folder with ID/EXERCISE.git for each; cyd has pushed nothing."""
    top = tmp_path_factory.mktemp("served")
    rows = "".join(f"{id_},{name}\n" for id_, name in NAMES.items())
    (top / "roster.csv").write_text(f"id,name\n{rows}", "utf-8")
    for exercise in ("press-limit", "three-knots"):
        muddled("handout", exercise, "--roster", "roster.csv", "--out", "out", folder=top)
    for id_, script in (("ada", RIGHT), ("bo", WRONG)):
        for exercise in ("press-limit", "three-knots"):
            shell(
                top,
                f"mkdir -p at/{id_}/{exercise}; tar xzf out/{exercise}/{id_}.tar.gz -C at/{id_}/{exercise}",
            )
            work = next((top / "at" / id_ / exercise).rglob("work"))
            if exercise == "press-limit":
                shell(work, script)
            shell(work, f"git clone -q --bare . {top}/srv/{id_}/{exercise}.git")
    shell(top, "for x in press-limit three-knots; do git init -q --bare srv/cyd/$x.git; done")
    return top


@pytest.fixture
def course(served: Path, tmp_path: Path) -> Path:
    """A copy of it all."""
    shutil.copytree(served, tmp_path / "course")
    return tmp_path / "course"


def states(top: Path, *more: str, code: int = 0) -> dict[str, tuple[str, str]]:
    said = muddled("gather", "--out", "in", "--json", *more, folder=top, code=code).stdout
    return {one["file"]: (one["state"], one["reason"] or "") for one in json.loads(said)["repositories"]}


def test_a_class_is_gathered_and_again_only_what_changed(course: Path) -> None:
    url = f"file://{course}/srv/{{id}}/{{exercise}}.git"
    found = states(course, "--url", url, code=1)
    assert {place: state for place, (state, _) in found.items()} == {
        "press-limit/ada.git": "new", "three-knots/ada.git": "new", "press-limit/bo.git": "new",
        "three-knots/bo.git": "new", "press-limit/cyd.git": "failed", "three-knots/cyd.git": "failed",
    }  # fmt: skip
    assert found["press-limit/cyd.git"][1] == "there is nothing in it yet"
    both = muddled("grade", "in", "--json", folder=course).stdout  # as gather says it
    assert len(json.loads(both)["submissions"]) == 4
    results = graded(course / "in/press-limit", "--ledger", course / "orchard.db")
    assert (results["ada"]["percent"], results["bo"]["percent"] < 100) == (100.0, True)
    shell(
        course,
        "git -C srv/bo/press-limit.git update-ref refs/heads/new main; git -C srv/ada/press-limit.git symbolic-ref HEAD refs/heads/night-shift",
    )
    again = {place: state for place, (state, _) in states(course, "ada", "bo", "--url", url).items()}
    assert again == {
        "press-limit/ada.git": "changed", "three-knots/ada.git": "unchanged",
        "press-limit/bo.git": "changed", "three-knots/bo.git": "unchanged",
    }  # fmt: skip
    assert shell(course / "in/press-limit/bo.git", "git rev-parse -q --verify new")
    assert (course / "in/press-limit/ada.git/HEAD").read_text() == "ref: refs/heads/night-shift\n"
    shell(course, "rm -rf srv/bo")
    gone = muddled("gather", "bo", "--out", "in", "--url", url, "--quiet", folder=course, code=2)
    assert "Not gathered (2):" in gone.stderr
    assert gone.stdout == ""
    assert (course / "in/press-limit/bo.git/HEAD").is_file(), "what was gathered stays"
    assert not list((course / "in").rglob(".muddled-*"))


@contextmanager
def dumb_server(folder: Path) -> Iterator[str]:
    """Plain files over HTTP, as the simplest Git server has them."""
    command = [
        sys.executable,
        "-u",
        "-m",
        "http.server",
        "0",
        "--bind",
        "127.0.0.1",
        "--directory",
        str(folder),
    ]
    server = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    try:
        assert server.stdout is not None
        yield server.stdout.readline().split("(")[1].split(")")[0].rstrip("/")
    finally:
        server.kill()
        server.communicate()


def test_a_column_of_the_roster_and_no_password_is_shown(course: Path) -> None:
    shell(course, "for x in srv/*/press-limit.git; do git -C $x update-server-info; done")
    with dumb_server(course / "srv") as address:
        with_word = address.replace("http://", "http://course:secret@")
        rows = "".join(f"{id_},{name},{with_word}/{id_}/press-limit.git\n" for id_, name in NAMES.items())
        (course / "urls.csv").write_text(f"id,name,repository\n{rows}zed,Zed,\n", "utf-8")
        more = ("--roster", "urls.csv", "--column", "repository")
        said = muddled("gather", "--out", "in", *more, folder=course, code=1)
        shown = muddled("gather", "--out", "in", "--json", *more, folder=course, code=1)
    assert "2 repositories: 2 new." in said.stdout
    assert "To grade them: muddled grade in" in said.stdout
    for text in (said.stdout, said.stderr, shown.stdout):
        assert "secret" not in text
    assert graded(course / "in", "--ledger", course / "orchard.db")["ada"]["percent"] == 100.0


def test_a_web_page_is_no_empty_repository(course: Path) -> None:
    place = course / "srv/ada/page.git/info"
    place.mkdir(parents=True)
    (place / "refs").write_text("<html>Sign in</html>")
    (place.parent / "index.html").write_text("<html>")
    with dumb_server(course / "srv") as address:
        said = muddled(
            "gather", "ada", "--out", "in", "--url", f"{address}/{{id}}/page.git", folder=course, code=2
        )
    assert "ada  it answers with a web page, not as a Git server does" in said.stdout
    said = muddled("gather", "ada", "--out", "in", "--url", "http://[{id}", folder=course, code=2)
    assert "ada  URL using bad/illegal format or missing URL" in said.stdout


def test_a_hostile_server_costs_itself_alone(course: Path) -> None:
    """Configuration and hooks stay there; what Git's own check refuses, and what is too large, is told."""
    url = f"file://{course}/srv/{{id}}/press-limit.git"
    ada, bo, cyd = (course / f"srv/{id_}/press-limit.git" for id_ in NAMES)
    shell(
        ada,
        f"git config core.fsmonitor 'touch {course}/PWNED'; git config core.hooksPath hooks; mkdir -p hooks",
    )
    for hook in ("post-checkout", "reference-transaction", "post-update"):
        (ada / "hooks" / hook).write_text(f"#!/bin/sh\ntouch {course}/PWNED\n")
        (ada / "hooks" / hook).chmod(0o755)
    shell(
        bo,
        "b=$(echo x | git hash-object -w --stdin); t=$(printf '100644 .git\\0%b' \"$(echo $b | sed 's/../\\\\x&/g')\""
        " | git hash-object -w -t tree --literally --stdin)\n"
        "git update-ref refs/heads/evil $(git -c user.name=e -c user.email=e@orchard.example commit-tree -m x $t)",
    )
    shutil.rmtree(cyd)
    shell(course, f"git clone -q --bare srv/ada/three-knots.git {cyd}")
    shell(
        cyd,
        "git -c user.name=c -c user.email=c@orchard.example commit-tree -m x $(head -c 6000000 /dev/urandom | git hash-object -w --stdin | "
        "xargs printf '100644 blob %s\\tf\\n' | git mktree) | xargs git update-ref refs/heads/large",
    )
    found = states(course, "--url", url, "--most-size", "4", code=1)
    assert found["ada.git"] == ("new", "")
    assert found["bo.git"][0] == "failed"
    assert found["bo.git"][1] == "Git's own check refuses an object of it (hasDotgit: contains '.git')"
    assert found["cyd.git"][0] == "failed"
    assert not (course / "PWNED").exists()
    assert sorted(path.name for path in (course / "in").iterdir()) == ["ada.git"]


def test_what_can_not_be_gathered_is_told_before(course: Path) -> None:
    for more, says in (
        (("--url", "{id}/x.git"), '"ada/x.git" is no URL of a repository\n  It begins with https://'),
        (("--url", "ext::sh -c touch% PWNED"), "is no URL of a repository"),
        (("--url", "https://x.example/{grup}.git"), "--url: there is no column {grup}"),
        (("zed", "--url", "https://x.example/{id}.git"), 'there is no learner "zed"'),
        ((), 'the roster has no address in a column "url"'),
        (("--ledger", "none.db", "--url", "https://x.example/{id}.git"), "there is no such ledger"),
    ):
        assert says in muddled("gather", "--out", "in", *more, folder=course, code=2).stderr
    assert not (course / "in").exists()


def test_a_template_is_filled_as_urls_have_it() -> None:
    ada = Learner("a+b@c", "Ada Ö", {"group": "red team", "url": "ssh://git@x.example/a.git"})
    (one,) = sources([ada], "https://x.example/{group}/{id}/{name}.git", {})
    assert one.url == "https://x.example/red%20team/a%2Bb%40c/Ada%20%C3%96.git"
    assert one.place == "a+b@c.git"
    both = list(sources([ada], "file:///srv/{id}-{exercise}.git", {"a+b@c": ["one", "two"]}))
    assert [source.place for source in both] == ["one/a+b@c.git", "two/a+b@c.git"]
    assert next(by_column([ada], "url")).url == "ssh://git@x.example/a.git"
    with pytest.raises(BadInput, match="no URL"):
        list(by_column([Learner("a", "A", {"url": "/etc"})], "url"))


def test_hand_outs_are_pushed_and_again_without_harm(tmp_path: Path) -> None:
    """A clone, or an archive whose origin is the pushed repository where a clone is not enough; one round
    through the server, its second exercise by way of the archive."""
    exercises = ("press-limit", "stash-back", "pull-by-merge", "left-in-a-merge")
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada Quince\nbo,Bo Medlar\n", "utf-8")
    common = ("handout", *exercises, "--roster", "roster.csv", "--out", "out")
    said = muddled(*common, "--pack", "bare", folder=tmp_path).stdout
    assert "muddled gather --out FOLDER --url 'https://SERVER/{id}/{exercise}.git'" in said
    made = {path.relative_to(tmp_path / "out").as_posix() for path in (tmp_path / "out").glob("*/ada*")}
    assert made == {f"{exercise}/ada.git" for exercise in exercises} | {
        f"{exercise}/ada.tar.gz" for exercise in exercises[1:]
    }
    shell(tmp_path, f"for x in {' '.join(exercises)}; do git init -q --bare srv/ada/$x.git; done")
    url = f"file://{tmp_path}/srv/{{id}}/{{exercise}}.git"
    told = json.loads(muddled(*common, "--push", url, "--json", folder=tmp_path, code=1).stdout)
    states = {(one["learner"], one["exercise"]): one["state"] for one in told["pushed"]}
    assert set(states.values()) == {"pushed", "failed"}
    assert all((state == "pushed") == (learner == "ada") for (learner, _), state in states.items())
    assert {one["file"].partition("/")[0] for one in told["hand_outs"]} == set(exercises[1:]), "a new origin"
    shell(
        tmp_path,
        "git clone -q -b main srv/ada/press-limit.git a && cd a && git branch night-shift origin/night-shift",
    )
    shell(tmp_path / "a", RIGHT + "git push -q origin main")
    shell(tmp_path, "tar xzf out/pull-by-merge/ada.tar.gz")
    pulled = tmp_path / "pull-by-merge/work"
    shell(
        pulled,
        "git pull -q --no-rebase >/dev/null 2>&1 || git checkout -q --theirs . && git commit -qam pulled; git push -q",
    )
    again = muddled(*common, "--push", url, folder=tmp_path, code=1).stdout
    assert "0 handed out, 8 there already" in again
    assert "0 pushed, 4 on the server already, left as they are." in again
    assert shell(tmp_path, "git -C srv/ada/pull-by-merge.git rev-parse main") == shell(
        pulled, "git rev-parse HEAD"
    )
    muddled("gather", "ada", "--out", "in", "--url", url, folder=tmp_path)
    results = graded(tmp_path / "in/press-limit", "--ledger", tmp_path / "orchard.db")
    assert results["ada"]["percent"] == 100.0
    untouched = graded(tmp_path / "out/pull-by-merge", "--ledger", tmp_path / "orchard.db")["bo"]
    assert (untouched["state"], untouched["percent"]) == ("untouched", 0.0), (
        "the remote alone, as it was handed out"
    )
    shell(tmp_path, "for x in ada bo; do git init -q --bare srv/only/$x.git; done")
    only = ("handout", "press-limit", "--roster", "roster.csv", "--out", "out2", "--ledger", "only.db")
    said = muddled(*only, "--push", f"file://{tmp_path}/srv/only/{{id}}.git", folder=tmp_path).stdout
    assert "2 pushed" in said, "a single exercise need not be in the address"
    for more, says in (
        (("--push", url, "--pack", "zip"), "--push makes bare repositories, and --pack zip makes none"),
        (("--push", "file:///srv/{exercise}.git"), "--push: several hand-outs would go to one repository"),
        (("--push", "https://x.example/{grup}.git"), "--push: there is no column {grup}"),
    ):
        assert says in muddled(*common, *more, folder=tmp_path, code=2).stderr
