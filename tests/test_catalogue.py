"""Every bundled scenario, met with real Git: what the key says is what a learner sees."""

from __future__ import annotations

import os
import re
import shutil
from pathlib import Path

import pytest
from msgspec.structs import replace

from muddled_orchard.cli import main
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.key.survey import Survey
from muddled_orchard.files.scenarios import catalogue_index
from muddled_orchard.files.scenarios.bundled import BUNDLED, bundled_ids
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.scenarios.catalogue_index import INDEX, bundled_exercises, index_text
from muddled_orchard.files.scenarios.scenario_file import load_scenario
from muddled_orchard.files.scenarios.sketches import SKETCHES
from muddled_orchard.rehearsal.proving import prove
from muddled_orchard.rehearsal.session import LearnerSession, solve
from muddled_orchard.system.workers import Machines
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.ask.surveying import surveyor
from muddled_orchard.vcs.grading import grader
from muddled_orchard.vcs.planting import plant, plant_example
from tests.conftest import muddled, shell
from tests.test_prediction import is_hunk, shown


def meet_and_solve(session: LearnerSession, step: Step) -> None:
    """What Git shows is what the key says: the paths, their stages, and the hunks of each text."""
    stages = {c.path: {stage: blob.id for stage, blob in c.stages.items()} for c in step.merge.conflicts}
    assert session.unmerged() == stages
    for conflict in step.merge.conflicts:
        if conflict.merged is not None:
            text = (session.work / conflict.path).read_bytes().decode("utf-8", "surrogateescape")
            hunks = [part[:2] for part in shown(text) if is_hunk(part)]
            assert hunks == [(hunk.ours, hunk.theirs) for hunk in conflict.merged.hunks]
    solve(session, step)


@pytest.mark.parametrize("id_", bundled_ids())
def test_every_bundled_scenario_is_met_as_its_key_says(id_: str, tmp_path: Path) -> None:
    library = ScenarioLibrary()
    scenario = library.find(id_)
    assert scenario is not None
    assert scenario.values, "at least one value varies"
    key = make_key(ScratchRepository(tmp_path / "scratch.git"), scenario, "5c1d9a")
    planted = plant_example(scenario, tmp_path / "ilse", "5c1d9a")
    work = tmp_path / "ilse/work"
    assert tuple(planted.ids[number] for number in range(len(planted.ids))) == key.ids
    # A stopped merge leaves the tree that Git remembers as AUTO_MERGE, which nothing else leads to.
    assert shell(work, "git fsck --strict --no-dangling 2>&1") == ""
    if (tmp_path / "ilse/origin.git").exists():
        assert shell(tmp_path / "ilse/origin.git", "git fsck --strict 2>&1") == ""
        assert "origin" in shell(work, "git fetch --dry-run 2>&1; git remote")
    stopped = scenario.start.stopped
    assert bool(shell(work, "git status --porcelain")) == (stopped or bool(scenario.start.work))
    answered = {
        conflict.path
        for step in key.steps
        for conflict in step.merge.conflicts
        if not step.accepted[conflict.path]
    }
    assert not answered, "the key covers every conflict"
    session = LearnerSession(work, key, "ilse")
    if scenario.start.work:
        session.git("stash", "-q", "-u")
    session.carry_out(meet_and_solve)
    assert not (work / ".git/MERGE_HEAD").exists()
    assert not (work / ".git/rebase-merge").exists()
    last = scenario.task[-1]
    if last.makes_own:  # what comes out is the learner's own
        return
    wanted = key.commits[key.solved_tips[last.on]].tree if last.do != "stash-pop" else key.steps[-1].solved
    assert set(shell(work, "git ls-files").split()) == set(wanted)
    if last.do != "stash-pop":
        for path, blob in wanted.items():
            assert shell(work, f"git rev-parse 'HEAD:{path}'").strip() == blob.id, path
    with grader(lambda hand_out: library.find(hand_out.exercise)) as grading:
        (assessment,) = grading.grade([tmp_path / "ilse"])
    lacking = {
        c.id: c.outcome.because for c in assessment.criteria if c.outcome.verdict not in ("met", "skipped")
    }
    assert lacking == {}
    assert assessment.state == "finished"


STOPPED = {
    "rebase": "rebase in progress", "cherry-pick": "You are currently cherry-picking", "revert": "You are currently reverting",
    "pull": "You have unmerged paths", "stash": "Unmerged paths", "squash": "Unmerged paths", "two-merges": "You have unmerged paths",
}  # fmt: skip


@pytest.mark.parametrize("kind", STOPPED)
def test_every_operation_can_be_handed_out_at_its_conflict(kind: str, tmp_path: Path) -> None:
    text = (
        (SKETCHES / f"{kind}.toml")
        .read_text("utf-8")
        .replace("[[task]]", "[start]\nstopped = true\n\n[[task]]", 1)
    )
    (tmp_path / "stopped.toml").write_text(text, "utf-8")
    planted = plant(load_scenario(tmp_path / "stopped.toml"), tmp_path / "ilse", "x")
    work = tmp_path / "ilse/work"
    assert STOPPED[kind] in shell(work, "git status")
    assert "UU list.txt" in shell(work, "git status --porcelain")
    assert "<<<<<<< " in (work / "list.txt").read_text("utf-8")
    if planted.history.remote:
        assert shell(work, "git config remote.origin.url") == "../origin.git\n"


@pytest.mark.parametrize(
    ("stashed", "set_aside"),
    [('"hives" = "12\\n"', "hives~Stashed changes"), ('"hives/all.txt" = "12\\n"', "hives~Updated upstream")],
)
def test_a_stash_in_the_way_is_set_aside_as_git_names_it(
    stashed: str, set_aside: str, tmp_path: Path
) -> None:
    other = '"hives/all.txt" = "14\\n"' if "all" not in stashed else '"hives" = "14\\n"'
    text = (SKETCHES / "stash.toml").read_text("utf-8")
    text = re.sub(r"change = .*@\{number\}.*", lambda _: f"write = {{ {stashed} }}", text)
    text = re.sub(r"change = .*apples: 20.*", lambda _: f"write = {{ {other} }}", text)
    text = re.sub(r"(?s)\[values\].*?\n\n|\[\[answer\]\].*", "", text)
    text += f'[[answer]]\nfile = "{set_aside}"\ngone = true\n'
    (tmp_path / "stash.toml").write_text(text, "utf-8")
    key = make_key(ScratchRepository(tmp_path / "scratch.git"), load_scenario(tmp_path / "stash.toml"), "x")
    plant(key.scenario, tmp_path / "ilse", "x")
    LearnerSession(tmp_path / "ilse/work", key, "ilse").carry_out(meet_and_solve)


def test_variants_of_every_scenario_differ_and_have_a_key(tmp_path: Path) -> None:
    library = ScenarioLibrary()
    scratch = ScratchRepository(tmp_path / "scratch.git")
    for id_ in bundled_ids():
        scenario = library.find(id_)
        assert scenario is not None
        ids = {make_key(scratch, scenario, code).ids[-1] for code in (PLAIN_VARIANT, "a", "b", "c", "d", "e")}
        assert len(ids) > 1, id_


@pytest.mark.parametrize(
    "id_", ["stash-back", "pull-by-merge", "left-in-a-rebase", "criss-cross", "script-and-link"]
)
def test_ids_are_the_same_everywhere(id_: str, tmp_path: Path) -> None:
    home = tmp_path / "home"
    home.mkdir()
    (home / ".gitconfig").write_text(
        "[user]\nname = Else\nemail = e@orchard.example\n[rebase]\nbackend = apply\nautoSquash = true\n[core]\nautocrlf = true\n"
        "[merge]\nconflictStyle = diff3\n[diff]\nalgorithm = minimal\n[commit]\ngpgSign = true\n"
    )
    wild = {
        "HOME": str(home),
        "TZ": "Asia/Kathmandu",
        "LC_ALL": "C",
        "GIT_AUTHOR_DATE": "1999-01-01T00:00:00",
        "GIT_COMMITTER_NAME": "No",
    }
    for name, more in (("plain", {}), ("wild", wild)):
        muddled("plant", id_, tmp_path / name, more=more)
    look = "git for-each-ref; git status --porcelain; git stash list --format=%H; git log --all --format='%H %an %ad %cn %cd'; git diff"
    said = [shell(tmp_path / name / "work", look) for name in ("plain", "wild")]
    assert said[0] == said[1]
    assert [(tmp_path / name / "origin.git").exists() for name in ("plain", "wild")] == [
        id_ == "pull-by-merge"
    ] * 2


def test_what_starts_stopped_is_the_same_everywhere(tmp_path: Path) -> None:
    library = ScenarioLibrary()
    for id_ in ("left-in-a-merge", "left-in-a-rebase"):
        scenario = library.find(id_)
        assert scenario is not None
        said = []
        for name in ("one", "two"):
            plant(scenario, tmp_path / id_ / name, PLAIN_VARIANT)
            work = tmp_path / id_ / name / "work"
            said.append(
                shell(
                    work,
                    "git status; git log --all --format='%H %ad %cd %cn'; git reflog; cat .git/index | git hash-object --stdin >/dev/null; git diff",
                )
            )
        assert said[0] == said[1]
        task = scenario.task[0]
        assert ("rebase in progress" if task.do == "rebase" else "You have unmerged paths") in said[0]
        assert task.do == "merge" or task.source == "main"
    assert os.listdir(tmp_path / "left-in-a-merge/one") == os.listdir(tmp_path / "left-in-a-merge/two")  # noqa: PTH208


def test_the_index_says_what_surveys_say() -> None:
    library = ScenarioLibrary()
    scenarios = [scenario for id_ in bundled_ids() if (scenario := library.find(id_)) is not None]
    with surveyor() as surveying:
        surveys = [one for one in surveying.survey(scenarios, PLAIN_VARIANT) if isinstance(one, Survey)]
    proofs = list(prove(scenarios, PLAIN_VARIANT, Machines(2)))
    assert [fault for proof in proofs for fault in proof.faults] == []
    assert all(proof.earned == proof.possible for proof in proofs)
    surveys = [replace(survey, proof=proof) for survey, proof in zip(surveys, proofs, strict=True)]
    assert index_text(surveys) == INDEX.read_text("utf-8"), "make it anew with scripts/schema"
    assert {one.id for one in bundled_exercises().values()} == set(bundled_ids())


def test_a_changed_catalogue_is_surveyed_anew(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["catalogue", "--json"]) == 0
    known = capsys.readouterr().out
    changed = tmp_path / "catalogue"
    shutil.copytree(BUNDLED, changed)
    with (changed / "press-limit.toml").open("a") as file:
        file.write("# a remark\n")
    monkeypatch.setattr(catalogue_index, "BUNDLED", changed)
    assert catalogue_index.bundled_summaries() is None
    assert main(["catalogue", "--json"]) == 0
    assert capsys.readouterr().out == known
