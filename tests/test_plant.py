"""Planting: the same everywhere, whole or not at all."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from muddled_orchard.files.scenarios.bundled import BUNDLED
from tests.conftest import muddled, shell
from tests.scenarios import CHAIN

TIPS = {
    "main": "0443611f8c861b282c818f9d1128d5cb5db5ea58",
    "night-shift": "b85c9401bbe4238020b472105ae99295c75c5cb2",
}


def test_ids_do_not_depend_on_where_and_who(tmp_path: Path) -> None:
    home = tmp_path / "home"
    hooks = home / "template" / "hooks"
    hooks.mkdir(parents=True)
    (hooks / "post-checkout").write_text("#!/bin/sh\ntouch $HOME/ran\n")
    (hooks / "post-checkout").chmod(0o755)
    (home / ".gitattributes").write_text("* text eol=crlf\n")
    (home / ".gitconfig").write_text(
        f"[core]\nautocrlf = true\neol = crlf\nfileMode = false\nattributesFile = {home}/.gitattributes\n"
        f"hooksPath = {hooks}\n[commit]\ngpgSign = true\n[user]\nname = Somebody\nemail = else@orchard.example\n"
        f"[init]\ndefaultBranch = trunk\ntemplateDir = {home}/template\n[i18n]\ncommitEncoding = latin1\n"
    )
    wild = {
        "HOME": str(home), "XDG_CONFIG_HOME": str(home), "TZ": "Pacific/Chatham", "LC_ALL": "tr_TR.UTF-8",
        "GIT_DIR": str(tmp_path / "nowhere"), "GIT_WORK_TREE": "/", "GIT_AUTHOR_DATE": "1999-01-01T00:00:00",
        "GIT_COMMITTER_NAME": "Nobody", "GIT_OBJECT_DIRECTORY": str(tmp_path), "GIT_TEMPLATE_DIR": str(hooks),
        "GIT_INDEX_FILE": str(tmp_path / "index"), "PYTHONHASHSEED": "7",
    }  # fmt: skip
    muddled("plant", "press-limit", tmp_path / "a")
    muddled("plant", "press-limit", tmp_path / "b", more=wild)
    for name in ("a", "b"):
        work = tmp_path / name / "work"
        for branch, tip in TIPS.items():
            assert shell(work, f"git rev-parse {branch}").strip() == tip
        assert (
            shell(
                work, "git fsck --strict 2>&1; git status --porcelain; git config --get-regexp user || true"
            )
            == ""
        )
        assert (
            shell(work, "git symbolic-ref HEAD; ls .git/hooks .git/logs 2>/dev/null || true")
            == "refs/heads/main\n"
        )
        assert b"\r" not in (work / "press.toml").read_bytes()
        assert "Exercise: press-limit\nVariant: 0" in shell(work, "git log --reverse --format=%B main")
    assert not (home / "ran").exists()
    listing = "cd work; find .git -type f ! -name index | sort | xargs sha1sum; cat press.toml ../BRIEF.md"
    assert shell(tmp_path / "a", listing) == shell(tmp_path / "b", listing)


def test_variants_differ_in_words_and_are_stable(tmp_path: Path) -> None:
    for code in ("5c1d9a", "other"):
        muddled("plant", "press-limit", tmp_path / code, "--variant", code)
    one, other = ((tmp_path / code / "work/press.toml").read_text() for code in ("5c1d9a", "other"))
    assert one != other
    assert "\nrow = 9\n" in one
    assert "limit = 55" in one


@pytest.mark.parametrize("already", ["a file", "a folder with something in it", "a link"])
def test_what_is_there_stays_as_it_is(already: str, tmp_path: Path) -> None:
    target = tmp_path / "there"
    if already == "a file":
        target.write_text("mine")
    elif already == "a link":
        (tmp_path / "elsewhere").mkdir()
        target.symlink_to(tmp_path / "elsewhere")
    else:
        target.mkdir()
        (target / "mine").write_text("mine")
    before = shell(tmp_path, "find . | sort")
    said = muddled("plant", "press-limit", target, code=2).stderr
    assert "not an empty folder" in said
    assert "nothing was written" in said
    assert shell(tmp_path, "find . | sort") == before


def test_a_failure_leaves_nothing(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    assert "can't be written" in muddled("plant", "press-limit", tmp_path / "file" / "x", code=2).stderr
    wrong = tmp_path / "hives.toml"
    wrong.write_text(CHAIN.replace('file = "old.txt"\ngone', 'file = "swarm.txt"\ngone'))
    said = muddled("plant", wrong, tmp_path / "new", code=2).stderr
    assert f"{wrong}:75: answer[2].file: swarm.txt does not conflict in task 1\n" in said
    assert sorted(os.listdir(tmp_path)) == ["file", "hives.toml"]  # noqa: PTH208


def test_an_empty_folder_is_taken_and_the_bundled_file_is_found_by_path_too(tmp_path: Path) -> None:
    (tmp_path / "new").mkdir()
    said = muddled("plant", BUNDLED / "press-limit.toml", "new", folder=tmp_path).stdout
    assert "Then: muddled grade new" in said
    assert (tmp_path / "new/BRIEF.md").read_text().startswith("# Two limits for one press\n")


def test_remotes_and_stashes_are_what_git_makes_of_them(tmp_path: Path) -> None:
    muddled("plant", "pull-by-merge", tmp_path / "a", "--quiet")
    work = tmp_path / "a/work"
    assert shell(work, "git rev-parse main@{upstream} origin/main | uniq | wc -l").strip() == "1"
    assert shell(
        work, "git log --oneline origin/main | wc -l; git fetch -q; git log --oneline origin/main | wc -l"
    ).split() == ["1", "2"]
    shell(tmp_path, "mv a moved; cd moved/work; git fetch -q")
    muddled("plant", "stash-back", tmp_path / "b", "--quiet")
    work = tmp_path / "b/work"
    assert shell(work, "git stash list").strip() == "stash@{0}: On main: winter list, half done"
    assert "straw: " in shell(work, "git stash show -p")
    assert "CONFLICT" in shell(work, "git stash pop 2>&1 || true")
    assert not (work / ".git/logs/HEAD").exists()
