"""What a learner is told who asks where they stand."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import pytest

from tests.conftest import muddled, shell

MERGE = "git merge -q night-shift >/dev/null || true\n"
THEIRS = "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' press.toml\n"


@dataclass(frozen=True)
class Case:
    """An exercise, what the learner has done, and what they are told (and not told)."""

    script: str
    says: tuple[str, ...]
    exercise: str = "press-limit"
    code: int = 1
    silent: tuple[str, ...] = field(default=())


CASES = {
    "nothing begun": Case("true", ("Nothing is pending on main", "Nothing is left to do here"), code=0),
    "a merge at its conflict": Case(
        MERGE,
        ("middle of a merge on main", "ours is main", "theirs is night-shift", "press.toml unmerged: changed on both sides",
         "press.toml, line 12 conflict marker: <<<<<<< HEAD", "git add press.toml", "git commit then, to complete it", "git merge --abort"),
    ),
    "resolved, not staged": Case(MERGE + THEIRS, ("unmerged: changed on both sides", "git add press.toml"), silent=("conflict marker", "(edit)")),
    "staged with a marker in it": Case(
        MERGE + THEIRS + "echo '>>>>>>> night-shift' >>press.toml; git add .", ("press.toml, line 41 conflict marker", "(edit)", "git add press.toml"),
    ),
    "staged, not committed": Case(
        MERGE + THEIRS + "git add .", ("everything is merged; the operation is not completed yet", "git commit to complete it"), silent=("unmerged",),
    ),
    "markers committed": Case(MERGE + "git commit -qam x", ("press.toml, line 12 conflict marker: <<<<<<< HEAD",)),
    "markers committed and taken out since": Case(
        MERGE + "git commit -qam x\n" + THEIRS, ("conflict marker, committed: <<<<<<< HEAD", "changed, not staged"),
    ),
    "done": Case(MERGE + THEIRS + "git commit -qam x", ("Nothing is left to do here",), code=0),
    "done, with a note of their own": Case(MERGE + THEIRS + "git commit -qam x; touch notes", ("Worth knowing", "notes untracked"), code=0),
    "a backup file left": Case(MERGE + THEIRS + "git commit -qam x; touch press.toml.orig", ("a backup file", "rm press.toml.orig")),
    "a backup file committed": Case(MERGE + THEIRS + "touch x.orig; git add .; git commit -qm x", ("a backup file that was committed",)),
    "detached": Case("git checkout -q --detach", ("on no branch (HEAD is detached)", "belongs to no branch", "git switch")),
    "changed by hand": Case("echo >>README.md", ("README.md changed, not staged", "git restore FILE")),
    "aborted": Case(MERGE + "git merge --abort", ("Nothing is left to do here",), code=0),
    "a squash": Case("git merge -q --squash night-shift >/dev/null || true\n", ("middle of a squash merge", "git reset --merge")),
    "a file deleted by one": Case(
        "git merge -q honey >/dev/null || true", ("prices-old.csv unmerged: deleted or renamed by ours, changed by theirs", "git rm prices-old.csv to let it go"),
        exercise="gone-price-list",
    ),
    "a file made twice": Case("git merge -q shop >/dev/null || true", ("opening.md unmerged: made on both sides",), exercise="two-new-pages"),
    "a rebase half way": Case(
        "git rebase main >/dev/null 2>&1 || true\nsed -i -e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d' plan.txt; git add .; git rebase --continue >/dev/null 2>&1 || true",
        ("middle of a rebase of bottling, at step 3 of 4", "ours is main, the new base", 'theirs is your own commit "Count the crates"',
         "git rebase --continue", "git rebase --abort"), exercise="rebase-four",
    ),
    "a cherry-pick": Case(
        "git cherry-pick next-season~1 >/dev/null 2>&1 || true", ("middle of a cherry-pick", 'the picked commit "Correct the sugar as measured"', "git cherry-pick --continue"),
        exercise="pick-the-fix",
    ),
    "a revert": Case("git revert --no-edit HEAD~1 >/dev/null 2>&1 || true", ("middle of a revert", "git revert --continue", 'before "Raise the price'), exercise="undo-the-price"),
    "a stash popped": Case("git stash pop >/dev/null 2>&1 || true", ("bringing stashed work back", "theirs is your stashed work", "git add winter.txt"), exercise="stash-back"),
    "a text about markers": Case("git merge -q wording >/dev/null || true", ("markers.txt, line 12 conflict marker: <<<<<<< HEAD",), exercise="about-markers", silent=("line 2 ",)),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_peek(name: str, tmp_path: Path) -> None:
    case = CASES[name]
    muddled("plant", case.exercise, tmp_path / "ilse", "--quiet")
    work = tmp_path / "ilse/work"
    shell(work, case.script)
    before = shell(tmp_path, "find . -type f | sort | xargs sha1sum")
    said = " ".join(muddled("peek", folder=work, code=case.code).stdout.split())
    for words in case.says:
        assert words in said
    for words in case.silent:
        assert words not in said
    assert shell(tmp_path, "find . -type f | sort | xargs sha1sum") == before, "peeking changed something"
    assert "accepted" not in said


def test_peek_finds_its_repository_and_runs_nothing_of_it(planted: Path, tmp_path: Path) -> None:
    shell(planted / "work", f"mkdir deep; git config core.fsmonitor 'touch {tmp_path}/PWNED'; " + MERGE)
    assert "middle of a merge" in muddled("peek", planted, code=1).stdout
    (tmp_path / "PWNED").unlink(missing_ok=True)  # Git itself ran it in the merge
    assert "middle of a merge" in muddled("peek", folder=planted / "work/deep", code=1).stdout
    assert not (tmp_path / "PWNED").exists()
    assert "there is no Git repository here" in muddled("peek", tmp_path, code=2).stderr
    assert "there is no such folder" in muddled("peek", tmp_path / "nowhere", code=2).stderr
    assert muddled("peek", planted, "--quiet", code=1).stdout == ""
