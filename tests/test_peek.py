"""What a learner is told who asks where they stand."""

from __future__ import annotations

import re
import subprocess
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from muddled_orchard.cli import main
from muddled_orchard.files.scenarios.bundled import bundled_ids
from tests.conftest import LEARNER, muddled, shell

MERGE = "git merge -q night-shift >/dev/null || true\n"
TAKE = "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' {}\n"
THEIRS = TAKE.format("press.toml")


@dataclass(frozen=True)
class Case:
    """An exercise, what the learner has done, and what they are told (and not told)."""

    script: str
    says: tuple[str, ...]
    exercise: str = "press-limit"
    code: int = 1
    silent: tuple[str, ...] = field(default=())


PICKS = str(Path(__file__).parent / "cases/picks-in-a-range.toml")
PICK = "git cherry-pick main..side~1 >/dev/null 2>&1 || true; "

CASES = {
    # Several commits, of which one was committed by hand or reset: Git refuses what else would be right.
    "a pick committed by hand": Case(f"{PICK}git checkout -q --theirs w.txt; git commit -qam x", ("what it had stopped at is committed", "git cherry-pick --continue to go on with the next"), exercise=PICKS, silent=("--skip", "--abort")),
    "a pick committed by hand, and more": Case(f"{PICK}git checkout -q --theirs w.txt; git commit -qam x; echo >>w.txt", ("git add w.txt to stage it", "git commit to commit what is staged git cherry-pick --continue"), exercise=PICKS),
    "a pick that was reset": Case(f"{PICK}git reset -q --hard", ("what it had stopped at was reset", "git cherry-pick --abort to begin again"), exercise=PICKS, silent=("--skip", "--continue", "nothing of")),
    "a revert committed by hand": Case("git revert --no-edit HEAD~1 HEAD >/dev/null 2>&1 || true; git checkout -q --theirs .; git add .; git commit -qm x", ("middle of a revert", "git revert --continue to go on with the next"), exercise="undo-the-price"),
    # What is to be given up, and what was begun or done instead of what was asked.
    "to be given up": Case("git merge -q summer >/dev/null 2>&1 || true", ("this is where it is to be given up again", "git merge --abort to give it up, as asked"), exercise="safety-net", silent=("git add", "The way back")),
    "carried out, and was to be given up": Case("git merge -q summer >/dev/null 2>&1 || true\n" + TAKE.format("hours.md") + "git commit -qam x", ("it was carried out, and was to be given up", "git reset --keep", "git merge --abort to give it up"), exercise="safety-net"),
    "a merge instead of a rebase, under way": Case("git switch -q gates; git merge -q main >/dev/null 2>&1 || true", ("a merge is under way, and was not asked for", "git merge --abort to give it up git rebase main to begin"), exercise="rebase-one", silent=("git add",)),
    "a merge instead of a rebase": Case("git switch -q gates; git merge -q main >/dev/null 2>&1 || true\n" + TAKE.format("yard.txt") + "git commit -qam x", ("gates has a merge commit, and was to be rebased", "git reset --keep", "git reflog still names what gates had", "git rebase main to begin"), exercise="rebase-one", silent=("git switch",)),
    "the wrong way round, under way": Case("git switch -q night-shift; git merge -q main >/dev/null 2>&1 || true", ("it goes the wrong way round: main into night-shift", "git merge --abort to give it up git switch main")),
    "the wrong way round": Case("git switch -q night-shift; git merge -q main >/dev/null 2>&1 || true\n" + TAKE.format("press.toml") + "git commit -qam x", ("night-shift has the commits of main: it was merged the wrong way round", "git reset --keep", "git switch main to be on the branch", "git merge night-shift to begin")),
    "on a branch of one's own": Case("git switch -qc mine; " + MERGE, ("it was begun on mine, and is asked on main",)),
    "merged instead of picked": Case("git merge -q next-season >/dev/null 2>&1 || true\n" + TAKE.format("litre.txt") + "git commit -qam x", ("main has the other branch's own commits: they were merged, and were to be copied", "git cherry-pick"), exercise="pick-the-fix"),
    "merged instead of squashed": Case("git merge -q cloths >/dev/null 2>&1 || true\n" + TAKE.format("needs.txt") + "git commit -qam x", ("was to get one plain commit (--squash)", "git merge --squash cloths"), exercise="squash-the-notes"),
    "rebased instead of merged": Case("git rebase -q night-shift >/dev/null 2>&1 || true\n" + THEIRS + "git add .; git -c core.editor=true rebase --continue >/dev/null 2>&1 || true; git -c core.editor=true rebase --continue >/dev/null 2>&1 || true", ("main was rebased or set back, and was to receive a merge",)),
    "nothing begun": Case("true", ("Nothing is pending on main", "main does not have the commits of night-shift yet", "git merge night-shift to begin")),
    "an aborted start": Case(MERGE + "git merge --abort", ("does not have the commits of night-shift yet; what was begun was given up", "git merge night-shift")),
    "a failed pull": Case("git pull -q 2>/dev/null || true", ("main does not have the commits of origin/main yet", "git pull --no-rebase origin main"), exercise="pull-by-merge"),
    "nothing fetched": Case("true", ("git fetch origin to get what the others have pushed", "git merge origin/main"), exercise="stale-main"),
    "not pushed": Case(
        "git merge -q main >/dev/null || true; sed -i -e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d' rota.txt; git commit -qam x; git switch -q main; git merge -q --no-ff --no-edit winter-rota",
        ("main is not pushed yet", "git push origin main", "winter-rota is still there"), exercise="there-and-back", silent=("does not have",),
    ),
    "not deleted": Case(
        "git merge -q main >/dev/null || true; sed -i -e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d' rota.txt; git commit -qam x; git switch -q main; git merge -q --no-ff --no-edit winter-rota; git push -q origin main",
        ("winter-rota is still there", "git branch -d winter-rota"), exercise="there-and-back", silent=("not pushed",),
    ),
    "a squash not begun": Case("true", ("main has no new commit for it", "git merge --squash cloths"), exercise="squash-the-notes"),
    "an open bisect": Case(MERGE + THEIRS + "git commit -qam x; git bisect start >/dev/null; git bisect bad >/dev/null; git bisect good HEAD^^ >/dev/null", ("a git bisect is open", "git bisect reset"), silent=("git switch",)),
    "a patch applied": Case("git format-patch -q main..night-shift -o ..; git am -q ../*.patch >/dev/null 2>&1 || true", ("middle of applying a patch", "applying a patch is under way, and was not asked for", "git am --abort to give it up")),
    "renamed on both sides": Case("git merge -q names >/dev/null 2>&1 || true", ("deleted or renamed on both sides", "git rm"), exercise="renamed-twice"),
    "a copy that doesn't know": Case(MERGE + THEIRS + "git commit -qam x; rm -r .git/muddled", ("Nothing is pending or left lying about", "compare it with your brief"), code=0),
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
    "changed by hand": Case("echo >>README.md", ("README.md changed, not staged", "git stash to put it aside")),
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
    "a patch that does not apply": Case("git am ../patches.mbox >/dev/null 2>&1 || true", ("the patch does not apply, and nothing of it is here yet", "git am --abort to begin again", "git am --3way ../patches.mbox to begin"), exercise="patches-by-mail", silent=("everything is merged", "--continue")),
    "a patch mended by hand": Case("git am ../patches.mbox >/dev/null 2>&1 || true; sed -i 's/rope/iron/' locks.xml", ("locks.xml changed, not staged", "✗ the operation is not completed yet", "git add locks.xml to stage what you changed git am --continue"), exercise="patches-by-mail", silent=("everything is merged",)),
    "a patch of which nothing is left": Case("git am -3 ../patches.mbox >/dev/null 2>&1 || true; git checkout -q --ours locks.xml; git add .", ("git am --skip to leave it out",), exercise="patches-by-mail"),
    "patches quit at a conflict": Case("git am -3 ../patches.mbox >/dev/null 2>&1 || true; git am --quit", ("A conflict was left behind on main, and no operation is under way", "git reset --merge to be without it", "git am --3way ../patches.mbox to begin"), exercise="patches-by-mail", silent=("stash",)),
    "a rebase quit at a conflict": Case("git rebase -q main >/dev/null 2>&1 || true; git rebase --quit", ("A conflict was left behind on no branch", "git reset --merge", "git switch bottling", "git rebase main to begin"), exercise="rebase-four", silent=("stash",)),
    "a rebase quit when all was staged": Case("git rebase -q main >/dev/null 2>&1 || true; git checkout -q --theirs .; git add .; git rebase --quit", ("git stash to put aside what is not committed (git stash pop) git switch bottling to be on the branch that it is about git rebase main",), exercise="rebase-four", silent=("git commit",)),
    "a merge quit where nobody knows what is asked": Case(MERGE + "git merge --quit; rm -r .git/muddled", ("A conflict was left behind on main", "(edit)", "git add press.toml", "git commit then, to have it in a commit", "The way back, to how it was before: git reset --merge")),
    "changed after it was staged": Case(MERGE + THEIRS + "git add .; echo '# more' >> README.md", ("README.md changed, not staged", "git add README.md to stage what you changed git commit to complete it"), silent=("everything is merged",)),
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


STORY = """
story = [
    { on = "main", write = { "a.txt" = "1\\n", "b.txt" = "1\\n" }, label = "begin", publish = ["main"] },
    { on = "south", from = "main", write = { "s.txt" = "1\\n" } },
    { on = "night", from = "main", write = { "c.txt" = "1\\n" }, label = "one", message = "One" },
    { on = "night", write = { "d.txt" = "1\\n" }, label = "two", message = "Two" },
    { on = "main", write = { "a.txt" = "2\\n" }, label = "last", message = "Last", publish = ["main"] },
]
"""
IN_A_CHAIN = {
    "a list, and all of it merged back": ('[{ do = "rebase", on = "night", onto = "main", todo = ["pick one", "fixup two"] }, { do = "merge", on = "main", bring = "night", fast_forward = "never" }]', "", "git switch -q night; GIT_SEQUENCE_EDITOR='sed -i 2s/pick/fixup/' git rebase -qi main; git switch -q main; git merge -q --no-ff --no-edit night", "Nothing is left to do here"),
    "a list of which nothing was done, merged back": ('[{ do = "rebase", on = "night", onto = "main", todo = ["pick one", "fixup two"] }, { do = "merge", on = "main", bring = "night", fast_forward = "never" }]', "", "git switch -q night; git rebase -q main; git switch -q main; git merge -q --no-ff --no-edit night", "its commits are not what its list is to make of them"),
    "a rebase of two, and no squash after it": ('[{ do = "rebase", on = "night", onto = "main" }, { do = "merge", on = "night", bring = "south", squash = true }]', "", "git switch -q night; git rebase -q main", "night has no new commit for it"),
    "reverted beside own work in that file, and not pushed": ('[{ do = "revert", on = "main", undo = "last", push = true }]', 'start.write = { "a.txt" = "2\\nmine\\n" }', "git commit -qam mine; git revert --no-edit HEAD^ >/dev/null 2>&1 || (echo mine > a.txt; git add a.txt; git -c core.editor=true revert --continue >/dev/null)", "main is not pushed yet"),
}  # fmt: skip


@pytest.mark.parametrize("name", IN_A_CHAIN)
def test_peek_in_a_chain(name: str, tmp_path: Path) -> None:
    tasks, start, script, says = IN_A_CHAIN[name]
    (tmp_path / "own.toml").write_text(f"{start}\n{STORY}\ntask = {tasks}\n")
    muddled("plant", tmp_path / "own.toml", tmp_path / "ilse", "--quiet")
    shell(tmp_path / "ilse/work", script)
    code = 0 if says.startswith("Nothing") else 1
    assert says in " ".join(muddled("peek", tmp_path / "ilse", code=code).stdout.split())


def test_peek_finds_its_repository_and_runs_nothing_of_it(planted: Path, tmp_path: Path) -> None:
    shell(planted / "work", f"mkdir deep; git config core.fsmonitor 'touch {tmp_path}/PWNED'; " + MERGE)
    assert "middle of a merge" in muddled("peek", planted, code=1).stdout
    (tmp_path / "PWNED").unlink(missing_ok=True)  # Git itself ran it in the merge
    assert "middle of a merge" in muddled("peek", folder=planted / "work/deep", code=1).stdout
    assert not (tmp_path / "PWNED").exists()
    assert "there is no Git repository here" in muddled("peek", tmp_path, code=2).stderr
    assert "there is no such folder" in muddled("peek", tmp_path / "nowhere", code=2).stderr
    assert muddled("peek", planted, "--quiet", code=1).stdout == ""


def test_a_clone_knows_the_tasks(tmp_path: Path) -> None:
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada Quince\n")
    muddled(
        "handout", "press-limit", "--roster", "roster.csv", "--pack", "bare", "--out", "out", folder=tmp_path
    )
    shell(tmp_path, "git clone -q out/press-limit/ada.git mine; cd mine; git fsck --strict")
    said = " ".join(muddled("peek", tmp_path / "mine", code=1).stdout.split())
    assert "main does not have the commits of night-shift yet" in said
    assert "git branch night-shift origin/night-shift to have that branch here, too git merge night-shift to begin" in said  # fmt: skip
    work = tmp_path / "mine"
    shell(
        work, "git branch night-shift origin/night-shift >/dev/null\n" + MERGE + THEIRS + "git commit -qam x"
    )
    assert "Nothing is left to do here" in muddled("peek", work).stdout


LOST = {**LEARNER, "GIT_EDITOR": 'sh -c \'test -s "$1" && grep -q "^[^#]" "$1" || echo Done >"$1"\' -'}


def next_commands(said: str) -> list[str]:
    """What stands below Next, without what stands in the place of a command before it."""
    below = re.split(r"\n(?!  )", said.partition("\nNext:\n")[2])[0]
    return [line.strip() for line in below.splitlines() if not line.startswith("    ")]


def typed_alone(line: str) -> str:
    """A command without the words on it."""
    return re.split(r"  (?=to |then|when|if )", line)[0]


PICK = "git cherry-pick $(git log -1 --format=%h --grep '^Correct' next-season)"
REVERT = "git revert --no-edit $(git log -1 --format=%h --grep '^Raise')"
DETOURS = (
    ("patches-by-mail", "git am ../patches.mbox"),
    ("patches-by-mail", "git am -3 ../patches.mbox; git am --quit"),
    ("rebase-four", "git rebase main; git rebase --quit"),
    ("rebase-four", "git rebase main; git checkout --theirs .; git add .; git rebase --quit"),
    ("press-limit", "git merge night-shift; git merge --quit"),
    ("press-limit", "git switch night-shift; git rebase main; git reset --hard; git rebase --quit"),
    ("pick-the-fix", f"{PICK}; git cherry-pick --quit"),
    ("pick-the-fix", f"{PICK} -n"),
    ("undo-the-price", f"{REVERT}; git revert --quit"),
    ("undo-the-price", f"{REVERT}; git reset"),
    ("stash-back", "git stash pop; git reset --merge"),
    ("would-be-overwritten", "git stash; git merge harvest; git merge --quit"),
)


@pytest.mark.parametrize(
    ("exercise", "detour"),
    [*((id_, "") for id_ in bundled_ids() if not id_.startswith(("own-", "two-at-"))), *DETOURS],
)
def test_whoever_types_what_peek_says_comes_to_the_end(
    exercise: str,
    detour: str,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    """From a folder below, until nothing is left: every command works where the learner stands, also who
    went astray before."""
    main(["plant", exercise, str(tmp_path / "ilse ä"), "--quiet"])
    work = tmp_path / "ilse ä/work"
    shell(work, f"({detour or 'true'}) >/dev/null 2>&1 || true")
    (work / "be low").mkdir()
    (work / "be low/note").touch()  # Git takes empty folders away
    monkeypatch.chdir(work / "be low")
    monkeypatch.setenv("COLUMNS", "100")
    for _ in range(30):
        code = main(["peek"])
        said = capsys.readouterr().out
        if code == 0 or "not what its list" in said:
            break  # the list is the learner's to write
        commands = next_commands(said)
        assert commands, said
        for line in commands:
            if line.startswith("(edit)"):
                take_markers_out(work)
                continue
            ran = subprocess.run(
                ["sh", "-c", typed_alone(line)], capture_output=True, text=True, check=False, env=LOST
            )
            began = "git add" not in line and "CONFLICT" in ran.stdout + ran.stderr
            refused = "where Git refuses" in line and "fetch first" in ran.stderr
            assert ran.returncode == 0 or began or refused, (line, ran.stdout, ran.stderr, said)
    assert (code == 0) != ("not what its list" in said), said


def take_markers_out(work: Path) -> None:
    """What a learner does who keeps both sides everywhere."""
    for path in work.rglob("*"):
        if path.is_file() and ".git" not in path.parts and b"<<<<<<<" in path.read_bytes():
            path.write_bytes(re.sub(rb"(?m)^(<<<<<<<|=======|>>>>>>>)( .*)?\r?\n", b"", path.read_bytes()))
