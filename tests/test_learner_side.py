"""The learner's side: briefs that help, and a host where everything can be handed in."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from muddled_orchard.core.exercise.own_copy import clone_commands
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.merging.differences import rows_beside
from muddled_orchard.files.scenarios.bundled import bundled_ids
from muddled_orchard.files.scenarios.catalogue import load, scenario_path
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.show.words import with_words
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.planting import plant
from tests.conftest import muddled, shell
from tests.hosts import course_of, git, hosted

STATE = "git for-each-ref --format='%(refname) %(objectname)' refs/heads; git symbolic-ref HEAD; git status --porcelain"


@pytest.mark.parametrize("part", range(4))
def test_the_brief_leads_back_to_where_one_began(part: int, tmp_path: Path) -> None:
    """Whoever has done all of an exercise, or stands in the middle of it, is where they were by its commands."""
    scratch = ScratchRepository(tmp_path / "scratch.git")
    lead_back = 0
    for id_ in bundled_ids()[part::4]:
        scenario = load(scenario_path(id_))
        plant(scenario, tmp_path / id_, "0")
        work = tmp_path / id_ / "work"
        again = (
            (tmp_path / id_ / "BRIEF.md").read_text().partition("## Begin again\n")[2].partition("\n## ")[0]
        )
        if "No command brings all of it back" in again or scenario.start.own:
            continue
        lead_back += 1
        own = any(task.makes_own for task in scenario.task)
        drop = "; git branch -D $(git branch --format='%(refname:short)' | grep -vx main)" if own else ""
        assert ("takes one away" in again) == own
        before = shell(work, STATE)
        given_up = re.findall(r"`(git [a-z-]+ --[a-z]+)`", again)
        commands = again.split("```")[1].strip() + drop
        named("right", key := make_key(scratch, scenario, "0")).act(LearnerSession(work, key, "ada"))
        shell(work, commands)
        assert shell(work, STATE) == before, id_
        task = key.scenario.task[0]
        begin = " ".join(
            f"'{word}'"
            for word in task.begin(
                {label: key.ids[key.history.labelled(label)] for label in task.labels}, said="x"
            )
        )
        git(work, f"git {begin}")
        shell(work, f"{'; '.join(f'{words} || true' for words in given_up)}\n{commands}")
        assert shell(work, STATE) == before, (id_, "given up")
    assert lead_back > 6


def test_clone_lines_work_in_every_shell() -> None:
    for id_ in bundled_ids():
        history = Variants(load(scenario_path(id_))).of("0").history
        for line in clone_commands(history, "http://ada@127.0.0.1:8000/git/ada/x.git", "x/work"):
            assert not re.search(r"[&|;$`'\"<>]", line), line


def test_a_folder_is_handed_in_on_the_page(tmp_path: Path) -> None:
    """Work that lies in no commit can be shown, and what is no such folder is told."""
    folder = course_of(tmp_path / "course", ["ada", "bo"], 'feedback = "full"\n[[exercise]]\nscenario = "stash-back"\n[[exercise]]\nscenario = "press-limit"')  # fmt: skip
    with hosted(folder) as host:
        page = host.page("ada", "exercise/stash-back")
        assert "commit what you have worked on" not in page
        assert "data-folder" in page
        assert "data-folder" not in host.page("ada", "exercise/press-limit")
        token = page.split('data-token="')[1].split('"')[0]
        (tmp_path / "given.tar.gz").write_bytes(host.data("ada", "archive/stash-back.tar.gz"))
        shell(tmp_path, "tar xzf given.tar.gz")
        work = tmp_path / "stash-back/work"
        scenario = load(scenario_path("stash-back"))
        code = re.findall(r"Variant: (\w+)", shell(work, "git log --format=%B --all"))[0]
        key = make_key(ScratchRepository(tmp_path / "scratch.git"), scenario, code)
        named("right", key).act(LearnerSession(work, key, "ada"))
        shell(tmp_path, "tar czf done.tar.gz stash-back")

        def handed_in(who: str, exercise: str, data: bytes, said: str = token) -> int:
            headers = {"X-Form-Token": said, "Content-Type": "application/octet-stream"}
            return host.send(who, f"folder/{exercise}", data, headers)

        assert handed_in("ada", "stash-back", b"no archive at all") == 200
        assert "it is neither an archive" in host.page("ada", "exercise/stash-back")
        assert handed_in("ada", "stash-back", (tmp_path / "done.tar.gz").read_bytes()) == 200
        page = host.page("ada", "exercise/stash-back")
        assert "Folder 2" in page
        assert "Got it" in page
        # Not with another's token, not what is handed in by a push, and a friend's folder is the friend's.
        assert handed_in("bo", "stash-back", b"x") == 403
        assert handed_in("ada", "press-limit", b"x") == 404
        bos = host.page("bo", "exercise/stash-back").split('data-token="')[1].split('"')[0]
        assert handed_in("bo", "stash-back", (tmp_path / "done.tar.gz").read_bytes(), bos) == 200
        assert "not those that were handed out to this learner" in host.page("bo", "exercise/stash-back")
        assert "1 of 2" in host.page("instructor", "board")
    shutil.rmtree(tmp_path / "stash-back")
    assert (
        "ada,ada,50.0" in muddled("ledger", "--table", "totals", "--csv", "-", folder=folder).stdout.lower()
    )
    muddled("ledger", "--forget", "ada", folder=folder)
    assert not list(folder.glob("repositories/*/ada.*"))


def test_three_parts_stand_line_beside_line() -> None:
    """Each side has a row wherever another has one, and its own lines in order."""

    @given(*[st.lists(st.sampled_from("abcd"), max_size=9) for _ in range(3)])
    @settings(max_examples=200, deadline=None)
    def holds(ours: list[str], base: list[str], theirs: list[str]) -> None:
        rows = rows_beside(ours, base, theirs)
        for at, side in enumerate((ours, base, theirs)):
            assert [row[at] for row in rows if row[at] is not None] == list(range(len(side)))
        assert all(any(place is not None for place in row) for row in rows)

    holds()
    assert rows_beside(["a", "new", "b"], ["a", "b"], ["a", "B"]) == [(0, 0, 0), (1, None, None), (2, 1, 1)]


def test_words_lead_to_what_they_mean_and_nothing_else_does() -> None:
    body = "<p>A conflict: <code>HEAD</code> and ours, ours.</p><pre>theirs</pre><p>&lt;script&gt; conflicted</p>"
    page = with_words(body)
    assert page.count('<a class="word"') == 2
    assert '<a class="word" href="#word-ours">ours</a>, ours.' in page
    assert re.findall(r'<dt id="word-([a-z-]+)">', page) == ["conflict", "head", "ours", "theirs"]
    assert "&lt;script&gt; conflicted" in page
    told = (Path(__file__).parent.parent / "docs/glossary.md").read_text("utf-8")
    for word in ("base", "ours, theirs", "conflict", "fast-forward", "merge commit", "detached HEAD"):
        assert f"**{word}**" in told
    assert with_words("<p>Nothing here.</p>") == "<p>Nothing here.</p>"


def test_the_demonstration_has_a_merge_tool_and_names_none(tmp_path: Path) -> None:
    """Git mergetool is really run, with a prepared command; all of it is undone, and it can be left out."""
    told = muddled("walkthrough", "press-limit").stdout
    step = told.partition("In a merge tool")[2].partition("The right resolution")[0]
    assert "Was the merge successful [y/n]? n\n  merge of press.toml failed" in step
    assert "LOCAL is ours (main), REMOTE is theirs (night-shift)" in " ".join(step.split())
    assert "?? press.toml.orig" in step
    assert "press.toml.orig" not in told.partition("The right resolution")[2]
    assert told == muddled("walkthrough", "press-limit").stdout, "the same bytes twice"
    deleted = muddled("walkthrough", "kept-recipe").stdout
    assert "Use (m)odified or (d)eleted file, or (a)bort? a" in deleted
    without = muddled("walkthrough", "press-limit", "--without-tool").stdout
    assert "mergetool" not in without
    script = muddled("walkthrough", "press-limit", "--form", "sh").stdout
    (tmp_path / "play.sh").write_text(script)
    shell(tmp_path, "bash play.sh played </dev/null >/dev/null; cd played/work; test -z \"$(git status --porcelain)\"; ls | grep -v orig")  # fmt: skip


def test_a_style_of_conflicts_goes_with_the_hand_out(tmp_path: Path) -> None:
    text = scenario_path("press-limit").read_text("utf-8").replace('id = "press-limit"', 'id = "styled"')
    styled = text.replace("[cast]", '[start]\nconfig = { "merge.conflictStyle" = "zdiff3" }\n\n[cast]')
    (tmp_path / "styled.toml").write_text(styled)
    assert "Proved" in muddled("survey", "styled.toml", folder=tmp_path).stdout
    muddled("plant", "styled.toml", "p", "-q", folder=tmp_path)
    git(tmp_path / "p/work", "git merge -q night-shift")
    said = " ".join(muddled("peek", folder=tmp_path / "p/work", code=1).stdout.split())
    assert "below ||||||| what was there before both" in said
    assert "git mergetool shows them in a merge tool" in said
    assert "--conflict=zdiff3" not in said
    shown = muddled("walkthrough", "styled.toml", folder=tmp_path).stdout
    assert "$ git config merge.conflictStyle zdiff3" in shown
    assert "◂ from here on: what was there before both (the base)" in shown
    history = Variants(load(tmp_path / "styled.toml")).of("0").history
    config = {"merge.conflictStyle": "zdiff3"}
    assert "git -C x config merge.conflictStyle zdiff3" in clone_commands(history, "u", "x", config)
    for wrong, says in {
        '"core.hooksPath" = "x"': "config has core.hooksPath; there is: merge.conflictStyle",
        '"merge.conflictStyle" = "x"': "merge.conflictStyle is one of merge, diff3, zdiff3, not x",
    }.items():
        (tmp_path / "styled.toml").write_text(styled.replace('"merge.conflictStyle" = "zdiff3"', wrong))
        assert says in muddled("survey", "styled.toml", folder=tmp_path, code=1).stdout + muddled("survey", "styled.toml", folder=tmp_path, code=1).stderr  # fmt: skip
    muddled("plant", "press-limit", "q", "-q", folder=tmp_path)
    git(tmp_path / "q/work", "git merge -q night-shift")
    plain = " ".join(muddled("peek", folder=tmp_path / "q/work", code=1).stdout.split())
    assert "git checkout --conflict=zdiff3 press.toml has what was there before both" in plain
