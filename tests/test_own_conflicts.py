"""Conflicts that a learner makes: who did, who avoided it, what was kept, wherever the work is seen."""

from __future__ import annotations

import csv
import io
import random
import re
from pathlib import Path
from typing import Any

import pytest

from muddled_orchard.core.exercise.operations.own_conflict import KeptWord
from muddled_orchard.core.merging.keep import KEEP, NOT_IN_KEYS
from muddled_orchard.files.course.ledger_schema import LEARNERS
from muddled_orchard.files.stored_results import unpacked
from tests.conftest import database, graded, muddled
from tests.hosts import git

FILE = """
title = "One of your own"
brief = "Make a conflict in rows.txt."
[[story]]
on = "main"
write = { "rows.txt" = "one\\ntwo\\nthree\\nfour\\nfive\\n", "note.md" = "hello\\n" }
[[task]]
do = "own-conflict"
"""

SIDES = """
export GIT_EDITOR=true
git switch -qc side; sed -i s/three/drei/ rows.txt; git commit -qam Drei
git switch -q main; sed -i s/three/trois/ rows.txt; git commit -qam Trois
"""
SOLVED = r"printf 'one\ntwo\ntrois\ndrei\nfour\nfive\n' > rows.txt; git add -A"

MERGED = f"{SIDES} git merge -q side; {SOLVED}; git commit -qm Both"


def planted(folder: Path, more: str = "", script: str = "") -> Path:
    """What a learner made of the exercise."""
    (folder / "own.toml").write_text(FILE + more)
    muddled("plant", "own.toml", "mine", folder=folder)
    git(folder / "mine/work", script)
    return folder / "mine"


def result(folder: Path, place: str | Path = "mine") -> dict[str, Any]:
    """How it is graded."""
    (found,) = graded(folder / place, "--scenarios", folder / "own.toml").values()
    return found


def of(found: dict[str, Any], id_: str) -> tuple[str, str]:
    """A criterion's outcome, and why."""
    one = found["criteria"][id_]
    return one["outcome"], one["because"]


MADE = [
    ("by a merge", "", MERGED, "met", "1 conflict made and met by a merge, in rows.txt", 100),
    (
        "by a rebase", "",
        f"{SIDES} git switch -q side; git rebase -q main; {SOLVED}; git rebase --continue; git switch -q main; git merge -q side",
        "met", "by a rebase", 100,
    ),
    (
        "by a rebase, committed by hand in other words", 'by = ["rebase"]\nmessage = "own"\n',
        f"{SIDES} git switch -q side; git rebase -q main; {SOLVED}; git commit -qm 'Both, said otherwise'; git rebase --continue; git switch -q main; git merge -q side",
        "met", "by a rebase", 100,
    ),
    (
        "by a copy", 'by = ["cherry-pick"]\n',
        f"{SIDES} git cherry-pick -x side; {SOLVED}; git cherry-pick --continue", "met", "by a cherry-pick", 100,
    ),
    (
        "taken back", 'by = ["revert"]\n',
        f"sed -i s/one/uno/ rows.txt; git commit -qam Uno; sed -i s/uno/eins/ rows.txt; git commit -qam Eins; git revert --no-edit HEAD~1; {SOLVED}; GIT_EDITOR=true git revert --continue",
        "met", "by a revert", 100,
    ),
    ("in another way", 'by = ["rebase"]\n', MERGED, "missed", "A conflict by a merge in rows.txt (contents) is not the one", 43),
    ("in another file", 'files = ["note.md"]\n', MERGED, "missed", "is not the one that was asked for", 43),
    ("two were asked", "conflicts = 2\n", MERGED, "partly", "1 of 2 conflicts made and met", 71),
    ("nothing", "", "true", "missed", "Nothing was attempted", 0),
    ("one side alone", "", "git switch -qc side; sed -i s/three/drei/ rows.txt; git commit -qam Drei; git switch -q main; git merge -q side", "missed", "main was only moved on", 0),
    ("other lines", "", "git switch -qc side; sed -i s/one/eins/ rows.txt; git commit -qam Eins; git switch -q main; sed -i s/hello/hi/ note.md; git commit -qam Hi; git merge -q --no-edit side", "missed", "did not change the same lines", 0),
    ("edited in a clean merge", "", "git switch -qc side; sed -i s/one/eins/ rows.txt; git commit -qam Eins; git switch -q main; sed -i s/hello/hi/ note.md; git commit -qam Hi; git merge -q --no-commit side; sed -i s/five/5/ rows.txt; git commit -qam Merged", "missed", "changed in it by hand is no conflict", 0),
    ("told beforehand", "", f"{SIDES} git merge -q -s ours -m Ours side", "missed", "told beforehand what to take", 0),
    ("told beforehand, and a branch since", "", f"{SIDES} git merge -q -s ours -m Ours side; git switch -qc more; git switch -q main; git branch -D more", "missed", "told beforehand what to take", 0),
    ("with a side preferred", "", f"{SIDES} git merge -q -X theirs -m Theirs side", "missed", "told beforehand what to take", 0),
    ("given up", "", f"{SIDES} git merge -q side; git merge --abort", "missed", "No conflict was made yet", 0),
    ("thrown away again", "", f"{MERGED}; git reset -q --hard HEAD^", "missed", "no branch has what came of it any more", 0),
    ("amended is one", "conflicts = 2\n", f"{MERGED}; git commit -q --amend -m Better", "partly", "1 of 2", 71),
    ("made once more is one", "conflicts = 2\n", f"{MERGED}; git reset -q --hard HEAD^; git merge -q side; {SOLVED}; git commit -qm Again", "partly", "1 of 2", 71),
    ("in one commit after all", "", f"{MERGED}; git reset -q --soft HEAD^; git commit -qm Squashed", "met", "1 conflict made", 100),
    ("rebased later", "", f"{MERGED}; git switch -qc x HEAD^; echo hi > note.md; git commit -qam N; git switch -q main; git rebase -q x; {SOLVED}; git rebase --continue", "met", "2 conflicts made and met", 100),
    (
        "a copy and a merge of one commit", 'by = ["merge", "cherry-pick"]\nconflicts = 3\n',
        f"git switch -qc side; sed -i s/one/uno/ rows.txt; git commit -qam Uno; sed -i s/three/drei/ rows.txt; git commit -qam Drei; git switch -q main; sed -i s/one/eins/ rows.txt; sed -i s/three/trois/ rows.txt; git commit -qam Trois; git switch -qc copy; git cherry-pick -x side; {SOLVED}; git cherry-pick --continue; git switch -q main; git merge side; {SOLVED}; git commit -qm M",
        "partly", "2 of 3", 81,
    ),
    ("left there", "", f"{SIDES} git merge -q side", "met", "1 conflict made", 71),
    ("with its markers", "", f"{SIDES} git merge -q side; git commit -qam Left", "met", "1 conflict made", 86),
    ("rebased and skipped", "", f"{SIDES} git switch -q side; git rebase -q main; git rebase --skip; git switch -q main", "missed", "No conflict was made yet", 0),
    ("a side deletes", 'kinds = ["modify/delete"]\n', "git switch -qc side; git rm -q note.md; git commit -qm Gone; git switch -q main; echo more >> note.md; git commit -qam More; git merge -q side; git rm -q note.md; git commit -qm Gone", "met", "in note.md", 100),
    ("step by step, and told beforehand", 'steps = ["branch", "both sides", "same file", "conflict"]\n', f"{SIDES} git merge -q -s ours -m Ours side", "partly", "told beforehand what to take", 43),
    ("step by step", 'steps = ["branch", "both sides", "same file", "conflict"]\n', SIDES, "partly", "3 of 4 steps taken; next: bring them together", 43),
]  # fmt: skip


@pytest.mark.parametrize(("name", "more", "script", "outcome", "says", "percent"), MADE)
def test_what_counts_as_made(
    name: str, more: str, script: str, outcome: str, says: str, percent: int, tmp_path: Path
) -> None:
    """A conflict counts that was there and was met; each other way is named as what it is."""
    planted(tmp_path, more, script)
    found = result(tmp_path)
    made = of(found, "made")
    assert (made[0], round(found["percent"])) == (outcome, percent), (name, made, found["criteria"])
    assert says in made[1]
    assert not found["needs_a_look"]


def test_what_commits_alone_can_not_show(tmp_path: Path) -> None:
    """In a clone a merge still shows its conflict; one that took a side whole, and a rebase, need a look."""
    planted(tmp_path, "", MERGED)
    git(tmp_path, "git clone -q --bare mine/work cloned.git")
    assert of(result(tmp_path, "cloned.git"), "made")[0] == "met"
    git(tmp_path, "rm -rf mine cloned.git")
    planted(tmp_path, "", f"{SIDES} git merge -q -s ours -m Ours side")
    git(tmp_path, "git clone -q --bare mine/work cloned.git")
    found = result(tmp_path, "cloned.git")
    assert of(found, "made")[0] == "met"
    assert "took all of ours, and nothing shows whether its conflict was met" in found["needs_a_look"][0]
    git(tmp_path, "rm -rf mine cloned.git")
    planted(
        tmp_path,
        "",
        f"{SIDES} git switch -q side; git rebase -q main; {SOLVED}; git rebase --continue; git switch -q main; git merge -q side",
    )
    said = " ".join(muddled("grade", "mine", "--scenarios", "own.toml", folder=tmp_path).stdout.split())
    assert "ours (main, the new base)" in said, said
    git(tmp_path, "git clone -q --bare mine/work cloned.git")
    found = result(tmp_path, "cloned.git")
    assert of(found, "made")[0] == "missed"
    assert "a rebase may have conflicted" in found["needs_a_look"][0]


def test_a_squashed_merge_needs_a_look(tmp_path: Path) -> None:
    """Git notes nothing of it: it is told as likely where it decides, and who goes on alone is not suspected."""
    squashed = f"{SIDES} git merge -q --squash side; {SOLVED}; git commit -qm Both"
    for script, looks in (
        (squashed, True), (f"{squashed}; git branch -D side", False), (SIDES, False),
        (f"{SIDES} git commit -q --amend -m Trois; sed -i s/trois/tre/ rows.txt; git commit -qam Tre", False),
        (f"{squashed}; git switch -qc n HEAD^; sed -i s/five/funf/ rows.txt; git commit -qam N; git switch -q main; sed -i s/five/cinq/ rows.txt; git commit -qam C; git merge n; {SOLVED}; git commit -qm M", False),
    ):  # fmt: skip
        found = result(tmp_path, planted(tmp_path, "", script))
        assert (
            [one for one in found["needs_a_look"] if "likely a squashed merge" in one] != []
            if looks
            else not found["needs_a_look"]
        ), (script, found["needs_a_look"])
        git(tmp_path, "rm -rf mine")


def test_what_is_fine_in_it_can_be_said(tmp_path: Path) -> None:
    """With `kept` a conflict is judged as any other one, and no learner reads the words."""
    planted(tmp_path, 'kept = ["ours+theirs", "theirs+ours"]\n', MERGED)
    assert of(result(tmp_path), "resolution")[0] == "met"
    assert "ours+theirs" not in (tmp_path / "mine/work/.git/muddled/asked.json").read_text()
    git(tmp_path, "rm -rf mine")
    planted(tmp_path, 'kept = ["ours"]\n', MERGED)
    found = result(tmp_path)
    assert of(found, "resolution")[0] == "missed"
    assert [hunk["kept"] for hunk in found["hunks"]] == ["ours+theirs"]
    assert {*KEEP, "blend", "gone"} == {*KeptWord.__args__}  # type: ignore[attr-defined]
    assert {"blend", "gone"} < NOT_IN_KEYS.keys()


def test_peek_leads_from_step_to_step(tmp_path: Path) -> None:
    """It says what comes next, without an answer, until nothing is left."""
    place = planted(tmp_path, 'by = ["merge"]\n') / "work"
    scripts = ("true", "git switch -qc side; sed -i s/three/drei/ rows.txt; git commit -qam Drei",
               "git switch -q main; sed -i s/one/eins/ rows.txt; git commit -qam Eins", f"git merge -q --no-edit side; git reset -q --hard HEAD~1; {SIDES.split('main;')[1].replace('git merge', '')}",
               f"git merge -q side; {SOLVED}; git commit -qm Both")  # fmt: skip
    said = []
    for script in scripts:
        git(place, script)
        said.append(" ".join(muddled("peek", folder=place, code=0 if "Both" in script else 1).stdout.split()))
    assert "make a branch with a commit of its own" in said[0]
    assert "commit on both branches" in said[1]
    assert "bring them together" in said[3]
    assert "Nothing is left to do here" in said[4]


@pytest.mark.parametrize("seed", range(6))
def test_random_conflicts_are_read_as_they_were_made(seed: int, tmp_path: Path) -> None:
    """Some merges with and some without a conflict, resolved in known words: each is found with what was kept."""
    chance = random.Random(seed)
    place = planted(tmp_path, "conflicts = 3\n") / "work"
    lines = [f"row {number}" for number in range(40)]
    (place / "rows.txt").write_text("".join(f"{line}\n" for line in lines))
    git(place, "git commit -qam Rows")
    kept = []
    for number in range(chance.randint(2, 5)):
        at, other = chance.sample(range(0, 40, 8), 2)
        conflicts = chance.random() < 0.7

        def changed(place_: int, text: str, now: list[str] = lines) -> str:
            return "".join(f"{line}\n" for line in [*now[:place_], text, *now[place_ + 1 :]])

        git(place, f"git switch -qc side-{number}")
        (place / "rows.txt").write_text(changed(at, f"theirs {number}"))
        git(place, "git commit -qam Side; git switch -q main")
        mine = at if conflicts else other
        (place / "rows.txt").write_text(changed(mine, f"ours {number}"))
        git(place, f"git commit -qam Main; git merge -q --no-edit side-{number}")
        if not conflicts:
            lines[at], lines[mine] = f"theirs {number}", f"ours {number}"
            continue
        word, text = chance.choice(
            [
                ("ours", f"ours {number}"),
                ("theirs", f"theirs {number}"),
                ("blend", f"both {number}"),
                ("base", lines[at]),
            ]
        )
        lines[at] = text
        (place / "rows.txt").write_text("".join(f"{line}\n" for line in lines))
        git(place, "git commit -qam Resolved")
        kept.append(word)
    found = result(tmp_path)
    assert [hunk["kept"] for hunk in found["hunks"]] == kept
    assert of(found, "made")[0] == ("met" if len(kept) >= 3 else "partly" if kept else "missed")


@pytest.mark.parametrize(
    ("by", "message"),
    [("merge", "own"), ("rebase", "own"), ("cherry-pick", "proposed"), ("revert", "proposed")],
)
def test_it_goes_with_all_that_a_task_may_ask(by: str, message: str, tmp_path: Path) -> None:
    """Work that is pushed, a branch that is deleted, a message: the way that is shown earns it all."""
    asked = f'by = ["{by}"]\npush = true\ndelete = "old"\nmessage = "{message}"\n[[rule]]\nfile = "rows.txt"\nhas = "one"\n'
    story = FILE.replace('on = "main"\n', 'on = "main"\npublish = ["main"]\n').replace(
        "[[task]]", '[[story]]\non = "old"\nfrom = "main"\nwrite = { "new.txt" = "new\\n" }\n[[task]]'
    )
    (tmp_path / "own.toml").write_text(story + asked)
    assert (
        "the solution earns 19 of 19 points" in muddled("survey", "own.toml", folder=tmp_path, code=0).stdout
    )
    muddled("rehearse", "own.toml", folder=tmp_path, code=0)
    (tmp_path / "none.toml").write_text(
        story + asked.replace(f'"{by}"', '"revert"').replace("proposed", "own")
    )
    said = muddled("survey", "own.toml", "none.toml", "--quiet", folder=tmp_path, code=1).stderr
    assert "none.toml:12: task[1]: no way through" in said


def test_an_anonymous_ledger_has_nothing_that_was_theirs(tmp_path: Path) -> None:
    """Both sides of a conflict of one's own are one's own words, and so are the names of branches and files."""
    (tmp_path / "own.toml").write_text(FILE + 'kept = ["theirs"]\n')
    (tmp_path / "roster.csv").write_text("id,name\nzuzu,Zuzu Perle\n")
    muddled("handout", "own.toml", "--roster", "roster.csv", "--out", "out", folder=tmp_path)
    git(
        tmp_path,
        """tar xf out/own/zuzu.tar.gz; cd own/work; export GIT_AUTHOR_NAME=Zuzu; printf '1\\n2\\n3\\n' > zuzu.txt; git add -A
        git commit -qm Mine; git switch -qc zuzus; sed -i s/2/zuzu-two/ zuzu.txt; git commit -qam 'zuzu two'
        git switch -q main; GIT_AUTHOR_NAME=Perle; sed -i s/2/zuzu-2/ zuzu.txt; git commit -qam 'zuzu 2'
        git merge -q zuzus; git checkout --theirs zuzu.txt; git commit -qam 'zuzu both'""",
    )
    (found,) = graded(tmp_path / "own", "--ledger", tmp_path / "orchard.db").values()
    assert [hunk["resolved_by"] for hunk in found["hunks"]] == ["Perle"]
    assert "accepted" in muddled("tally", folder=tmp_path).stdout
    assert "zuzus" not in muddled("tally", folder=tmp_path).stdout, "nobody's conflict stands for all"
    told = ("--on", "zuzu.txt", "--earns", "50", "--reason", "zuzu", "--by", "Zuzu's trainer")
    muddled("settle", "zuzu", "own", *told, folder=tmp_path)
    marks = []
    for _ in range(2):
        said = muddled("ledger", "--table", "marks", "--csv", "-", folder=tmp_path).stdout
        marks += [row["percent"] for row in csv.DictReader(io.StringIO(said))]
        muddled("ledger", "--anonymous", folder=tmp_path)
    assert 0 < float(marks[0]) < 100
    assert marks[1:] == marks[:1], "verdicts hold"
    with database(tmp_path / "orchard.db") as db:
        rows = [row for table in LEARNERS for row in db.execute(f"SELECT * FROM {table}")]  # noqa: S608
    kept = " ".join(unpacked(one) if isinstance(one, bytes) else str(one) for row in rows for one in row)
    assert "theirs" in kept
    assert not re.findall("(?i).{20}(?:zuzu|perle).{20}", kept)


def test_a_file_that_asks_for_nonsense_is_told(tmp_path: Path) -> None:
    """Each with its line."""
    for wrong, says in (
        ("conflicts = 0", "conflicts is from 1 to 100"), ("by = []", "by is empty"), ('kept = ["mine"]', "kept"),
        ('[[task]]\ndo = "own-conflict"', "must be the only task"),
        ('steps = ["branch"]', 'steps lacks "conflict"'), ('kinds = ["contentes"]', "kinds"),
    ):  # fmt: skip
        (tmp_path / "own.toml").write_text(f"{FILE}{wrong}\n")
        said = (
            muddled("survey", "own.toml", folder=tmp_path, code=1).stdout
            + muddled("survey", "own.toml", folder=tmp_path, code=1).stderr
        )
        assert says in said
        assert "own.toml:" in said
