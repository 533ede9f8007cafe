"""Teammates who push meanwhile: when their work arrives on a host, once and whole, and how the rest is graded."""

from __future__ import annotations

import csv
import io
import json
import random
import re
import subprocess
import threading
import time
from pathlib import Path

import pytest

from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.files.scenarios.catalogue import load
from muddled_orchard.rehearsal.moments import Moments
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.vcs.ask.keymaking import key_of
from muddled_orchard.vcs.planting import plant
from tests.conftest import database, muddled
from tests.hosts import RunningHost, course_of, git, hosted, pushes_of, until

FIRST = "odo-was-first"
THEIRS = "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' *.txt; git commit -qam Merged"
REPLAYED = "sed -i -e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d' *.txt; git add -A"
MERGED = f"git fetch -q origin; git merge -q origin/main; {THEIRS}"


def practice(host: RunningHost, who: str, exercise: str, place: str = "") -> Path:
    """What a learner unpacks, or clones where that is enough, with a password in its remote."""
    folder = host.folder / f"{who}-{exercise}{place}"
    folder.mkdir()
    (folder / "given.tar.gz").write_bytes(host.data(who, f"archive/{exercise}.tar.gz"))
    git(folder, "tar xzf given.tar.gz")
    work = folder / exercise / "work"
    git(work, f"git remote set-url origin {host.remote(who, exercise)}")
    return work


def course(folder: Path, learners: tuple[str, ...], *exercises: str) -> Path:
    """A course of these exercises, with criteria told."""
    tables = "".join(f'[[exercise]]\nscenario = "{one}"\nfeedback = "criteria"\n' for one in exercises)
    return course_of(folder, learners, tables)


def refused(work: Path, words: str = "git push origin main") -> bool:
    """Whether Git refuses a push since somebody was first."""
    return "fetch first" in git(work, words).stderr


def at_main(host: RunningHost, who: str, exercise: str) -> str:
    """The subject of the commit at which the remote's main stands."""
    place = next(host.folder.glob(f"**/{exercise}/{who}.git"))
    return git(place, "git log -1 --format=%s main").stdout.strip()


def test_a_teammate_is_first(tmp_path: Path) -> None:
    """The first push is refused, the page and the board tell, and what follows is graded as what it is."""
    learners = ("ada", "ben", "cai", "dov")
    course(tmp_path, learners, FIRST)
    with hosted(tmp_path) as host:
        works = {who: practice(host, who, FIRST) for who in learners}
        assert "Saturday" not in host.page("ada", f"exercise/{FIRST}"), "it is not told beforehand"
        assert all(at_main(host, who, FIRST) == "Plan the pressing" for who in learners)
        git(works["ada"], "git fetch -q origin")
        assert at_main(host, "ada", FIRST) == "Plan the pressing", "a fetch brings nothing yet"
        assert refused(works["ada"], "git push --dry-run origin main")
        page = host.page("ada", f"exercise/{FIRST}")
        assert "Odo Marsh</span> has pushed to <code>main</code>" in page
        board = re.sub("<[^>]*>", "", host.page("instructor", "/board"))
        assert "not pushed: Odo Marsh has pushed to main meanwhile, not fetched yet" in board
        assert refused(works["ada"])
        assert pushes_of(tmp_path) == [], "what a teammate pushed is no push of the learner's"
        git(works["ada"], MERGED)
        assert "You have fetched since" in host.page("ada", f"exercise/{FIRST}")
        said = git(works["ada"], "git push origin main").stderr
        assert "Odo Marsh had pushed to main before." in said
        assert "got it, 26 of 26" in said
        said = git(works["ben"], "git push -f origin main").stderr
        assert "by Odo Marsh is no longer in it" in " ".join(said.replace("remote:", "").split())
        assert "not yet, 0 of 26" in said
        assert refused(works["cai"])
        assert "stale info" in git(works["cai"], "git push --force-with-lease origin main").stderr
        said = git(works["cai"], f"git fetch -q origin; git rebase -q origin/main; {REPLAYED}; git -c core.editor=true rebase --continue; git push origin main").stderr  # fmt: skip
        assert "23 of 26" in said, said
        # Another branch goes through, a deletion is Git's to refuse, and either is a push before which it arrives.
        assert "new branch" in git(works["dov"], "git push origin main:dov").stderr
        assert at_main(host, "dov", FIRST) == "The mill has time on Saturday"
        git(works["dov"], "git push origin --delete dov")
        assert refused(works["dov"])
    with hosted(tmp_path) as host:
        assert len(pushes_of(tmp_path)) == 5
        assert "You have fetched since" in host.page("ada", f"exercise/{FIRST}")
        token = host.page("dov", f"exercise/{FIRST}").split('name="token" value="')[1].split('"')[0]
        host.data("dov", "/again", {"token": token, "exercise": FIRST})
        assert at_main(host, "dov", FIRST) == "Plan the pressing", "all is still to come"
        assert refused(practice(host, "dov", FIRST, "-again"))


def test_and_again_while_one_resolved(tmp_path: Path) -> None:
    """The next one comes when the one before was fetched, and not before."""
    course(tmp_path, ("ada",), "and-again")
    with hosted(tmp_path) as host:
        work = practice(host, "ada", "and-again")
        assert [refused(work), refused(work)] == [True, True]
        assert at_main(host, "ada", "and-again") == "Odo presses"
        git(work, MERGED)
        assert refused(work)
        assert at_main(host, "ada", "and-again") == "Somebody who has a licence drives"
        git(work, MERGED)
        assert "got it, 26 of 26" in git(work, "git push origin main").stderr


def test_a_rehearsal_acts_at_the_moment_itself(tmp_path: Path) -> None:
    """What arrives is not at the remote before somebody pushes, and is there when the push is refused."""
    scenario = load(Path(f"src/muddled_orchard/catalogue/{FIRST}.toml"))
    plant(scenario, tmp_path, "0")
    moments = Moments(tmp_path / "origin.git", key_of(Variants(scenario), "0"))
    session = LearnerSession(tmp_path / "work", key_of(Variants(scenario), "0"), "ilse", moments=moments)

    def subject() -> str:
        return git(tmp_path / "origin.git", "git log -1 --format=%s main").stdout.strip()

    assert subject() == "Plan the pressing"
    session.git("fetch", "-q")
    assert subject() == "Plan the pressing", "a fetch brings nothing yet"
    session.runner.push_first(session.scenario.task[0])
    assert subject() == "The mill has time on Saturday"
    moments.end()


OTHER = """
title = "Other moments"
[[story]]
on = "main"
publish = ["main"]
write = { "a.txt" = "one\\ntwo\\nthree\\n", "b.txt" = "b\\n" }
[[story]]
on = "mine"
from = "main"
change = [{ file = "a.txt", find = "two", put = "zwei" }]
publish = ["mine"]
[[story]]
on = "side"
from = "main"
change = [{ file = "b.txt", find = "b", put = "c" }]
publish = ["side"]
[[story]]
on = "origin/main"
arrives = "WHEN"
message = "Said otherwise"
change = [{ file = "a.txt", find = "two", put = "deux" }]
[[task]]
TASKS
"""
PULLED = 'do = "merge"\non = "mine"\nbring = "origin/main"\npush = true\n[[answer]]\nfile = "a.txt"\nkeep = ["ours"]\n'


def other(folder: Path, when: str, tasks: str = PULLED) -> Path:
    """A scenario in which something arrives at another moment."""
    folder.mkdir(exist_ok=True)
    file = folder / "other.toml"
    file.write_text(OTHER.replace("WHEN", when).replace("TASKS", tasks))
    return file


def test_other_moments(tmp_path: Path) -> None:
    """With the first fetch after the clone, and after a push of what a task is about."""
    course(tmp_path, ("ada",), str(other(tmp_path / "one", "first fetch").resolve()))
    with hosted(tmp_path) as host:
        git(tmp_path, f"git clone -q {host.remote('ada', 'other')} cloned")
        assert at_main(host, "ada", "other") == "Write a.txt, and edit 1 more file", "the clone is none"
        assert "Said otherwise" in git(tmp_path / "cloned", "git fetch -q; git log -1 origin/main").stdout
    folder = tmp_path / "after"
    folder.mkdir()
    first = 'do = "merge"\non = "mine"\nbring = "side"\npush = true\n[[task]]\n' + PULLED
    course(folder, ("ada",), str(other(folder, "after 1", first).resolve()))
    with hosted(folder) as host:
        git(folder, f"git clone -q {host.remote('ada', 'other')} cloned")
        work = folder / "cloned"
        git(work, "git fetch -q; git switch -q mine; git push -q origin mine")
        assert at_main(host, "ada", "other") == "Write a.txt, and edit 1 more file", "nothing was moved"
        git(work, "git commit -q --allow-empty -m On; git push -q origin mine")
        assert at_main(host, "ada", "other") == "Said otherwise"


def test_elsewhere_it_is_there_from_the_start(tmp_path: Path) -> None:
    """In an archive and in a planted folder the first push is refused as well; survey says the difference."""
    muddled("plant", FIRST, "mine", folder=tmp_path)
    said = muddled("peek", "mine/work", folder=tmp_path, code=1).stdout
    assert (
        said.index("git push origin main")
        < said.index("git fetch origin")
        < said.index("git merge origin/main")
    )
    assert refused(tmp_path / "mine/work")
    assert "elsewhere it is there from the start" in " ".join(muddled("survey", FIRST, folder=tmp_path).stdout.split())  # fmt: skip
    assert "(fetch first)" in muddled("walkthrough", FIRST, folder=tmp_path).stdout


@pytest.mark.parametrize(
    ("entry", "says"),
    [
        ('on = "main"\narrives = "first push"\nwrite = { "c" = "c" }', "only what the remote gets can arrive"),
        ('on = "origin/main"\narrives = "soon"\nwrite = { "c" = "c" }', 'nothing arrives "soon"'),
        ('on = "origin/main"\narrives = "next push"\nwrite = { "c" = "c" }', "nothing arrives before it"),
        ('on = "origin/main"\narrives = "after 4"\nwrite = { "c" = "c" }', "there is no task 4"),
        ('on = "origin/mine"\narrives = "after 1"\nwrite = { "c" = "c" }', "the learner pushes to mine before that"),
        ('on = "origin/main"\narrives = "first push"\nwrite = { "c" = "c" }\n[[story]]\non = "origin/main"\nwrite = { "d" = "d" }', "stands on what arrives on main"),
        ('on = "origin/main"\narrives = "first push"\nwrite = { "c" = "c" }\n[[story]]\non = "main"\npublish = ["main"]\nwrite = { "d" = "d" }', "published after something has arrived"),
    ],
)  # fmt: skip
def test_moments_that_can_not_be_are_told(entry: str, says: str, tmp_path: Path) -> None:
    text = OTHER.replace('on = "origin/main"\narrives = "WHEN"\nmessage = "Said otherwise"\nchange = [{ file = "a.txt", find = "two", put = "deux" }]', entry)  # fmt: skip
    (tmp_path / "other.toml").write_text(text.replace("TASKS", PULLED))
    said = muddled("survey", "other.toml", folder=tmp_path, code=1).stderr
    assert says in said, said
    assert "other.toml:" in said


def test_a_lesson_with_threads_and_kills(tmp_path: Path) -> None:
    """Six learners push at once, several times each, while the host is killed again and again: what a teammate pushes
    is there or not, comes once, and costs nobody a push."""
    learners = ("ada", "ben", "cai", "dov", "eda", "fay")
    course(tmp_path, learners, FIRST)
    chance = random.Random(7)
    with hosted(tmp_path) as host:
        works = {who: practice(host, who, FIRST) for who in learners}
    ended = threading.Event()
    told: dict[str, list[str]] = {who: [] for who in learners}
    current: list[RunningHost] = []

    def pushes(who: str) -> None:
        while not ended.is_set():
            if not current:
                time.sleep(0.02)
                continue
            url = current[0].remote(who, FIRST)
            told[who].append(git(works[who], f"git push {url} main").stderr)

    threads = [threading.Thread(target=pushes, args=(who,)) for who in learners]
    for thread in threads:
        thread.start()
    try:
        for _ in range(6):
            with hosted(tmp_path) as host:
                current.append(host)
                time.sleep(chance.uniform(0.0, 0.5))
                current.clear()
                host.kill()
    finally:
        ended.set()
        for thread in threads:
            thread.join()
    with hosted(tmp_path) as host:
        for who in learners:
            assert at_main(host, who, FIRST) in ("Plan the pressing", "The mill has time on Saturday")
            git(works[who], f"git remote set-url origin {host.remote(who, FIRST)}")
            assert refused(works[who]), told[who]
            git(works[who], MERGED)
            assert "got it, 26 of 26" in git(works[who], "git push origin main").stderr
        assert sorted(who for who, _, _ in pushes_of(tmp_path)) == sorted(learners), "none of a teammate's"
        assert until(lambda: all(graded for _, _, graded in pushes_of(tmp_path)))
    refs = subprocess.run(
        ["git", "for-each-ref", "--format=%(refname)", "refs/muddled/arrived"], capture_output=True, text=True,
        cwd=next(tmp_path.glob(f"**/{FIRST}/ada.git")), check=True,
    ).stdout  # fmt: skip
    assert refs.split() == ["refs/muddled/arrived/1"]


TEAMS = "id,name,team\nada,Ada Quince,red\nben,Ben Rowan,red\ncai,Cai Thorn,blue\ndov,Dov Birch,blue\neda,Eda Moss,\n"


def test_a_team_shares_one_repository(tmp_path: Path) -> None:
    """Whoever is second is refused, resolves, and the result is both's; the page tells what the other pushed and how
    the branches stand; who works alone is alone, and no other team sees anything of it."""
    course_of(
        tmp_path, ("ada",), '[[exercise]]\nscenario = "two-at-one-line"\nfeedback = "criteria"\nteam = true\n'
    )
    (tmp_path / "roster.csv").write_text(TEAMS)
    muddled("host", "--passwords", "passwords.csv", "--quiet", folder=tmp_path)
    id_ = "two-at-one-line"

    def clone(host: RunningHost, who: str) -> Path:
        git(
            tmp_path,
            f"rm -rf {who}; git clone -q {host.remote(who, id_)} {who}; cd {who}; git config user.name {who}",
        )
        return tmp_path / who

    def change(work: Path, to: str) -> str:
        return git(work, f"export GIT_AUTHOR_NAME={work.name}; sed -i 's/^Friday.*/Friday: {to}/' hours.txt; git commit -qam {to}; git push origin main").stderr  # fmt: skip

    with hosted(tmp_path) as host:
        works = {who: clone(host, who) for who in ("ada", "ben", "cai", "dov", "eda")}
        assert 'You share this repository with <b dir="auto">Ben Rowan</b>' in host.page(
            "ada", f"exercise/{id_}"
        )
        assert "You share" not in host.page("eda", f"exercise/{id_}")
        assert "Push 1" in change(works["ada"], "early")
        assert "fetch first" in change(works["ben"], "late")
        git(works["ben"], "git push -q origin main:ben")
        page = re.sub("<[^>]*>", "", host.page("ada", f"exercise/{id_}"))
        assert (
            "ben has 1 commit that main lacks, and lacks 1 commit of it: they would conflict in hours.txt."
            in page
        )
        assert "Push 2" in page
        assert ", Ben Rowan" in page
        git(
            works["ben"],
            "export GIT_AUTHOR_NAME=ben; git fetch -q; git merge -q origin/main; sed -i '/^[<=>]/d' hours.txt; git commit -qam Both",
        )
        said = git(works["ben"], "git push origin main").stderr
        assert "Push 3: got it, 14 of 14" in said, said
        assert "by ben." in re.sub("<[^>]*>", "", host.page("instructor", f"/board/ada/{id_}"))
        assert "ben is in main." in host.page("ada", f"exercise/{id_}")
        assert "early" in git(works["ada"], "git pull -q; cat hours.txt").stdout
        assert "Nothing has come yet" in host.page("cai", f"exercise/{id_}")
        with pytest.raises(Exception, match="Not Found"):
            host.page("cai", f"git/ada/{id_}.git/info/refs?service=git-upload-pack")
        # Another team at once: one of both is first, and nothing is lost.
        threads = [threading.Thread(target=change, args=(works[who], who)) for who in ("cai", "dov")]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        second = next(who for who in ("cai", "dov") if refused(works[who]))
        said = git(works[second], "git fetch -q; git merge -q origin/main; sed -i '/^[<=>]/d' hours.txt; git commit -qam Both; git push origin main").stderr  # fmt: skip
        assert "got it" in said
        board = host.page("instructor", "/board")
        assert board.count("1 of 1") == 2
        assert "Ada Quince, Ben Rowan" in board
        assert "Ben Rowan pushed last" in board
    with hosted(tmp_path) as host:  # nothing is taken for a push that was none
        assert sorted(who for who, _, _ in pushes_of(tmp_path)) == sorted(["ada", "ben", "ben", "cai", "dov"])
        assert "Push 3" in host.page("ben", f"exercise/{id_}")
        assert "Push 4" in change(clone(host, "ada"), "noon")
    shown = muddled("board", "--once", folder=tmp_path).stdout
    assert "Ada Quince, Ben" in shown
    assert "Eda Moss" in shown
    assert "5 learners" in shown
    for who in ("ada", "ben"):
        assert "Got it: 14 of 14" in muddled("board", "--show", who, folder=tmp_path).stdout
    totals = muddled("ledger", "--table", "totals", folder=tmp_path).stdout
    assert totals.count("100") >= 4, totals


def test_who_is_forgotten_takes_nothing_from_a_team(tmp_path: Path) -> None:
    """The repository lies in the place of the one who goes, and stays until the last of the team goes, with what
    has arrived there."""
    shared = f"repositories/{FIRST}/ada.git"
    course_of(tmp_path, ("ada",), f'[[exercise]]\nscenario = "{FIRST}"\nteam = true\n')
    for roster in (TEAMS, TEAMS.replace("ada,Ada Quince,red\n", "")):
        (tmp_path / "roster.csv").write_text(roster)
        muddled("host", "--passwords", "passwords.csv", "--quiet", folder=tmp_path)
        with hosted(tmp_path) as host:
            work = practice(host, "ben", FIRST, str(len(roster)))
            if roster == TEAMS:
                assert refused(work)
                git(work, f"{MERGED}; git push origin main")
            else:
                git(work, "git fetch -q; git reset -q --hard origin/main; git commit -q --allow-empty -m More; git push origin main")  # fmt: skip
            assert at_main(host, "ada", FIRST) == ("Merged" if roster == TEAMS else "More"), "the place stays"
            assert "You have fetched since" in host.page("ben", f"exercise/{FIRST}")
        for who in ("ada", "ben") if roster == TEAMS else ("ben",):
            told = json.loads(muddled("ledger", "--person", who, folder=tmp_path).stdout)
            assert told["repositories"] == [shared]
        if roster == TEAMS:
            said = muddled("ledger", "--forget", "ada", folder=tmp_path).stdout
            assert f"(what a team shares stays: {shared})" in said
            with database(tmp_path / "orchard.db") as db:
                there = list(db.execute("SELECT learner, number FROM arrival"))
            assert there == [("ben", 0), ("ben", 1)]
    assert "1 repository of a host." in muddled("ledger", "--forget", "ben", folder=tmp_path).stdout
    assert not (tmp_path / shared).exists()


ACTIONS = {
    "fetch": "git fetch -q origin",
    "look": "git ls-remote -q origin",
    "dry": "git push -q --dry-run origin main",
    "push": "git push -q origin main",
    "force": "git push -q -f origin main",
    "other": "git push -q -f origin main:other",
    "gone": "git push -q origin --delete other",
    "merge": f"{MERGED}; git push -q origin main",
    "work": "git commit -q --allow-empty -m More",
}


def test_whatever_a_learner_does_it_comes_once_and_at_its_moment(tmp_path: Path) -> None:
    """Random actions against a model of the remote: where its main stands, and how many pushes were taken."""
    learners = tuple(f"l{number}" for number in range(6))
    course(tmp_path, learners, FIRST)
    chance = random.Random(11)
    with hosted(tmp_path) as host:
        for who in learners:
            work = practice(host, who, FIRST)
            place = next(host.folder.glob(f"**/{FIRST}/{who}.git"))
            old = git(place, "git rev-parse main").stdout.strip()
            theirs = git(place, "git rev-parse refs/muddled/arriving/1").stdout.strip()
            main, other, taken, done = old, "", 0, []
            for action in chance.choices(list(ACTIONS), k=9):
                pushes = action in ("dry", "push", "force", "other", "gone", "merge")
                git(work, ACTIONS[action])
                mine = git(work, "git rev-parse main").stdout.strip()
                done.append(action)
                if pushes and main == old and theirs not in ("", main):
                    main, old = theirs, ""  # it comes once, before Git looks what is there
                grown = (
                    git(work, f"git merge-base --is-ancestor {main} main && echo yes").stdout.strip() == "yes"
                )
                if action == "force" or (action in ("push", "merge") and grown):
                    taken += main != mine
                    main = mine
                elif action == "other" and other != mine:
                    taken, other = taken + 1, mine
                elif action == "gone" and other:
                    taken, other = taken + 1, ""
                assert git(place, "git rev-parse main").stdout.strip() == main, done
                assert sum(one == who for one, _, _ in pushes_of(tmp_path)) == taken, done


def test_a_lesson_of_teams(tmp_path: Path) -> None:
    """Eight learners in the bundled course: a team that resolves, one that never comes together, one that pushes over
    the other's work, and two who work alone, all at once; every mark is known."""
    rows = ["ada,Ada,red", "ben,Ben,red", "cai,Cai,blue", "dov,Dov,blue", "eda,Eda,green", "fay,Fay,green", "gus,Gus,", "hal,Hal,"]  # fmt: skip
    (tmp_path / "class.csv").write_text("id,name,team\n" + "".join(f"{row}\n" for row in rows))
    more = ("--course", "two-at-one-press", "--roster", "class.csv", "--ledger", "orchard.db")
    muddled("host", *more, "--passwords", "passwords.csv", "--quiet", folder=tmp_path)
    id_ = "two-at-one-line"
    resolve = "git fetch -q; git merge -q origin/main; sed -i '/^[<=>]/d' hours.txt; git commit -qam Both; git push -q origin main"  # fmt: skip
    lines = {
        "ada": "git push -q origin main", "ben": f"sleep 1; git push -q origin main; {resolve}",
        "cai": "git push -q origin main:cai", "dov": "git push -q origin main:dov",
        "eda": "git push -q origin main", "fay": "sleep 1; git push -q -f origin main",
        "gus": "git push -q origin main", "hal": "git push -q origin main; git switch -qc two HEAD^; sed -i 's/^Friday.*/Friday: twice/' hours.txt; git commit -qam Two; git switch -q main; git merge -q two; sed -i '/^[<=>]/d' hours.txt; git commit -qam Both; git push -q origin main",
    }  # fmt: skip

    def work(who: str, host: RunningHost) -> None:
        begin = f"git clone -q {host.remote(who, id_)} {who}; cd {who}; git config user.name {who}; sed -i 's/^Friday.*/Friday: {who}/' hours.txt; git commit -qam {who}"  # fmt: skip
        git(tmp_path, f"{begin}; {lines[who]}")

    with hosted(tmp_path, *more) as host:
        assert "own-from-init" in host.page("gus", "/")
        threads = [threading.Thread(target=work, args=(who, host)) for who in lines]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert until(lambda: all(graded for _, _, graded in pushes_of(tmp_path)))
        page = re.sub("<[^>]*>", "", host.page("dov", f"exercise/{id_}"))
        assert "cai has 1 commit that main lacks: main would only be moved on." in page
    said = muddled(
        "ledger", "--table", "marks", "--csv", "-", "--ledger", "orchard.db", folder=tmp_path
    ).stdout
    marks = {
        row["id"]: float(row["percent"])
        for row in csv.DictReader(io.StringIO(said))
        if row["exercise"] == id_
    }
    whole, two_of_three_steps = 100.0, pytest.approx(100 * 8 * 2 / 3 / 14, abs=0.3)
    assert marks == {
        "ada": whole, "ben": whole, "cai": two_of_three_steps, "dov": two_of_three_steps, "eda": 0, "fay": 0,
        "gus": 0, "hal": whole,
    }  # fmt: skip


def test_a_team_shares_one_on_any_server(tmp_path: Path) -> None:
    """Pushed once and gathered once, where the address names the team; without it, two would go to one place."""
    (tmp_path / "class.csv").write_text(TEAMS)
    table = '[[exercise]]\nscenario = "two-at-one-line"\nteam = true\n[[exercise]]\nscenario = "own-line"\n'
    (tmp_path / "course.toml").write_text(f'title = "Teams"\nroster = "class.csv"\n{table}')
    url = f"file://{tmp_path}/srv/{{team}}/{{exercise}}.git"
    said = muddled("handout", "--out", "out", "--push", url, folder=tmp_path, code=2).stderr
    assert "(or {team}, for a team's exercise)" in said
    (tmp_path / "course.toml").write_text((tmp_path / "course.toml").read_text().rpartition("[[")[0])
    (tmp_path / "class.csv").write_text(TEAMS.partition("eda")[0])
    for team in ("red", "blue"):
        git(tmp_path, f"git init -q -b main --bare srv/{team}/two-at-one-line.git")
    assert "2 pushed" in muddled("handout", "--out", "out", "--push", url, folder=tmp_path).stdout
    red = f"{tmp_path}/srv/red/two-at-one-line.git"
    for who in ("ada", "ben"):
        git(tmp_path, f"git clone -q {red} {who}; cd {who}; sed -i 's/^Friday.*/Friday: {who}/' hours.txt; git commit -qam {who}")  # fmt: skip
    git(tmp_path, "cd ada; git push -q origin main")
    git(tmp_path, "cd ben; git fetch -q; git merge -q origin/main; sed -i '/^[<=>]/d' hours.txt; git commit -qam Both; git push -q origin main")  # fmt: skip
    assert "2 repositories" in muddled("gather", "--url", url, "--out", "back", folder=tmp_path).stdout
    shown = " ".join(muddled("grade", "back/two-at-one-line/ada.git", folder=tmp_path).stdout.split())
    assert re.search(r"both sides were kept, ours \(main\) before theirs \(\w{7}\)\.", shown), (
        "one name made all"
    )
    muddled("grade", "back", folder=tmp_path)
    said = muddled("ledger", "--table", "marks", "--csv", "-", folder=tmp_path).stdout
    marks = {row["id"]: float(row["percent"]) for row in csv.DictReader(io.StringIO(said))}
    assert marks == {"ada": 100, "ben": 100, "cai": 0, "dov": 0}
