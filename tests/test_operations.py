"""What learners do with rebases, cherry-picks, reverts, pulls and stashes, and what the program makes of
it."""

from __future__ import annotations

import shutil
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast

import pytest

from muddled_orchard.cli import main
from muddled_orchard.core.exercise.operations import OPERATIONS
from muddled_orchard.core.exercise.operations.merge import Merge
from muddled_orchard.core.walkthrough.walkthrough import Ran
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.rehearsal.proving import prove
from muddled_orchard.system.workers import Machines
from muddled_orchard.vcs.walkthrough.walking import walk_through
from tests.conftest import graded, muddled, once, shell


@dataclass(frozen=True)
class Case:
    """An exercise, a learner's script, and what must come out; criteria that aren't named are met or
    skipped."""

    exercise: str
    script: str
    state: str = "finished"
    kept: str = "theirs"
    partly: str = ""
    missed: str = ""
    says: str = ""
    never: str = "\0"


def check(case: Case, result: dict[str, Any]) -> None:
    """Whether a result is as the case says; what was kept is the tests' own to look at."""
    criteria = result["criteria"]
    because = " ".join(f"{id_}: {criterion['because']}" for id_, criterion in criteria.items())
    lacking = {id_: c["outcome"] for id_, c in criteria.items() if c["outcome"] in ("partly", "missed")}
    expected = dict.fromkeys(case.missed.split(), "missed") | dict.fromkeys(case.partly.split(), "partly")
    assert (result["state"], lacking) == (case.state, expected), because
    assert case.says in because
    assert case.never not in because


def side(name: str, file: str) -> str:
    """Keep one side of every hunk of a file."""
    parts = {
        "theirs": "-e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d'",
        "ours": "-e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d'",
        "both": "-e '/^<<<<<<</d' -e '/^=======/d' -e '/^>>>>>>>/d'",
    }
    return f"sed -i {parts[name]} {file}; git add {file}\n"


REBASE = "git rebase main >/dev/null 2>&1 || true\n"
GO_ON = "git rebase --continue >/dev/null 2>&1 || true\n"
FOUR = REBASE + side("ours", "plan.txt") + GO_ON + side("theirs", "plan.txt") + GO_ON
NOT_DONE = "finished history resolution"
ALL = "finished markers history resolution rest bystanders tidy"


def listed(*lines: str) -> str:
    """Rebase with a list of `word subject`; `wip` gets another message, every conflict is resolved as accepted."""
    pairs = [line.split(" ", 1) for line in lines]
    ids = "; ".join(
        f"echo {word} $(git log --format=%h --grep '^{subject}' scale)" for word, subject in pairs
    )
    script = f"({ids}) > ../list; export GIT_SEQUENCE_EDITOR='cp ../list' GIT_EDITOR=\"sed -i 's/^wip$/Set to zero/'\"\n"
    script += "git rebase -i main >/dev/null 2>&1 || true\n"
    for word in ("wieght", "weight"):
        mend = f"git show main:scale.js | sed 's/scale, lamp/scale.{word} - crate, lamp/' > scale.js; git add scale.js"
        script += (
            f"if test -d .git/rebase-merge; then {mend}; git rebase --continue >/dev/null 2>&1 || true; fi\n"
        )
    return script


RIGHT_LIST = ("pick Weigh", "fixup typo", "pick Round", "reword wip", "drop Debug")

CASES = {
    "a list, as asked": Case("tidy-before-sharing", listed(*RIGHT_LIST), kept="blend", says="5 lines carried out"),
    "a list, in another order": Case("tidy-before-sharing", listed("pick Weigh", "fixup typo", "reword wip", "pick Round", "drop Debug"), kept="blend", partly="history", says="not in the order of the list"),
    "a list, nothing dropped": Case("tidy-before-sharing", listed("pick Weigh", "fixup typo", "pick Round", "reword wip", "pick Debug"), kept="blend", partly="history", says="is still there, and was to be dropped"),
    "a list, nothing reworded": Case("tidy-before-sharing", listed("pick Weigh", "fixup typo", "pick Round", "pick wip", "drop Debug"), kept="blend", partly="history", says='still says "wip", and was to be reworded'),
    "a list, nothing squashed": Case("tidy-before-sharing", listed("pick Weigh", "pick typo", "pick Round", "reword wip", "drop Debug"), kept="blend", partly="history", says='"typo" was to become a part of the commit before it'),
    "a list, squashed for fixup": Case("tidy-before-sharing", listed("pick Weigh", "squash typo", "pick Round", "reword wip", "drop Debug"), kept="blend"),
    "a list, one dropped that was wanted": Case("tidy-before-sharing", listed("pick Weigh", "fixup typo", "drop Round", "reword wip", "drop Debug"), kept="blend", partly="history", says='"Round the weight" is not among the replayed commits'),
    "a list, and nothing but begun": Case("tidy-before-sharing", "git rebase main >/dev/null 2>&1 || true", state="open", kept="unresolved", missed="finished markers history resolution"),
    "patches, applied": Case("patches-by-mail", "git am -3 ../patches.mbox >/dev/null 2>&1 || true\n" + side("theirs", "locks.xml") + "git am --continue >/dev/null"),
    "patches, by hand where they don't fit": Case("patches-by-mail", "git am ../patches.mbox >/dev/null 2>&1 || true; sed -i 's/rope/iron/' locks.xml; git add .; git am --continue >/dev/null"),
    "patches, one skipped": Case("patches-by-mail", "git am -3 ../patches.mbox >/dev/null 2>&1 || true; git am --skip >/dev/null", kept="ours", missed="resolution"),
    "patches, in another name": Case("patches-by-mail", "git am -3 ../patches.mbox >/dev/null 2>&1 || true\n" + side("theirs", "locks.xml") + "git am --continue >/dev/null; git commit -q --amend --reset-author --no-edit", partly="history", says="does not keep the author Suvi Lind"),
    "patches, only begun": Case("patches-by-mail", "git am -3 ../patches.mbox >/dev/null 2>&1 || true", state="open", kept="unresolved", missed="finished markers history resolution rules", says="Applying a patch (git am) is still in progress"),
    "patches, given up": Case("patches-by-mail", "git am -3 ../patches.mbox >/dev/null 2>&1 || true; git am --abort", state="untouched", kept="", missed=ALL + " rules"),
    "work in the way, committed first": Case("would-be-overwritten", "git add -A; git commit -qm mine; git merge harvest >/dev/null 2>&1 || true\n" + side("theirs", "tasks.md") + "git commit -qm m", says="The work in 2 files that was not committed is still there."),
    "work in the way, put aside and back": Case("would-be-overwritten", "git stash -q; git merge harvest >/dev/null 2>&1 || true\n" + side("theirs", "tasks.md") + "git commit -qm m; git stash pop -q"),
    "work in the way, put aside and left there": Case("would-be-overwritten", "git stash -q; git merge harvest >/dev/null 2>&1 || true\n" + side("theirs", "tasks.md") + "git commit -qm m"),
    "work in the way, on a branch of its own": Case("would-be-overwritten", "git switch -qc mine; git add -A; git commit -qm mine; git switch -q main; git merge harvest >/dev/null 2>&1 || true\n" + side("theirs", "tasks.md") + "git commit -qm m"),
    "work in the way, thrown away": Case("would-be-overwritten", "git reset -q --hard; git merge harvest >/dev/null 2>&1 || true\n" + side("theirs", "tasks.md") + "git commit -qm m", missed="work", says="The work in plan.csv and tasks.md was not committed, and is nowhere any more."),
    "work in the way, half of it lost": Case("would-be-overwritten", "git checkout -q tasks.md; git commit -qm plan; git merge harvest >/dev/null 2>&1 || true\n" + side("theirs", "tasks.md") + "git commit -qm m", partly="work", says="The work in tasks.md was not committed"),
    "work in the way, and nothing done": Case("would-be-overwritten", "git merge harvest >/dev/null 2>&1 || true", state="untouched", kept="", missed=ALL + " rules work"),
    "given up, as asked": Case("safety-net", "git merge summer >/dev/null || true; git merge --abort", kept="", says="It was begun and given up, and all is as before"),
    "given up by a reset": Case("safety-net", "git merge summer >/dev/null || true; git reset -q --hard", kept=""),
    "left in its conflict": Case("safety-net", "git merge summer >/dev/null || true", state="open", kept="", missed="finished history", says="A merge is still under way, and was to be given up (git merge --abort)."),
    "carried out instead": Case("safety-net", "git merge summer >/dev/null || true\n" + side("both", "hours.md") + "git commit -qm m", kept="", missed="history", says="It was carried out, and was to be given up"),
    "given up, and then done": Case("one-try-first", REBASE + "git rebase --abort\n" + REBASE + side("theirs", "sheds.csv") + GO_ON),
    "done without giving it up": Case("one-try-first", REBASE + side("theirs", "sheds.csv") + GO_ON, state="open", partly="finished history", says="1 of 2 tasks is done"),
    "given up, and no more": Case("one-try-first", REBASE + "git rebase --abort", state="open", kept="", partly="finished history", missed="resolution"),
    "set back, as asked": Case("merged-too-early", "git reset -q --hard HEAD~1", kept="", says="again."),
    "set back by another name": Case("merged-too-early", "git checkout -q -B main HEAD~1", kept=""),
    "set back too far": Case("merged-too-early", "git reset -q --hard HEAD~2", kept="", missed="history", says="main stands at another commit"),
    "reverted where it was to be set back": Case("merged-too-early", "git revert -m 1 --no-edit HEAD >/dev/null", kept="", missed="history", says="Further commits on main undo it"),
    "set back, and the files left": Case("merged-too-early", "git reset -q HEAD~1", kept="", partly="tidy"),
    "a merge undone": Case("undo-a-merge", "git revert -m 1 HEAD~1 >/dev/null 2>&1 || true\n" + side("theirs", "plan.toml") + "git commit -q --no-edit; git push -q"),
    "a merge undone by hand": Case("undo-a-merge", "git checkout -q HEAD~2 -- .; git commit -qm 'Undo the merge'; git push -q"),
    "on the top alone": Case("only-the-top", "git rebase --onto main HEAD~2 >/dev/null 2>&1 || true\nprintf '<label>\\n  <slogan>Pressed slowly</slogan>\\n  <year>2031</year>\\n</label>\\n' > label.xml; git add label.xml\n" + GO_ON, kept="blend"),
    "with what it grew on": Case("only-the-top", REBASE + "printf '<label>\\n  <slogan>Pressed slowly</slogan>\\n  <year>2031</year>\\n</label>\\n' > label.xml; git add label.xml\n" + GO_ON, kept="blend", partly="history", says="lies among the replayed commits and is none of them"),
    "rebase, right": Case("rebase-one", REBASE + side("theirs", "yard.txt") + GO_ON),
    "rebase, the swapped side": Case(
        "rebase-one", REBASE + side("ours", "yard.txt") + GO_ON, kept="ours", missed="resolution", says="exactly the other way round",
    ),
    "rebase, both sides": Case("rebase-one", REBASE + side("both", "yard.txt") + GO_ON, kept="ours+theirs", missed="resolution", says="ours (main, the new base) before theirs (your commit"),
    "rebase, markers left": Case("rebase-one", REBASE + "git add .\n" + GO_ON, kept="unresolved", missed="markers resolution"),
    "rebase, mended afterwards": Case(
        "rebase-one", REBASE + side("both", "yard.txt") + GO_ON + "sed -i '/18:00/d' yard.txt; git commit -qam mended",
    ),
    "rebase, reworded": Case("rebase-one", REBASE + side("theirs", "yard.txt") + GO_ON + "git commit -q --amend -m Gate", partly="history", says='was reworded: it says "Gate"'),
    "rebase, merged instead": Case("rebase-one", "git merge -q main >/dev/null || true\n" + side("ours", "yard.txt") + "git commit -qm m", missed="history", says="There is a merge commit"),
    "rebase, the wrong way": Case(
        "rebase-one", "git checkout -q main; git rebase gates >/dev/null 2>&1 || true\n" + side("both", "yard.txt") + GO_ON,
        kept="theirs+ours", missed="history resolution bystanders", partly="tidy", says="do not stand on main",
    ),
    "rebase, only begun": Case("rebase-one", REBASE, state="open", kept="unresolved", missed=NOT_DONE + " markers", says="A rebase is still in progress"),
    "rebase, resolved and not staged": Case("rebase-one", REBASE + side("theirs", "yard.txt") + "git reset -q yard.txt || true", state="open", missed="finished history"),
    "rebase, not continued": Case("rebase-one", REBASE + side("theirs", "yard.txt"), state="open", missed="finished history", says="step 1 of 1"),
    "rebase, aborted": Case("rebase-one", REBASE + "git rebase --abort", state="untouched", kept="", missed=ALL),
    "rebase, never started": Case("rebase-one", "true", state="untouched", kept="", missed=ALL),
    "four commits, right": Case("rebase-four", FOUR, kept="ours theirs"),
    "four commits, one skipped": Case(
        "rebase-four", REBASE + "git rebase --skip >/dev/null 2>&1 || true\n" + side("theirs", "plan.txt") + GO_ON,
        kept="ours theirs", partly="history", says='"Take bigger bottles, with glass corks" is not among the replayed commits',
    ),
    "four commits, the first wrong, the second right": Case(
        "rebase-four", REBASE + side("theirs", "plan.txt") + GO_ON + side("theirs", "plan.txt") + GO_ON, kept="theirs theirs", partly="resolution",
    ),
    "four commits, stopped at the second": Case(
        "rebase-four", REBASE + side("ours", "plan.txt") + GO_ON, state="open", kept="ours unresolved", missed="finished history markers", partly="resolution",
        says="step 3 of 4",
    ),
    "four commits, squashed": Case("rebase-four", FOUR + "git reset -q --soft main; git commit -qm all", kept="ours theirs", missed="history"),
    "four commits, two of them made one": Case(
        "rebase-four", FOUR + "git reset -q --soft HEAD~2; git commit -q -C HEAD@{1}~1", kept="ours theirs", partly="history", says='"Say when" has no commit of its own any more: it was squashed into',
    ),
    "four commits, in another order": Case(
        "rebase-four", FOUR + "GIT_SEQUENCE_EDITOR=\"sed -i -e '1{h;d}' -e '2{G}'\" git rebase -q -i HEAD~2", kept="ours theirs", partly="history", says="not in their order any more",
    ),
    "four commits, one of them reworded": Case(
        "rebase-four", FOUR + "GIT_SEQUENCE_EDITOR=\"sed -i 1s/pick/reword/\" GIT_EDITOR=\"sed -i 1s/.*/Crates/\" git rebase -q -i HEAD~2", kept="ours theirs", partly="history",
        says='was reworded: it says "Crates", and was "Count the crates"',
    ),
    "four commits, one of them twice": Case(
        "rebase-four", FOUR + "git revert --no-edit HEAD >/dev/null; git cherry-pick HEAD~1 >/dev/null", kept="ours theirs", partly="history", says='replays "Say when" a second time',
    ),
    "four commits, a strange one among them": Case(
        "rebase-four", FOUR + "git reset -q --hard HEAD~1; git commit -q --allow-empty -m Lunch; git cherry-pick ORIG_HEAD >/dev/null", kept="ours theirs", partly="history",
        says='"Lunch" lies among the replayed commits and is none of them',
    ),
    "four commits, made the learner's own": Case(
        "rebase-four", REBASE + side("ours", "plan.txt") + "GIT_AUTHOR_NAME=Me git commit -q --no-edit\n" + GO_ON + side("theirs", "plan.txt") + GO_ON,
        kept="ours theirs", partly="history", says="(git rebase --continue keeps the author, git commit does not)",
    ),
    "rebased, and thrown away": Case("rebase-one", REBASE + side("theirs", "yard.txt") + GO_ON + "git reset -q --hard ORIG_HEAD", state="untouched", kept="", missed=ALL),
    "merged, on a branch under another name": Case(
        "press-limit", "git merge -q night-shift >/dev/null || true\n" + side("theirs", "press.toml") + "git commit -qm m; git branch -m trunk", partly="history tidy", missed="bystanders",
        says="main was renamed to trunk",
    ),
    "merged, the file under another name": Case(
        "press-limit", "git merge -q night-shift >/dev/null || true\n" + side("theirs", "press.toml") + "git mv press.toml limits.toml; git commit -qm m", partly="rest", missed="rules", says="limits.toml was added",
    ),
    "merge, main set to the other branch": Case(
        "press-limit", "git reset -q --hard night-shift", kept="theirs", missed="history bystanders rest", says="what it had is no longer in it; night-shift was to be merged into main",
    ),
    "merge, begun on a detached HEAD and squashed": Case(
        "squash-the-notes", "git checkout -q --detach; git merge -q --squash cloths >/dev/null || true\n" + side("theirs", "needs.txt") + "git commit -qm 'Count the cloths'",
        partly="history tidy", says="no branch has it: it was made on a detached HEAD",
    ),
    "merge, after a commit of the learner's": Case(
        "press-limit", "git commit -q --allow-empty -m Ready; git merge -q night-shift >/dev/null || true\n" + side("theirs", "press.toml") + "git commit -qm m",
    ),
    "merge, after the other branch had gone on": Case(
        "press-limit", "git checkout -q night-shift; git commit -q --allow-empty -m Ready; git checkout -q main; git merge -q night-shift >/dev/null || true\n"
        + side("theirs", "press.toml") + "git commit -qm m", partly="bystanders", says="night-shift was moved on",
    ),
    "merge, on a branch of the learner's own": Case(
        "press-limit", "git checkout -q -b trying; git merge -q night-shift >/dev/null || true\n" + side("theirs", "press.toml") + "git commit -qm m",
        partly="history tidy", says="it is on trying; main did not receive it",
    ),
    "merge, done and pushed away by a reset": Case(
        "press-limit", "git merge -q night-shift >/dev/null || true\n" + side("theirs", "press.toml") + "git commit -qm m; git reset -q --hard HEAD~1",
        state="untouched", kept="", missed=ALL.replace("rest", "rest rules"),
    ),
    "only another branch moved": Case(
        "rebase-one", "git branch -f main gates", state="open", kept="", missed=ALL, says="Nothing of what was asked is there",
    ),
    "a commit that becomes empty": Case("rebase-empty", REBASE + side("ours", "signs.txt") + GO_ON, kept="ours", says="nothing was left of the other"),
    "a rebase picked up in the middle": Case("left-in-a-rebase", side("theirs", "wasps.txt") + GO_ON),
    "a rebase left in the middle": Case("left-in-a-rebase", "true", state="untouched", kept="unresolved", missed=ALL),
    "a merge left in the middle": Case("left-in-a-merge", "true", state="untouched", kept="unresolved", missed=ALL),
    "pick, right": Case(
        "pick-the-fix", "git cherry-pick next-season~1 >/dev/null 2>&1 || true\nprintf '%s g\\nacid: 6 g\\n' \"$(git show next-season~1:litre.txt | head -1)\" >litre.txt\n"
        "git add .; git cherry-pick --continue >/dev/null", kept="blend",
    ),
    "pick, merged instead": Case("pick-the-fix", "git merge -q -X ours -m m next-season", kept="ours", missed="history resolution"),
    "pick, not continued": Case("pick-the-fix", "git cherry-pick next-season~1 >/dev/null 2>&1 || true\n" + side("theirs", "litre.txt"), state="open", missed=NOT_DONE),
    "revert, right": Case("undo-the-price", "git revert --no-edit HEAD~1 >/dev/null 2>&1 || true\nprintf 'a bottle of 1.1 litres: 3.40\\n' >juice.txt; git add .; git revert --continue >/dev/null", kept="blend"),
    "revert, the old state whole": Case("undo-the-price", "git revert --no-edit HEAD~1 >/dev/null 2>&1 || true\n" + side("theirs", "juice.txt") + "git revert --continue >/dev/null", missed="resolution"),
    "stash, right": Case("stash-back", "git stash pop >/dev/null 2>&1 || true\n" + side("theirs", "winter.txt") + "git stash drop -q"),
    "stash, right and committed": Case("stash-back", "git stash pop >/dev/null 2>&1 || true\n" + side("theirs", "winter.txt") + "git commit -qm straw; git stash drop -q"),
    "stash, kept": Case("stash-back", "git stash pop >/dev/null 2>&1 || true\n" + side("theirs", "winter.txt"), partly="tidy", says="work left in the stash"),
    "stash, thrown away": Case("stash-back", "git stash drop -q", kept="ours", missed="resolution"),
    "stash, unresolved": Case("stash-back", "git stash pop >/dev/null 2>&1 || true", state="open", kept="unresolved", missed="finished markers resolution", partly="tidy"),
    "stash, never popped": Case("stash-back", "true", state="untouched", kept="", missed=ALL.replace("history ", "")),
    "pull by rebase, right": Case("pull-by-rebase", "git pull -q --rebase origin main >/dev/null 2>&1 || true\n" + side("theirs", "traps.txt") + GO_ON + "git push -q origin main"),
    "pull by rebase, merged instead": Case("pull-by-rebase", "git pull -q --no-rebase origin main >/dev/null 2>&1 || true\n" + side("ours", "traps.txt") + "git commit -qm m; git push -q origin main", missed="history"),
    "pull by merge, right": Case("pull-by-merge", "git pull -q --no-rebase origin main >/dev/null 2>&1 || true\n" + side("theirs", "honey.txt") + "git commit -qm m; git push -q origin main"),
    "pull by merge, not pushed": Case("pull-by-merge", "git pull -q --no-rebase origin main >/dev/null 2>&1 || true\n" + side("theirs", "honey.txt") + "git commit -qm m", missed="delivered", says="it was not pushed"),
    "stale, nothing fetched": Case("stale-main", "git merge -q origin/main", state="untouched", kept="", missed=ALL),
    "there and back, right": Case(
        "there-and-back", "git checkout -q winter-rota; git merge -q main >/dev/null || true\n" + side("ours", "rota.txt")
        + "git commit -qm m; git checkout -q main; git merge -q --no-ff --no-edit winter-rota; git push -q origin main; git branch -q -d winter-rota",
        kept="ours",
    ),
    "there and back, fast-forwarded and kept": Case(
        "there-and-back", "git checkout -q winter-rota; git merge -q main >/dev/null || true\n" + side("ours", "rota.txt")
        + "git commit -qm m; git checkout -q main; git merge -q winter-rota; git push -q origin main",
        kept="ours", partly="history delivered", says="only moved on",
    ),
    "a folder renamed, the file left at the old place": Case(
        "folder-renamed", "git merge -q may >/dev/null 2>&1 || true\nmkdir -p sheets; mv press-sheets/may.txt sheets/may.txt; git add -A; git commit -qm m",
        kept="gone", missed="resolution", says="it lies at sheets/may.txt, where one of the sides had it; wanted: press-sheets/may.txt",
    ),
    "a rebase left in the middle, given up": Case("left-in-a-rebase", "git rebase --abort", state="untouched", kept="", missed=ALL, says="What was under way was given up"),
    "squash, right": Case("squash-the-notes", "git merge -q --squash cloths >/dev/null || true\n" + side("theirs", "needs.txt") + "git commit -qm 'Count the cloths'"),
    "squash, merged instead": Case("squash-the-notes", "git merge -q cloths >/dev/null || true\n" + side("theirs", "needs.txt") + "git commit -qm m", missed="history", says="--squash"),
}  # fmt: skip


def _classroom_made(top: Path) -> dict[str, dict[str, Any]]:
    for exercise in {case.exercise for case in CASES.values()}:
        muddled("plant", exercise, top / "first" / exercise)
    for number, case in enumerate(CASES.values()):
        shutil.copytree(top / "first" / case.exercise, top / "all" / f"{number:02}", symlinks=True)
        shell(top / "all" / f"{number:02}" / "work", case.script)
    results = graded(top / "all")
    return dict(zip(CASES, (results[f"{n:02}"] for n in range(len(CASES))), strict=True))


@pytest.fixture(scope="module")
def classroom(tmp_path_factory: pytest.TempPathFactory) -> dict[str, dict[str, Any]]:
    return cast(dict[str, dict[str, Any]], once(tmp_path_factory, "operations", _classroom_made))


@pytest.mark.parametrize("name", CASES)
def test_operations(name: str, classroom: dict[str, dict[str, Any]]) -> None:
    case, result = CASES[name], classroom[name]
    check(case, result)
    assert " ".join(hunk["kept"] for hunk in result["hunks"]) == case.kept


class InTwoSteps(Merge, frozen=True, kw_only=True):
    """An operation of a test's own, in one place: `git merge --no-commit`, and a commit."""

    def begin(self, ids: Mapping[str, str], *, said: str | None = None) -> tuple[str, ...]:  # noqa: ARG002
        return ("merge", "--no-ff", "--no-commit", self.source)


@pytest.mark.parametrize("exercise", ["press-limit", "quiet-merge"])
def test_an_operation_is_known_in_one_place(
    exercise: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """The survey proves it, the walkthrough and peek name its command, and what it leaves earns everything."""
    monkeypatch.setitem(cast("dict[str, Any]", OPERATIONS), "merge", {None: InTwoSteps})
    scenario = ScenarioLibrary().find(exercise)
    assert scenario is not None
    (proof,) = prove([scenario], "0", Machines(1))
    assert (proof.faults, proof.earned) == ((), proof.possible)
    steps = walk_through(scenario, "0").steps
    ran = [part.words for step in steps for part in step.parts if isinstance(part, Ran)]
    (begun,) = {words for words in ran if words[:2] == ("git", "merge") and "--no-commit" in words}
    assert begun[:4] == ("git", "merge", "--no-ff", "--no-commit")
    assert main(["plant", exercise, str(tmp_path / "done"), "--at", "done", "--quiet"]) == 0
    assert main(["peek", str(tmp_path / "done")]) == 0
    assert main(["grade", str(tmp_path / "done"), "--quiet"]) == 0
    assert main(["rehearse", exercise, "--jobs", "1", "--keep", str(tmp_path / "kept")]) == 0
    assert main(["plant", exercise, str(tmp_path / "new"), "--quiet"]) == 0
    capsys.readouterr()
    assert main(["peek", str(tmp_path / "new")]) == 1
    assert "git merge --no-ff --no-commit" in capsys.readouterr().out
