"""Roles: tasks that a team gives out among its members, from the scenario file to each one's mark."""

from __future__ import annotations

import csv
import html
import io
import json
import random
import re
import sys
import threading
from pathlib import Path
from urllib.parse import urlencode

import pytest

from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.teams import roles_after, roles_of
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.grading.assessment import Assessment, CriterionResult, RolePart, met, missed
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.core.grading.shared_work import Member, share_of
from muddled_orchard.core.submission.evidence import Evidence
from muddled_orchard.files.scenarios.catalogue import load
from tests.conftest import muddled
from tests.hosts import RunningHost, git, hosted, pushes_of, until

ID = "proposed-and-accepted"
PEEK = f"'{sys.executable}' -m muddled_orchard peek"

# What each types in a clone; the proposal has the right answer of its variant in it.
PROPOSE = """git switch -q pick-earlier; git fetch -q; git merge -q origin/main
line="pears: pick from $(git show HEAD:picking.txt | grep -o '[0-9]* days before') 20 September, into green crates"
printf '%s\\n%s\\n' "$line" "$(tail -1 picking.txt)" > picking.txt
git commit -qam 'Bring it up to date'; git push -q origin pick-earlier"""
ACCEPT = """git fetch -q; git switch -q main; git merge -q --no-ff --no-edit origin/pick-earlier
git push -q origin main; git push -q origin --delete pick-earlier; git branch -qd pick-earlier"""


# -- On plain data ----------------------------------------------------------------------------------------


def test_who_gets_which_role() -> None:
    assert roles_of(["ada", "ben", "cai"], "roster") == {"ada": 1, "ben": 2, "cai": 1}
    assert roles_of(["ada", "ben"], "swapped") == {"ada": 2, "ben": 1}
    assert roles_of(["ada", "ben"], "chosen") == {}
    two, three = ["ada", "ben"], ["ada", "ben", "cai"]
    assert roles_after(two, {}, "ben", 1) == {"ben": 1, "ada": 2}, "the other one is left the other role"
    assert roles_after(three, {}, "ben", 1) == {"ben": 1}
    assert roles_after(three, {"ben": 1}, "ada", 1) == {"ben": 1, "ada": 1, "cai": 2}
    assert roles_after(three, {"ben": 1, "ada": 2}, "cai", 2) == {"ben": 1, "ada": 2, "cai": 2}
    for had, role in (({"ada": 1}, 2), ({"ben": 2, "cai": 2}, 2)):
        with pytest.raises(BadInput):
            roles_after(three, had, "ada", role)


RIGHT, WRONG = met(Said("It is.")), missed(Said("It isn't."))
TEAM = [Member("ada", "Ada Quince", 1), Member("ben", "Ben Rowan", 2), Member("cai", "Cai Thorn", 1)]


def criterion(id_: str, points: float) -> CriterionResult:
    return CriterionResult(id=id_, outcome=RIGHT if points else WRONG, points=points, possible=2, weight=2)


def of_a_team(*parts: RolePart) -> Assessment:
    everybodys = (criterion("finished", 2), criterion("history", 0))
    return Assessment(exercise="x", title="X", variant="0", state="open", criteria=everybodys, hunks=(), parts=parts)  # fmt: skip


# Who made and who pushed what role 1 has to do; what that is worth to ada, and what is told of ben.
DONE_BY: dict[str, tuple[tuple[str, ...], tuple[str, ...], float, bool]] = {
    "their own": (("Ada Quince <a@orchard.example>",), (), 4, False),
    "by an address alone": (("quince <ada@orchard.example>",), (), 4, False),
    "one of two with that role": (("Cai Thorn <c@orchard.example>",), (), 4, False),
    "another's": (("Ben Rowan <b@orchard.example>",), (), 2, True),
    "both": (("Ben Rowan <b@orchard.example>", "Ada Quince <a@orchard.example>"), (), 4, True),
    "nobody known": (("Root <root@localhost>",), (), 4, False),
    "pushed by them, whoever made it": (("Ben Rowan <b@orchard.example>",), ("ada",), 4, False),
    "pushed by another": (("Ada Quince <a@orchard.example>",), ("ben",), 2, True),
}


@pytest.mark.parametrize("case", DONE_BY)
def test_each_has_what_is_theirs(case: str) -> None:
    makers, pushed_by, worth, told = DONE_BY[case]
    first = RolePart(role=1, name="role 1", tasks=(1,), criteria=(criterion("history", 2),), commits=("1" * 40,), makers=makers, pushed_by=pushed_by)  # fmt: skip
    second = RolePart(role=2, name="role 2", tasks=(2,), criteria=(criterion("history", 0),))
    whole = of_a_team(first, second)
    ada, ben = share_of(whole, "ada", TEAM), share_of(whole, "ben", TEAM)
    assert (ada.points, ada.possible, ada.role) == (worth, 4, 1)
    assert (ben.points, ben.possible, ben.role) == (2, 4, 2)
    assert any("another's" in note for note in ben.notes) == told
    assert any("nothing shows who" in note for note in ada.notes) == (case == "nobody known")
    assert share_of(whole, "dov", [*TEAM, Member("dov", "Dov Birch")]) == whole, "no role: all of it"
    assert share_of(ada, "ben", TEAM) == ada, "a share is nobody else's"


def test_a_commit_is_of_whoever_pushed_it_first() -> None:
    line = {id_: Commit(id_, parents, "X <x@orchard.example>", "m", {}) for id_, parents in (("a", ()), ("b", ("a",)), ("c", ("b",)))}  # fmt: skip
    pushes = (("ada", ("b", "elsewhere")), ("ben", ("c", "b")), ("ada", ("c",)))
    found = Evidence(head="main", head_commit="c", refs={}, commits=line, pushes=pushes).pushers()
    assert found == {"a": "ada", "b": "ada", "c": "ben"}


BAD: dict[str, tuple[str, str]] = {
    "role = 2": ("", 'task 2 has no role, and others have'),
    'role = 2\non = "main"': ('role = 1\non = "main"', "no task has role = 2"),
    'name = "accepts"': ('name = " "', "name is empty"),
    'do = "accept"': ('do = "accept"\npush = false', "what is accepted is pushed"),
    'do = "propose"': ('do = "propose"\npush = false', "a proposal is pushed"),
    'to = "main"': ('to = "maim"', 'there is no branch "maim"'),
    "[[task]]\ndo = \"propose\"": ("[start]\nwrite = { \"a.txt\" = \"a\" }\n[[task]]\ndo = \"propose\"", "no uncommitted work"),
}  # fmt: skip


@pytest.mark.parametrize("old", BAD)
def test_what_is_wrong_is_told_with_its_line(tmp_path: Path, old: str) -> None:
    new, said = BAD[old]
    text = Path(f"src/muddled_orchard/catalogue/{ID}.toml").read_text()
    assert text.count(old) == 1
    (tmp_path / "x.toml").write_text(text.replace(old, new))
    error = muddled("survey", "x.toml", folder=tmp_path, code=1).stderr
    assert said in error, error
    assert re.search(r"x\.toml:\d+", error), error


def test_whatever_shows_an_exercise_says_whose_each_task_is(tmp_path: Path) -> None:
    page = tmp_path / "page.html"
    told = muddled("survey", ID, "--page", page, "--without-key").stdout
    for heading in (
        "Task 1, role 1 (proposes): propose pick-earlier",
        "Task 2, role 2 (accepts): accept pick-earlier",
    ):
        assert heading in told
        assert heading in page.read_text()
    muddled("walkthrough", ID, "--to", tmp_path / "steps.html")
    (tmp_path / "class.csv").write_text("id,name\nada,Ada Plum\n")
    muddled("handout", ID, "--roster", "class.csv", "--pack", "folder", "--out", "out", folder=tmp_path)
    for shown in (page, tmp_path / "steps.html", tmp_path / "out" / ID / "ada" / "BRIEF.html"):
        assert "Role 2: accepts" in shown.read_text(), f"{shown} says what each role is to do"
    surveyed = json.loads(muddled("survey", ID, "press-limit", "--json").stdout)["surveys"]
    assert [task["role"] for one in surveyed for task in one["tasks"]] == [1, 2, 0]
    assert "\nTask 1: merge" in muddled("survey", "press-limit").stdout


def test_without_roles_nothing_is_kept_of_them() -> None:
    from muddled_orchard.files.stored import scenario_text

    plain = load(Path("src/muddled_orchard/catalogue/press-limit.toml"))
    assert "role" not in scenario_text(plain)
    both = scenario_text(load(Path(f"src/muddled_orchard/catalogue/{ID}.toml")))
    assert '"role":2' in both.replace(" ", "")


# -- A lesson ---------------------------------------------------------------------------------------------


def plain(page: str) -> str:
    return " ".join(html.unescape(re.sub("<[^>]*>", " ", page)).split())


def cloned(host: RunningHost, who: str, exercise: str = ID) -> Path:
    """A clone as the page says."""
    page = host.page(who, f"exercise/{exercise}")
    found = re.search(r'class="line"><code>(.*?)</code>', page, re.DOTALL)
    assert found is not None
    folder = host.folder / f"clone-{who}-{exercise}"
    folder.mkdir()
    signed_in = html.unescape(found[1]).replace(f"//{who}@", f"//{who}:{host.passwords[who]}@")
    git(folder, signed_in)
    work = folder / exercise / "work"
    git(work, f"git config user.name {who.title()}; git config user.email {who}@orchard.example")
    return work


def peeked(work: Path, role: int) -> str:
    return " ".join(git(work, f"{PEEK} --role {role}").stdout.split())


def marks_of(folder: Path, ledger: str = "orchard.db") -> dict[str, float]:
    said = muddled("ledger", "--ledger", ledger, "--table", "marks", "--csv", "-", folder=folder).stdout
    rows = csv.DictReader(io.StringIO(said))
    return {row["id"]: float(row["percent"]) for row in rows if row["exercise"] == ID and row["percent"]}


TEAMS = """id,name,team
ada,Ada Quince,red
ben,Ben Rowan,red
cai,Cai Thorn,blue
dov,Dov Birch,blue
eda,Eda Moss,green
fay,Fay Linden,green
gus,Gus Alder,grey
hal,Hal Hazel,grey
ivo,Ivo Larch,
"""


def course_of_teams(folder: Path, more: str = "") -> None:
    (folder / "roster.csv").write_text(TEAMS)
    table = f'[[exercise]]\nscenario = "{ID}"\nfeedback = "criteria"\nteam = true\n{more}'
    (folder / "course.toml").write_text(f'title = "Teams"\nattempts = "last"\nroster = "roster.csv"\n{table}')
    muddled("host", "--passwords", "passwords.csv", "--quiet", folder=folder)


def test_a_lesson_in_two_roles(tmp_path: Path) -> None:
    """One proposes and the other accepts; in another team one does both; in the third nobody waits for the proposal;
    the fourth deadlocks. Each sees what is theirs and what waits for the other; every mark is known."""
    course_of_teams(tmp_path)
    with hosted(tmp_path) as host:
        works = {who: cloned(host, who) for who in ("ada", "ben", "cai", "dov", "eda", "fay", "ivo")}
        page = plain(host.page("ada", f"exercise/{ID}"))
        assert "You have role 1 (proposes) . Propose pick-earlier for main" in page
        assert "Yours: it is your turn. Accept" in page
        assert "Ben Rowan's: it waits for what comes before." in page
        assert "Role 1: proposes" in page
        assert "Role 2: accepts" not in page
        assert "Role 2: accepts" in plain(host.page("ivo", f"exercise/{ID}")), "alone one has both"
        assert "You have role" not in plain(host.page("ivo", f"exercise/{ID}"))
        assert "it waits for role 1 (proposes)" in peeked(works["ben"], 2)
        assert "git merge main to begin" in peeked(works["ada"], 1)
        said = git(works["ada"], PROPOSE.replace("push -q", "push")).stderr
        assert "What is yours is done. It is Ben Rowan's turn now" in " ".join(
            said.replace("remote:", "").split()
        )
        assert "Nothing is left to do here." in peeked(works["ada"], 1)
        page = plain(host.page("ben", f"exercise/{ID}"))
        assert "pick-earlier has 2 commits that main lacks: main would only be moved on." in page
        board = plain(host.page("instructor", "/board"))
        assert "next: Ben Rowan, role 2 (accepts), since" in board
        assert "next: Gus Alder, role 1 (proposes), since" in board, "who has not begun is waited for"
        told = " ".join(muddled("board", "--once", folder=tmp_path, more={"COLUMNS": "250"}).stdout.split())
        assert "next: Ben Rowan, role 2 (accepts), since" in told, "the terminal's board says the same"
        assert "next: Gus Alder, role 1 (proposes), since" in told
        git(works["ben"], "git fetch -q")
        assert "git merge --no-ff origin/pick-earlier to begin" in peeked(works["ben"], 2)
        lines = {"ben": ACCEPT, "dov": f"{PROPOSE}\n{ACCEPT}", "ivo": f"{PROPOSE}\n{ACCEPT}"}
        lines["fay"] = (
            "git switch -q main; git merge -q -X ours -m Both pick-earlier; git push -q origin main"
        )
        threads = [threading.Thread(target=git, args=(works[who], line)) for who, line in lines.items()]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert until(lambda: plain(host.page("instructor", "/board")).count("1 of 1") == 3)
        assert "Nothing is left to do here." in peeked(works["ben"], 2)
        page = plain(host.page("cai", f"exercise/{ID}"))
        assert "Dov Birch did what role 1 (proposes) has to do, which is yours: it earns you nothing" in page
        assert "Also did what role 1 (proposes) has to do" in plain(host.page("dov", f"exercise/{ID}"))
    marks = marks_of(tmp_path)
    eda, fay = marks.pop("eda"), marks.pop("fay")
    assert marks == {"ada": 100, "ben": 100, "cai": 33.3, "dov": 100, "gus": 0, "hal": 0, "ivo": 100}
    assert (eda < 40, fay < 100) == (True, True), "nothing was proposed, and merged all the same"
    afterwards(tmp_path, marks)


def afterwards(folder: Path, marks: dict[str, float]) -> None:
    """Verdicts of persons, and what is kept of them."""
    # A verdict on one of both, then on both.
    settle = ("settle", "cai", ID, "--reason", "Cai told Dov what to type")
    muddled(*settle, "--on", "history", "--met", folder=folder)
    assert marks_of(folder)["cai"] == pytest.approx(100 * 10 / 24, abs=0.1)
    assert marks_of(folder)["dov"] == 100
    muddled(*settle, "--team", "--on", "finished", "--missed", folder=folder)
    marks = marks_of(folder)
    assert (marks["cai"], marks["dov"]) == (33.3, 83.3)
    # What is kept of roles goes with its person, and a ledger without names has the same marks.
    kept = json.loads(muddled("ledger", "--person", "ada", folder=folder).stdout)
    assert [row["role"] for row in kept["tables"]["role"]] == [1]
    (folder / "other.db").write_bytes((folder / "orchard.db").read_bytes())
    muddled("ledger", "--ledger", "other.db", "--anonymous", folder=folder)
    assert sorted(marks_of(folder, "other.db").values()) == sorted(marks.values())
    muddled("ledger", "--forget", "ada", folder=folder)
    marks = marks_of(folder)
    assert ("ada" in marks, marks["ben"]) == (False, 100), "and the other one's share is the same"


def test_roles_that_are_chosen_and_swapped(tmp_path: Path) -> None:
    """First come on the page: the other one is left the other role, nobody can take another's, and until then all of
    it is everybody's; what is swapped is the other way round in the ledger."""
    course_of_teams(tmp_path, 'roles = "chosen"\n')
    with hosted(tmp_path) as host:
        page = host.page("ben", f"exercise/{ID}")
        assert "Which role is yours?" in page
        assert "Nobody's yet: it comes next" in plain(page)
        assert "next: nobody yet, role 1 (proposes)" in plain(host.page("instructor", "/board"))

        def choose(who: str, role: str) -> int:
            token = host.page(who, f"exercise/{ID}").split('name="token" value="')[1].split('"')[0]
            form = urlencode({"token": token, "exercise": ID, "role": role}).encode()
            return host.send(who, "role", form, {"Content-Type": "application/x-www-form-urlencoded"})

        git(cloned(host, "ada"), PROPOSE)
        assert "22 of 26" in plain(host.page("ada", f"exercise/{ID}")), "all of it is everybody's"
        assert choose("ben", "2") == 200
        assert "You have role 1 (proposes)" in plain(host.page("ada", f"exercise/{ID}"))
        assert "23 of 24" in plain(host.page("ada", f"exercise/{ID}"))
        for who, role, status in (("ada", "2", 409), ("ben", "1", 409), ("cai", "3", 404), ("ivo", "1", 404)):
            assert choose(who, role) == status
    with hosted(tmp_path) as host:
        assert "You have role 2 (accepts)" in plain(host.page("ben", f"exercise/{ID}")), "it is written down"


def test_on_any_server_who_did_what_is_read_from_commits(tmp_path: Path) -> None:
    """Roles the other way round; a team whose commits name nobody counts for whoever has the role, and that is
    told."""
    (tmp_path / "class.csv").write_text("\n".join(TEAMS.split("\n")[:5]))
    table = f'[[exercise]]\nscenario = "{ID}"\nteam = true\nroles = "swapped"\n'
    (tmp_path / "course.toml").write_text(f'title = "Teams"\nroster = "class.csv"\n{table}')
    url = f"file://{tmp_path}/srv/{{team}}/{{exercise}}.git"
    for team in ("red", "blue"):
        git(tmp_path, f"git init -q -b main --bare srv/{team}/{ID}.git")
    muddled("handout", "--pack", "bare", "--out", "out", "--push", url, folder=tmp_path)
    names = {"red": ("Ben Rowan", "Ada Quince"), "blue": ("root", "root")}
    for team, (first, second) in names.items():
        for number, (name, line) in enumerate(((first, PROPOSE), (second, ACCEPT))):
            git(tmp_path, f"git clone -q srv/{team}/{ID}.git {team}{number}; cd {team}{number}; export GIT_COMMITTER_NAME='{name}'; {line}")  # fmt: skip
    assert "2 repositories" in muddled("gather", "--url", url, "--out", "back", folder=tmp_path).stdout
    said = muddled("grade", "back", folder=tmp_path).stdout
    assert marks_of(tmp_path) == {"ada": 100, "ben": 100, "cai": 100, "dov": 100}
    data = json.loads(muddled("grade", "back", "--json", folder=tmp_path).stdout)
    found = {one["learner"]: one for one in data["submissions"]}
    assert [found[who]["possible"] for who in ("ada", "ben", "cai", "dov")] == [12, 24, 12, 24]
    assert "nothing shows who did what role 2" in " ".join(found["cai"]["notes"])
    assert not found["ada"]["notes"], said


FRESH = "git fetch -qp; git switch -qC pick-earlier origin/pick-earlier"
AGAIN = f'{FRESH}; git commit -q --amend -m "Said better $RANDOM"; git push -qf origin pick-earlier'


def some_way(chance: random.Random, two: tuple[str, str], works: dict[str, Path]) -> dict[str, float]:
    """Let two of a team do things at random, and the points that each must have: by who pushed what first."""
    proposer = accepter = ""
    for _ in range(chance.randint(1, 5)):
        who = chance.choice(two)
        if not proposer:
            git(works[who], f"{FRESH}; {PROPOSE}")
            proposer = who
        elif not accepter and chance.random() < 0.4:
            git(works[who], AGAIN)
            proposer = who
        elif not accepter:
            git(works[who], ACCEPT)
            accepter = who
        else:
            git(works[who], "git fetch -qp; git push -q origin origin/main:main")
    common = 8 if accepter else 7  # half of `finished` waits for the other task
    first, second = two
    return {first: common + 16 * (proposer == first), second: common + 4 * (accepter == second)}


@pytest.mark.parametrize("seed", range(2))
def test_whatever_two_do_each_has_what_they_pushed_first(tmp_path: Path, seed: int) -> None:
    course_of_teams(tmp_path)
    pairs = [("ada", "ben"), ("cai", "dov"), ("eda", "fay"), ("gus", "hal")]
    expected: dict[str, float] = {}
    with hosted(tmp_path) as host:
        works = {who: cloned(host, who) for pair in pairs for who in pair}

        def go(place: int) -> None:
            expected.update(some_way(random.Random(f"{seed} {place}"), pairs[place], works))

        threads = [threading.Thread(target=go, args=(place,)) for place in range(len(pairs))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert until(lambda: all(graded for _, _, graded in pushes_of(tmp_path)))
    possible = {who: (24, 12)[place] for pair in pairs for place, who in enumerate(pair)}
    wanted = {who: round(100 * points / possible[who], 1) for who, points in expected.items()}
    assert {who: mark for who, mark in marks_of(tmp_path).items() if who in wanted} == wanted
