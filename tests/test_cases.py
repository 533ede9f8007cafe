"""Small scenarios (`tests/cases`, or bundled ones), what a learner does, and what a fair instructor says of it:
tasks in chains, what one task leaves to another, and what lies about in a repository."""

from __future__ import annotations

import json
import shutil
import unicodedata
from pathlib import Path
from typing import Any, cast

import pytest

from muddled_orchard.classroom.brief_page import brief_markdown
from muddled_orchard.core.exercise.own_copy import BeginAgain
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from tests.conftest import graded, muddled, once, shell
from tests.test_operations import Case, check
from tests.wild import NO_EXERCISE, faults

CASES_FOLDER = Path(__file__).parent / "cases"

HELP = r"""
ours() { sed -i -e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d' "$@"; git add "$@"; }
theirs() { sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' "$@"; git add "$@"; }
try() { "$@" >/dev/null 2>&1 || true; }
asked() { python3 -c 'import json; print(*(one["id"] for one in json.load(open(".git/muddled/asked.json"))["commits"].values()))'; }
listed() { printf '%s\n' "$@" >../todo; GIT_SEQUENCE_EDITOR="cp ../todo" try git rebase -i main; }
export GIT_EDITOR=true
set +e
"""
LOG = "git switch -q copy; try git merge main; ours log.txt; git commit -qm copied\n"
FOUR = "git switch -q bottling; GIT_SEQUENCE_EDITOR='sed -i {}' try git rebase -i {} main\n"
TAKE = "try git merge night-shift; theirs press.toml; git commit -qm 'The night shift'\n"
NOT_YET = "finished history"

CASES = {
    # What one task leaves to another.
    "a fast-forward, then a merge of it": Case("ff-chain", "git merge -q lens; git switch -q rota; try git merge main; ours log.txt; git commit -qm m"),
    "the wrong way round after a fast-forward": Case("ff-chain-home", "git merge -q lens; git switch -q rota; try git merge main; ours log.txt; git commit -qm m; git switch -q main; git merge -q rota", partly="history", says="wrong way round"),
    "a squash of what has caught up": Case("squash-after-merge", LOG + "git switch -q main; git merge -q --squash copy; git commit -qm 'watch at 19'; git branch -qD copy"),
    "a fast-forward instead of the squash": Case("squash-not-done", LOG + "git switch -q main; git merge -q copy", partly="history", missed="message", says="one plain commit was asked for"),
    "pushed, then deleted there": Case("push-then-delete", LOG + "git push -q origin copy; git switch -q main; git merge -q copy; git push -q origin main; git branch -qd copy; git push -q origin --delete copy"),
    "pushed, and not deleted there": Case("push-then-delete", LOG + "git push -q origin copy; git switch -q main; git merge -q copy; git push -q origin main; git branch -qd copy", partly="delivered", says="origin still has copy"),
    "merges in the other order, with the same end": Case("two-merges", "try git merge flora; printf 'stairs 99\\nbell 1\\n' >t.txt; git commit -qam f; try git merge ebbe; printf 'stairs 117\\nbell 1\\n' >t.txt; git commit -qam e", partly="history", says="flora was merged before ebbe"),
    "merges in the other order, with another end": Case("two-merges", "try git merge flora; printf 'stairs 99\\nbell 1\\n' >t.txt; git commit -qam f; try git merge ebbe; printf 'stairs 99\\nbell 1\\n' >t.txt; git commit -qam e", partly="history resolution"),
    "merged into one another, then into main": Case("many", "git checkout -q one; git merge -q two -m two; git checkout -q main; try git merge one; printf 'x = 3\\n' >x.txt; printf 'y = 2\\n' >y.txt; git commit -qam m; git merge -q three --no-ff -m three; git branch -qd one", partly="history", says="two came in with one", never="one came in with"),
    # Work that was handed out uncommitted.
    "put aside, merged, and back again": Case("work-in-the-way", "git stash -q; try git merge office; printf 'watch 21\\n' >rota.txt; git commit -qam m; try git stash pop; git commit -qam notes"),
    "only the work committed": Case("work-in-the-way", "git commit -qam notes", state="open", missed="finished markers history resolution rest bystanders tidy work", says="what was asked is not begun yet"),
    # Lists of a rebase.
    "a list carried out": Case("todo", "git switch -q side; listed 'pick '$(git rev-parse side) 'pick '$(git rev-parse side~3) 'fixup '$(git rev-parse side~1) 'drop '$(git rev-parse side~2)"),
    "a list as Git gives it": Case("todo", "git switch -q side; git rebase -q main", missed="history"),
    "a list whose order alone is wrong": Case("todo", "git switch -q side; listed 'pick '$(git rev-parse side~3) 'fixup '$(git rev-parse side~1) 'drop '$(git rev-parse side~2) 'pick '$(git rev-parse side)", partly="history"),
    "merged instead of a list": Case("todo", "git switch -q side; git merge -q main -m x", missed="history"),
    "only a commit amended": Case("todo-reword", "git switch -q side; git commit -q --amend -m 'Other words'", state="open", missed="finished markers history rest bystanders tidy"),
    "a message that an interactive rebase leaves behind": Case("squash-msg", "git switch -q feature; listed 'pick '$(git rev-parse feature~3) 'fixup '$(git rev-parse feature~1) 'squash '$(git rev-parse feature~2) 'pick '$(git rev-parse feature); theirs x.txt; try git rebase --continue; ours y.txt; try git rebase --continue"),
    # Squashed, though nobody asked for it.
    "squashed, and right": Case("rebase-four", FOUR.format("4s/pick/squash/", "") + "ours plan.txt; try git rebase --continue; theirs plan.txt; try git rebase --continue", partly="history", says="squashed into"),
    "squashed, which hides the wrong lines": Case("rebase-four", FOUR.format("2s/pick/fixup/", "-X theirs"), partly="history resolution", says="theirs (your commit"),
    "squashed into what conflicts itself": Case("rebase-four", FOUR.format("3s/pick/squash/", "") + "sed -i '/^<<<<<<</,/^>>>>>>>/cbottles: two litres' plan.txt; git add .; try git rebase --continue; sed -i '/^<<<<<<</,/^>>>>>>>/ccrates: 77' plan.txt; git add .; try git rebase --continue", partly="history", missed="resolution", says="squashed into"),
    # Resolved, and in no commit.
    "picked without a commit": Case("pick-the-fix", "try git cherry-pick -n $(asked); theirs litre.txt", state="open", missed=f"{NOT_YET} resolution", says="in no commit yet"),
    "a pick left with --quit": Case("pick-the-fix", "try git cherry-pick $(asked); theirs litre.txt; git cherry-pick --quit", state="open", missed=f"{NOT_YET} resolution"),
    "a revert left with --quit": Case("undo-the-price", "try git revert $(asked); theirs juice.txt; git revert --quit", state="open", missed=f"{NOT_YET} resolution"),
    "a revert taken back to the index": Case("undo-the-price", "try git revert $(asked); theirs juice.txt; git commit -qm x; git reset -q --soft HEAD^", state="open", missed=f"{NOT_YET} resolution"),
    "a rebase left with --quit": Case("rebase-one", "git switch -q gates; try git rebase main; theirs yard.txt; git rebase --quit", state="open", missed=NOT_YET, partly="tidy", says="yard.txt was changed"),
    "patches left with --quit": Case("patches-by-mail", "try git am -3 ../patches.mbox; theirs locks.xml; git am --quit", state="open", missed=NOT_YET),
    "a merge made by plumbing": Case("press-limit", "try git merge night-shift; theirs press.toml; made=$(git commit-tree -m x -p HEAD $(git write-tree)); git merge --quit; git reset -q --soft $made", missed="history"),
    # Other commits than those that were asked for.
    "a range that begins after its first": Case("picks-in-a-range", "try git cherry-pick side~3..side~1; theirs w.txt; git cherry-pick --continue", partly="history", says='"Add the ladder" was not picked. A range A..B'),
    "a range that goes too far": Case("picks-in-a-range", "try git cherry-pick main..side; theirs w.txt; git cherry-pick --continue", partly="rest", says='"Add the lamp" was picked, too'),
    "a pick that goes on at a commit of which nothing was done": Case("picks-in-a-range", "try git cherry-pick main..side~1; theirs w.txt; git commit -qm 'By hand'", state="open", missed=NOT_YET, says="It stopped at step 3 of 3"),
    "another branch merged": Case("press-limit", "git branch -q other HEAD~1; git switch -q other; echo x >x; git add x; git commit -qm x; git switch -q main; git merge -q --no-edit other", state="open", missed="finished markers history resolution rest rules bystanders tidy", says="Nothing of what was asked is there", never="squashed"),
    "a merge taken back as its other parent sees it": Case("revert-a-merge", "git revert --no-edit -m 2 HEAD~1", missed="resolution rest", says="brought to its parent 2 (git revert -m 2)", never="s.txt was added"),
    # Stashes, weights, and what is worth nothing.
    "a stash thrown away": Case("stash", "git stash drop -q", state="open", missed="finished markers resolution rest bystanders tidy", says="The stash was thrown away"),
    "a weight in a list of alternatives": Case("weight", "try git merge theirs; printf 'a 2\\n\\n\\n\\n\\n\\nb 3\\n' >w.txt; git commit -qam m", partly="resolution"),
    "worth nothing, with its reason": Case("worthless", "git switch -q short; try git merge main; theirs bell.txt; git commit -qm m", missed="rest", says="The change of short is lost."),
    # Handed out at a conflict, and left there.
    "left where it was handed out": Case("left-at-two-files", "true", state="untouched", missed="finished markers history resolution rest bystanders tidy"),
    "one hunk of many resolved": Case("left-at-two-files", 'sed -i "1,5{/<<<</d;/a 2/d;/====/d;/>>>>/d}" a.txt', state="open", missed=f"{NOT_YET} markers", partly="resolution"),
    "one file of many resolved": Case("left-at-two-files", "sed -i '/^<<<<<<</,/^=======/d;/^>>>>>>>/d' b.txt", state="open", missed=f"{NOT_YET} markers", partly="resolution"),
    # The working tree as Git sees it.
    "ignored by .git/info/exclude, and an operating system's": Case("press-limit", TAKE + "echo secret >>.git/info/exclude; touch secret ._x .DS_Store"),
    "deleted, beside a file that has a little of it": Case("press-limit", "try git merge night-shift; (head -1 press.toml; tail -3 press.toml; seq 12) >notes.txt; git rm -qf press.toml; git add .; git commit -qm x", missed="resolution rules", partly="rest", says="press.toml: the file was deleted", never="now notes.txt"),
    "tracked, with a name like an operating system's": Case("press-limit", "echo 1 >._x; git add ._x; git commit -qm x\n" + TAKE),
    "found by other capitals": Case("press-limit", TAKE + "git config core.ignorecase true; mv press.toml Press.toml"),
    "in other capitals": Case("press-limit", TAKE + "mv press.toml Press.toml", missed="tidy"),
    "letters taken apart by a Mac": Case("press-limit", f"echo 1 >{unicodedata.normalize('NFC', 'Äpfel')}; git add .; git commit -qm x\n" + TAKE + f"mv {unicodedata.normalize('NFC', 'Äpfel')} {unicodedata.normalize('NFD', 'Äpfel')}"),
    "a submodule before the merge": Case("press-limit", "git update-index --add --cacheinfo 160000,$(printf %040d 7),sub; git commit -qm sub; mkdir sub\n" + TAKE),
    "a submodule": Case("press-limit", TAKE + "git init -q ../other; git -C ../other commit -q --allow-empty -m o; git -c protocol.file.allow=always submodule add -q \"$PWD/../other\" sub; git commit -qm sub", partly="rest"),
}  # fmt: skip


def _results_made(top: Path) -> dict[str, dict[str, Any]]:
    for number, case in enumerate(CASES.values()):
        file = CASES_FOLDER / f"{case.exercise}.toml"
        folder = top / f"case{number}"
        muddled("plant", file if file.is_file() else case.exercise, folder, "--quiet")
        shell(folder / "work", f"{HELP}\n{case.script}\ntrue")
    return graded(top, "--scenarios", CASES_FOLDER)


@pytest.fixture(scope="module")
def results(tmp_path_factory: pytest.TempPathFactory) -> dict[str, dict[str, Any]]:
    return cast(dict[str, dict[str, Any]], once(tmp_path_factory, "cases", _results_made))


@pytest.mark.parametrize("name", CASES)
def test_what_is_fair(name: str, results: dict[str, dict[str, Any]]) -> None:
    check(CASES[name], results[f"case{list(CASES).index(name)}"])


def test_a_weight_among_alternatives_counts(results: dict[str, dict[str, Any]]) -> None:
    found = results[f"case{list(CASES).index('a weight in a list of alternatives')}"]
    assert found["criteria"]["resolution"]["points"] == 14 * 5 / 8


@pytest.mark.parametrize(
    "name", ["delete-published", "delete-at-remote", "rebase-published", "picks-with-message", "ff-chain", "squash-after-merge"]
)  # fmt: skip
def test_whoever_carries_it_out_agrees_with_the_grader(name: str, tmp_path: Path) -> None:
    said = muddled(
        "rehearse", CASES_FOLDER / f"{name}.toml", "--keep", tmp_path / "kept", folder=tmp_path
    ).stdout
    assert "every verdict is the one to be expected" in said


@pytest.mark.parametrize("seed", range(300, 360, 6))
def test_random_scenarios_agree_with_themselves(seed: int) -> None:
    """Each begins the search at another seed, and takes the first that is an exercise."""
    tried = (faults(one) for one in range(seed, seed + 6))
    assert next((found for found in tried if found != NO_EXERCISE), []) == []


# Random scenarios that something was wrong with once, as they are drawn now.
ONCE = (
    5160,
    7236,
    7414,
    300040,
    310149,
    320090,
    340071,
    350020,
    350049,
    360191,
    400388,
    400457,
    420061,
    420103,
    420524,
    470052,
    470159,
    995291,
)


@pytest.mark.parametrize("seed", ONCE)
def test_what_once_went_wrong_in_a_chain_is_right(seed: int) -> None:
    assert faults(seed) == []


def test_a_broken_rule_is_named_first(tmp_path: Path) -> None:
    for name, weight in (("light", 1), ("heavy", 7)):
        text = (
            (CASES_FOLDER / "rule.toml").read_text("utf-8").replace("runs = ", f"weight = {weight}\nruns = ")
        )
        (tmp_path / f"{name}.toml").write_text(text.replace("runs = \"python3 watch.py\"", 'file = "clock.py"\nonce = "def hours(a, b)"'), "utf-8")  # fmt: skip
        muddled("plant", f"{name}.toml", name, "--quiet", folder=tmp_path)
        shell(tmp_path / name / "work", "git merge -q rota -m m")
        said = muddled("grade", name, folder=tmp_path).stdout
        assert "Not yet: " in said
        assert "clock.py is not as it has to be" in said
        rules = graded(tmp_path / name)[name]["criteria"]["rules"]
        assert (rules["points"], rules["possible"]) == (0, 2 * weight)


def test_what_we_write_ourselves_is_no_part_of_the_work(tmp_path: Path) -> None:
    muddled("plant", "press-limit", "one", "--quiet", folder=tmp_path)
    work = tmp_path / "one/work"
    shell(work, HELP + TAKE)
    for _ in range(2):
        muddled("grade", ".", "--junit", "grades.xml", "--csv", "grades.csv", "--quiet", folder=work)
    muddled("grade", ".", "--junit", "grades.xml", "--csv", "grades.csv", "--pass-mark", "100", folder=work)
    shell(work, "mv grades.xml other.xml")
    muddled(
        "grade",
        ".",
        "--junit",
        "grades.xml",
        "--csv",
        "grades.csv",
        "--pass-mark",
        "100",
        folder=work,
        code=1,
    )


@pytest.mark.parametrize(
    ("exercise", "script", "percent", "look"),
    [
        ("safety-net", "try git merge summer; git merge --abort", None, True),
        ("stash-back", "true", None, True),
        ("press-limit", TAKE, 100.0, False),
    ],
)
def test_what_commits_alone_can_not_show_is_skipped(
    exercise: str, script: str, percent: float | None, look: bool, tmp_path: Path
) -> None:
    muddled("plant", exercise, "one", "--quiet", folder=tmp_path)
    shell(tmp_path / "one/work", f"{HELP}{script}\ngit bundle create -q ../../one.bundle --all")
    scenario = ScenarioLibrary().find(exercise)
    assert scenario is not None
    assert ("git bundle create" in brief_markdown(scenario, BeginAgain((), ()))) == (not look)
    (found,) = graded(tmp_path / "one.bundle").values()
    assert bool(found["needs_a_look"]) == look
    possible = sum(one["possible"] for one in found["criteria"].values())
    assert (possible == 0) if percent is None else (found["percent"] == percent)


@pytest.mark.parametrize(("lines", "long"), [(5, False), (6, True)])
def test_a_side_of_more_than_five_lines_is_long(lines: int, long: bool, tmp_path: Path) -> None:
    text = "".join(f"{number}\n" for number in range(lines)).replace("\n", "\\n")
    (tmp_path / "own.toml").write_text(
        'brief = "x"\ntask = [{ do = "merge", bring = "b" }]\n'
        '[[story]]\non = "main"\nwrite = { "a.txt" = "x\\n" }\n'
        f'[[story]]\non = "b"\nfrom = "main"\nwrite = {{ "a.txt" = "{text}" }}\n'
        '[[story]]\non = "main"\nwrite = { "a.txt" = "y\\n" }\n[[answer]]\nfile = "a.txt"\nkeep = ["ours"]\n',
        "utf-8",
    )
    said = muddled("survey", "own.toml", "--json", folder=tmp_path).stdout
    assert ("with a long side" in said) == long


@pytest.mark.skipif(shutil.which("bwrap") is None, reason="there is no bubblewrap")
def test_what_was_graded_without_rules_is_graded_again_with_them(tmp_path: Path) -> None:
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada\n", "utf-8")
    muddled("handout", CASES_FOLDER / "rule.toml", "--roster", "roster.csv", "--out", "out", "--pack", "folder", "--quiet", folder=tmp_path)  # fmt: skip
    work = next((tmp_path / "out").rglob("work"))
    shell(work, "git merge -q rota -m m")
    for more, outcome in ((), "skipped"), (("--run-rules",), "missed"), ((), "skipped"):
        words = ["grade", work.parent, "--ledger", "orchard.db", "--json", *more]
        (found,) = json.loads(muddled(*words, folder=tmp_path).stdout)["submissions"]
        assert {one["id"]: one["outcome"] for one in found["criteria"]}["rules"] == outcome
