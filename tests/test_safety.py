"""A submission is hostile until read: nothing in it runs, leads elsewhere or takes others down."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import pytest

from muddled_orchard.core.assess import assess
from muddled_orchard.files.catalogue import BUNDLED, Shelf
from muddled_orchard.vcs import grading
from tests.conftest import graded, muddled, shell

RIGHT = (
    "git merge -q night-shift >/dev/null || true\n"
    "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' press.toml; git commit -qam merged\n"
)

# What is done to a submission, and its state: everything but the damaged is graded as if nothing were.
HOSTILE = {
    "configuration that runs programs": (
        "git config core.fsmonitor 'touch PWNED'; git config core.hooksPath .git/h; git config core.pager 'touch PWNED'\n"
        "git config filter.x.clean 'touch PWNED'; git config filter.x.smudge 'touch PWNED'; git config diff.x.textconv 'touch PWNED'\n"
        "git config merge.x.driver 'touch PWNED'; echo '* filter=x diff=x merge=x' >.git/info/attributes\n"
        "git config include.path PWNED; git config alias.status '!touch PWNED'",
        "finished",
    ),
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
    "no objects": ("rm -rf .git/objects/??", "unreadable"),
    "a damaged object": ("f=.git/objects/$(git rev-parse HEAD | sed 's|..|&/|'); chmod +w $f; echo x >$f", "unreadable"),
    "a damaged index": ("head -c 50 /dev/zero >.git/index", "unreadable"),
    "no HEAD": ("rm .git/HEAD", "unreadable"),
    "a HEAD that is noise": ("head -c 500 /dev/urandom >.git/HEAD", "finished"),
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_submissions(name: str, planted: Path) -> None:
    attack, state = HOSTILE[name]
    honest = planted.parent / "honest"
    shell(planted / "work", RIGHT)
    shutil.copytree(planted, honest, symlinks=True)
    shell(planted / "work", attack)
    results = {learner: graded(planted.parent)[learner] for learner in ("ilse", "honest")}
    assert results["honest"]["percent"] == 100.0
    assert results["ilse"]["state"] == state
    if state == "unreadable":
        assert results["ilse"]["reason"]
    else:
        lacking = {
            i for i, c in results["ilse"]["criteria"].items() if c["outcome"] not in ("met", "skipped")
        }
        assert lacking <= {"tidy", "rest", "bystanders"}, results["ilse"]
    assert not list(planted.parent.rglob("PWNED"))


def test_a_crash_costs_one_submission_alone(planted: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    shell(planted / "work", RIGHT)
    shutil.copytree(planted, planted.parent / "honest", symlinks=True)

    def fails_once(*_: Any) -> Any:
        monkeypatch.setattr(grading, "assess", assess)
        raise KeyError("surprise")

    monkeypatch.setattr(grading, "assess", fails_once)
    with grading.grader(Shelf().find) as one:
        first, second = one.grade([planted, planted.parent / "honest"])
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


def test_a_changed_scenario_and_a_foreign_repository_are_told(planted: Path, tmp_path: Path) -> None:
    changed = tmp_path / "changed.toml"
    changed.write_text((BUNDLED / "press-limit.toml").read_text().replace("brush", "broom"))
    said = muddled("grade", planted, "--scenarios", changed, code=2).stdout
    assert "the scenario was changed after handing out" in " ".join(said.split())
    shell(tmp_path, "mkdir other; cd other; git init -q; git commit -q --allow-empty -m x")
    assert "names no exercise" in muddled("grade", tmp_path / "other", code=2).stdout
    (tmp_path / "empty").mkdir()
    assert "no submission in this folder" in muddled("grade", tmp_path / "empty", code=2).stderr
