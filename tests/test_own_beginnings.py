"""Exercises that begin with `git init`: whose a repository is, and from where on it is judged."""

from __future__ import annotations

from pathlib import Path

import pytest

from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.vcs.ask.predict import told_merges
from tests.conftest import graded, muddled
from tests.hosts import course_of, git, hosted

ID = "own-from-init"

MADE = """printf 'apples\\npears\\nplums\\n' > list.txt; {claim}; git add list.txt; git commit -qm 'A list'
git switch -qc mine; sed -i s/pears/quinces/ list.txt; git commit -qam Quinces
git switch -q {branch}; sed -i s/pears/medlars/ list.txt; git commit -qam Medlars
git merge -q mine; printf 'apples\\nquinces\\nmedlars\\nplums\\n' > list.txt; git commit -qam Both"""


def begun(branch: str = "main", claim: str = f"git add {CLAIM}") -> str:
    """A repository from nothing, with all that is asked."""
    return f"git init -q -b {branch}; {MADE.format(branch=branch, claim=claim)}"


WAYS = [
    ("as the brief says", begun(), "mine", "", 100),
    ("another name for the first branch", begun("master"), "mine", "", 100),
    ("a name that nobody would guess", begun("trunk"), "mine", "", 100),
    ("the file lies beside the commits", begun(claim="true"), "mine", "", 100),
    ("the file was deleted later", f"{begun()}; git rm -q {CLAIM}; git commit -qm Gone", "mine", "", 100),
    ("in the folder above", f"cd ..; rm -rf work/.git; {begun(claim=f'git add work/{CLAIM}')}", "mine", "", 96),
    ("as a bundle", f"{begun()}; git bundle create -q ../../mine.bundle --all", "mine.bundle", "", 100),
    ("as a bare clone", f"{begun()}; git clone -q --bare . ../../mine.git", "mine.git", "", 100),
    ("as a clone, whose other branch is the remote's", f"{begun()}; git clone -q . ../../cloned", "cloned", "", 100),
    ("the file is gone, and the exercise named", begun(claim=f"rm {CLAIM}"), "mine", ID, 100),
    ("another history merged in", f"{begun()}; git switch -q --orphan o; echo > o.txt; git add -A; git commit -qm O; git switch -q main; git merge -q --allow-unrelated-histories -m U o", "mine", "", 100),
    ("with a submodule on each side", f"{begun()}; git init -q ../sub; git -C ../sub commit -q --allow-empty -m 1; for b in mine main; do git switch -qc sub-$b $b~1; git -C ../sub commit -q --allow-empty -m $b; git update-index --add --cacheinfo 160000,$(git -C ../sub rev-parse HEAD),s; git commit -qm S; done; git merge -q sub-mine; git add s; git commit -qm S2; git switch -q main; git merge -q sub-main", "mine", "", 100),
    ("replayed from its root and given up", f"{begun()}; git rebase -q --root -f --rebase-merges; git rebase --abort", "mine", "", 100),
    ("its first commit alone", f"git init -q; git add {CLAIM}; git commit -qm First", "mine", "", 0),
    ("a side alone", f"{begun()}; git reset -q --hard HEAD^; git branch -D mine", "mine", "", 14),
]  # fmt: skip


@pytest.mark.parametrize(("name", "script", "place", "named", "percent"), WAYS)
def test_it_is_judged_from_the_learners_first_commit_on(
    name: str, script: str, place: str, named: str, percent: int, tmp_path: Path
) -> None:
    """Whatever the branch is called, wherever the file lies that says what it is, in each form."""
    muddled("plant", ID, "mine", folder=tmp_path)
    assert sorted(path.name for path in (tmp_path / "mine/work").iterdir()) == [".git", CLAIM]
    git(tmp_path / "mine/work", script)
    (found,) = graded(tmp_path / place, *(["--exercise", named] if named else [])).values()
    assert (round(found["percent"]), found["variant"]) == (percent, "0"), (name, found["criteria"])
    assert not found["needs_a_look"]


def test_what_says_nothing_is_told(tmp_path: Path) -> None:
    """Without the file nobody knows what it is; before a first commit there is nothing to see."""
    muddled("plant", ID, "mine", folder=tmp_path)
    work = tmp_path / "mine/work"
    assert "Make it with git init" in muddled("peek", folder=work, code=2).stderr
    assert "it begins with git init" in muddled("grade", "mine", folder=tmp_path, code=2).stdout
    git(work, "git init -q")
    said = muddled("peek", folder=work, code=2).stderr
    assert "no commit yet" in said
    assert "git commit" in said
    assert "no commit yet" in muddled("grade", "mine", folder=tmp_path, code=2).stdout
    git(work, "mv .git ../sha1; git init -q --object-format=sha256; git add -A; git commit -qm A")
    assert "git init --object-format=sha1 makes one that can" in muddled("peek", folder=work, code=2).stderr
    git(
        work,
        "rm -rf .git; mv ../sha1 .git; cp .git/config ..; printf '[extensions]\\nrefStorage = reftable\\n' >> .git/config",
    )
    assert "git refs migrate --ref-format=files" in muddled("peek", folder=work, code=2).stderr
    git(work, "mv ../config .git/config")
    git(work, f"rm {CLAIM}; echo a > a.txt; git add -A; git commit -qm A")
    assert f"nor does a file {CLAIM}" in muddled("grade", "mine", folder=tmp_path, code=2).stdout
    for id_, says in (("own-line", "is planted, and says itself"), ("own-lin", 'Did you mean "own-line"')):
        assert says in muddled("grade", "mine", "--exercise", id_, folder=tmp_path, code=2).stderr


def test_peek_leads_from_the_first_commit_on(tmp_path: Path) -> None:
    """As after a hand-out, though no branch was known beforehand."""
    muddled("plant", ID, "mine", folder=tmp_path)
    said = []
    lines = begun("master").splitlines()
    for line in lines:
        git(tmp_path / "mine/work", line)
        done = line == lines[-1]
        said.append(muddled("peek", folder=tmp_path / "mine/work", code=0 if done else 1).stdout)
    steps = ["a branch with a commit", "commit on both", "bring them together", "Nothing is left to do"]
    assert [step in " ".join(text.split()) for step, text in zip(steps, said, strict=True)] == [True] * 4


def test_a_class_begins_with_nothing(tmp_path: Path) -> None:
    """Each gets a variant; what names nobody belongs to whose folder it is; a run that was stopped goes on."""
    (tmp_path / "class.csv").write_text("id,name\nada,Ada\nben,Ben\n")
    out = ("--roster", "class.csv", "--out", "out")
    muddled("handout", ID, *out, folder=tmp_path)
    for who, claim in (("ada", f"git add {CLAIM}"), ("ben", f"rm {CLAIM}")):
        archive = tmp_path / f"out/{ID}/{who}.tar.gz"
        git(tmp_path, f"mkdir -p in; tar xzf {archive}; mv {ID} in/{who}")
        assert "git init -b main" in (tmp_path / f"in/{who}/BRIEF.md").read_text()
        assert "What is there before you begin" not in (tmp_path / f"in/{who}/BRIEF.html").read_text()
        git(tmp_path / f"in/{who}/work", begun(claim=claim))
    results = graded(tmp_path / "in", "--exercise", ID, "--ledger", tmp_path / "orchard.db")
    assert [(who, one["percent"], one["learner"]) for who, one in results.items()] == [
        ("ada", 100, "ada"), ("ben", 100, "ben")
    ]  # fmt: skip
    assert "2 there already" in muddled("handout", ID, *out, folder=tmp_path).stdout
    for ledger in ("one.db", "one.db"):
        muddled("handout", ID, *out, "--pack", "folder", "--ledger", ledger, folder=tmp_path)
        (tmp_path / ledger).unlink()
    said = muddled("handout", ID, *out, "--pack", "bare", "--ledger", "b.db", folder=tmp_path, code=2).stderr
    assert "there is nothing to clone" in said


def test_a_host_takes_what_learners_began(tmp_path: Path) -> None:
    """The repository there is empty, and its place says what it is; another's work is refused."""
    course_of(tmp_path, ("ada", "ben"), f'[[exercise]]\nscenario = "{ID}"\nfeedback = "criteria"\n')
    for _ in range(2):  # begun anew, with nothing pushed yet
        with hosted(tmp_path) as host:
            page = host.page("ada", f"/exercise/{ID}")
            commands = [
                line.replace("ada@", f"ada:{host.passwords['ada']}@")
                for line in page.split('class="line"><code>')[1].split("</code>")[0].splitlines()
            ]
            assert commands[0] == f"git init -b main {ID}/work"
            assert "What is there before you begin" not in page
    with hosted(tmp_path) as host:
        commands = [line.replace(line.split("@")[1].split("/")[0], host.url[7:-1]) if "@" in line else line for line in commands]  # fmt: skip
        git(
            tmp_path,
            f"{'; '.join(commands)}; git config user.name Ada; {MADE.format(branch='main', claim='true')}",
        )
        work = tmp_path / ID / "work"
        assert "Nothing is left to do" in muddled("peek", folder=work).stdout, "the tag came along"
        said = git(work, "git push origin main").stderr
        assert "got it, 14 of 14" in said, said
        muddled("plant", ID, "other", "--variant", "somebody", folder=tmp_path)
        git(tmp_path / "other/work", begun())
        git(tmp_path / "other/work", f"git remote add origin {host.remote('ben', ID)}")
        said = git(tmp_path / "other/work", "git push origin main").stderr
        assert "not those that were handed out to this learner" in " ".join(
            said.replace("remote:", "").split()
        )
        assert "1 of 1</td>" in host.page("instructor", "/board")


WRONG = [
    ("stopped = true", "", "nothing is handed out that could have stopped"),
    ('write = { "a" = "b" }', "", "nothing is handed out that could have write"),
    ("", "push = true", "there is nothing to push"),
    ("", 'delete = "x"', "there is nothing to delete"),
    ("", '[[story]]\non = "main"\nwrite = { "exercise.txt" = "x" }', "is the file that says whose work it is"),
    ("", '[[story]]\non = "main"\npublish = ["main"]\nwrite = { "a" = "x" }', "can't have publish"),
    ("", '[[story]]\non = "main"\nwrite = { "a" = "x" }\n[[story]]\non = "b"\nfrom = "main"\nwrite = { "a" = "y" }', "is on one branch, main"),
]  # fmt: skip


@pytest.mark.parametrize(("start", "more", "says"), WRONG)
def test_what_nothing_can_not_have_is_told(start: str, more: str, says: str, tmp_path: Path) -> None:
    """With its line, and without a contradiction."""
    (tmp_path / "own.toml").write_text(
        f'title = "Own"\n[start]\nown = true\n{start}\n[[task]]\ndo = "own-conflict"\n{more}\n'
    )
    said = muddled("survey", "own.toml", folder=tmp_path, code=1).stderr
    assert says in said
    assert "own.toml:" in said
    assert "publish." not in said


def test_an_example_of_how_to_begin_is_shown(tmp_path: Path) -> None:
    """The walkthrough begins with `git init` as well, and leaves the file alone that says what it is."""
    said = muddled("walkthrough", ID, folder=tmp_path).stdout
    assert said.index("git init") < said.index(f"Make {CLAIM}") < said.index("git switch -c my-side")
    assert f"Edit {CLAIM}" not in said
    (tmp_path / "own.toml").write_text('[start]\nown = true\n[[task]]\ndo = "own-conflict"\nconflicts = 3\n')
    assert "Proved" in muddled("survey", "own.toml", folder=tmp_path).stdout


def test_alike_texts_are_told_where_no_commit_is_shared(tmp_path: Path) -> None:
    """One who typed what another one had made; a class in which each has words of their own otherwise."""
    words = [
        f"{tree} {what}"
        for tree in ("pears", "quinces", "plums")
        for what in ("sweet", "sour", "late", "early")
    ]
    (tmp_path / "class.csv").write_text(
        "id,name\n" + "".join(f"l{number:02},L {number}\n" for number in range(12))
    )
    muddled("handout", ID, "--roster", "class.csv", "--out", "out", "--pack", "folder", folder=tmp_path)
    for number in range(12):
        mine = words[0 if number == 7 else number]
        changed = (
            begun()
            .replace("quinces/ list", f"'{mine}'/ list")
            .replace("medlars/ list", f"'better {mine}'/ list")
        )
        git(tmp_path / f"out/{ID}/l{number:02}/work", f"git config user.name L{number}; {changed}")
    muddled("grade", f"out/{ID}", "--ledger", "orchard.db", folder=tmp_path)
    muddled("reply", "l00", "--ledger", "orchard.db", "--out", "replies", folder=tmp_path)
    reply = (tmp_path / "replies/l00/feedback.md").read_text()
    assert "What you made" in reply
    assert "What was asked for" not in reply, "any shape is fine"
    said = " ".join(muddled("tally", "--ledger", "orchard.db", folder=tmp_path).stdout.split())
    assert 'L 0 and L 7 share the sides "better pears sweet" and "pears sweet" in list.txt:1' in said
    assert said.count(" share the sides") == 1


def test_advice_on_submodules_ends_what_is_said_of_one_merge() -> None:
    """It stands where the empty part would, whatever is merged after it."""
    advised = "0|tree-1|160000 a 2\ts||1|s|CONFLICT (submodule)|Conflict in s\n|Advice:\n ...\n|"
    told = list(told_merges(f"{advised}1|tree-2|||{advised}".replace("|", "\0").encode()))
    assert [(one.tree, one.kinds) for one in told] == [("tree-1", {"s": "submodule"}), ("tree-2", {}), ("tree-1", {"s": "submodule"})]  # fmt: skip
