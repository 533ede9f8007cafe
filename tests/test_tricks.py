"""What doesn't pay: tricks with the history, with what is handed in and with whose it is; and honest forms of
the same."""

from __future__ import annotations

import csv
import io
import json
import shlex
import sys
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import graded, muddled, shell

RIGHT = (
    "git merge -q night-shift >/dev/null || true\n"
    "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' press.toml; git commit -qam merged\n"
)
PULL = (
    "git pull -q --no-rebase origin main >/dev/null 2>&1 || true\n"
    "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' honey.txt; git commit -qam pulled\n"
)
PUSH = "git push -q origin main\n"
NO_HISTORY = (
    "cd press-limit/work; said=$(git log --format=%B --reverse --max-parents=0); was=$(git rev-parse HEAD)\n"
    + RIGHT
    + 'git checkout -q --orphan new; git commit -qm "$said"; git branch -qM main; git branch -D night-shift >/dev/null\n'
    'git reflog expire --expire=now --all; echo "$was $(git rev-parse HEAD) I <i@orchard.example> 0 +0000\tcommit: x" >.git/logs/HEAD\n'
)
FROM_THE_FIRST = (
    "cd press-limit/work; first=$(git rev-list --max-parents=0 HEAD); git reset -q --hard $first\n"
    "git show night-shift:press.toml >press.toml; sed -i 's/wash_pears = .*/wash_pears = 2/' press.toml; git commit -qam anew; git merge -q night-shift -m m\n"
)

# What is done in a learner's folder, what is handed in of it, and the state, points and what is said of them.
TRICKS: dict[str, tuple[str, str, str, float, str]] = {
    "all right": ("cd press-limit/work\n" + RIGHT, "press-limit", "finished", 100, ""),
    "all right, with a remote": ("cd pull-by-merge/work\n" + PULL + PUSH, "pull-by-merge", "finished", 100, ""),
    "the plain variant": ("muddled plant press-limit own --quiet; cd own/work\n" + RIGHT, "own", "not theirs", 0, "was not handed out to"),
    "a wholly new history": (NO_HISTORY, "press-limit", "unreadable", 0, "not those of this scenario"),
    "main rewritten from the first commit": (FROM_THE_FIRST, "press-limit", "finished", 56, "1 conflict was never met"),
    "origin left out": ("cd pull-by-merge/work\n" + PULL, "pull-by-merge/work", "finished", 92.3, "hand in the whole folder"),
    "a ref written into origin by hand": (
        "cd pull-by-merge/work\n" + PULL + "git rev-parse HEAD >../origin.git/refs/heads/main\n", "pull-by-merge", "finished", 92.3, "it was not pushed",
    ),
    "pushed over a colleague's work": (
        "cd pull-by-merge/work; git push -qf origin main\n", "pull-by-merge", "open", 0, "main was overwritten at origin",
    ),
    "dated before it was handed out": (
        "cd press-limit/work; export GIT_COMMITTER_DATE='2020-01-01T00:00:00Z'\n" + RIGHT, "press-limit", "finished", 100, "dated before it was handed out",
    ),
    "a friend's work on top": (
        "git -C press-limit/work fetch -q ../../../ada/press-limit/work main:friend\ncd press-limit/work; git checkout -q friend\n", "press-limit", "finished", 0, "bears the name of",
    ),
}  # fmt: skip


def fill(top: Path) -> None:
    rows = "".join(f"l{number:02},Learner {number}\n" for number in range(len(TRICKS) + 2))
    (top / "roster.csv").write_text(f"id,name\nada,Ada Plum\n{rows}", "utf-8")
    muddled("handout", "press-limit", "pull-by-merge", "--roster", "roster.csv", "--out", "out", "--pack", "folder", "--quiet", folder=top)  # fmt: skip


@pytest.fixture(scope="module")
def course(
    tmp_path_factory: pytest.TempPathFactory,
) -> tuple[Path, dict[str, Any], dict[tuple[str, str], dict[str, str]]]:
    top = tmp_path_factory.mktemp("tricks")
    fill(top)
    for number, (script, handed_in, *_) in enumerate(TRICKS.values()):
        name = f"l{number:02}"
        for exercise in ("press-limit", "pull-by-merge"):
            shell(
                top,
                f"mkdir -p sessions/{name} sessions/ada back; cp -r out/{exercise}/{name} sessions/{name}/{exercise}; cp -rn out/{exercise}/ada sessions/ada/{exercise}",
            )
        if number == 0:
            shell(top / "sessions/ada/press-limit/work", RIGHT)
        program = f'muddled() {{ PYTHONPATH={shlex.quote(str(Path("src").absolute()))} {shlex.quote(sys.executable)} -m muddled_orchard "$@"; }}\n'
        shell(top / "sessions" / name, program + script)
        shell(top, f"cp -r sessions/{name}/{handed_in} back/{name}")
    result = json.loads(muddled("grade", "back", "--json", "--csv", "marks.csv", folder=top).stdout)
    rows = {
        (row["id"], row["exercise"]): row
        for row in csv.DictReader(io.StringIO((top / "marks.csv").read_text("utf-8")))
    }
    return top, result, rows


@pytest.mark.parametrize("name", TRICKS)
def test_a_trick_does_not_pay(
    name: str, course: tuple[Path, dict[str, Any], dict[tuple[str, str], dict[str, str]]]
) -> None:
    _, result, rows = course
    number = list(TRICKS).index(name)
    _, _, state, percent, says = TRICKS[name]
    one = next(one for one in result["submissions"] if one["submission"] == f"back/l{number:02}")
    exercise = "press-limit" if TRICKS[name][1] in ("press-limit", "own") else "pull-by-merge"
    told = json.dumps([one, [f for f in result["class"] if one["submission"] in f["submissions"]]])
    row = rows.get((f"l{number:02}", exercise), {"percent": "0", "state": state, "needs a look": ""})
    assert says in told + row["needs a look"]
    assert float(row["percent"]) <= percent, told
    if state not in ("unreadable", "not theirs"):
        assert one["state"] == state, told
    if not says:
        assert float(row["percent"]) == percent, told


def test_what_a_bundle_hides_can_be_made_to_count(
    course: tuple[Path, dict[str, Any], dict[tuple[str, str], dict[str, str]]],
) -> None:
    top, _, _ = course
    work = top / "sessions/l00/press-limit/work"
    shell(work, "touch left.orig; git bundle create -q ../../../../untidy.bundle --all")

    def percent() -> float:
        (one,) = json.loads(muddled("grade", "untidy.bundle", "--json", folder=top).stdout)["submissions"]
        return float(one["percent"])

    assert percent() == 100
    muddled("ledger", "--unseen", "missed", folder=top)
    assert percent() == pytest.approx(100 * 23 / 26, abs=0.1)
    muddled("ledger", "--unseen", "default", folder=top)
    assert percent() == 100
    shell(work, "rm left.orig")


CLONES = {
    "a clone with the remote's branches alone": "git clone -q {0} {1}",
    "a commit checked out, as continuous integration does": "git init -q {1}; cd {1}; git fetch -q {0} '+refs/heads/*:refs/remotes/origin/*'; git checkout -q --detach refs/remotes/origin/main",
    "a shallow clone": "git clone -q --depth 1 --no-single-branch file://{0} {1}",
    "a mirror": "git clone -q --mirror {0} {1}",
}


@pytest.mark.parametrize("name", CLONES)
def test_clones_are_graded_by_what_they_hold(
    name: str, course: tuple[Path, dict[str, Any], dict[tuple[str, str], dict[str, str]]], tmp_path: Path
) -> None:
    top, _, _ = course
    shell(tmp_path, CLONES[name].format(top / "sessions/l00/press-limit/work", tmp_path / "clone"))
    said = [
        muddled(
            "grade", tmp_path / "clone", *others, "--json", "--ledger", top / "orchard.db", folder=top
        ).stdout
        for others in ((), (top / "back/l00",))  # what else is graded makes no difference
    ]
    results = [json.loads(text)["submissions"][0] for text in said]
    assert [(one["learner"], one["percent"], one["state"]) for one in results] == [
        ("l00", 100, "finished")
    ] * 2, results
    alone = muddled(
        "grade", tmp_path / "clone", "--json", code=2 if "shallow" in name else 0, folder=tmp_path
    )
    (one,) = json.loads(alone.stdout)["submissions"]
    if "shallow" in name:  # nothing but the ledger knows which exercise it is
        assert "git fetch --unshallow" in one["reason"]
    else:
        assert one["percent"] == 100


def test_what_is_deleted_is_gone_at_the_remote_too(tmp_path: Path) -> None:
    text = Path("src/muddled_orchard/catalogue/there-and-back.toml").read_text("utf-8")
    text = text.replace(
        'message = "Press on one more day in winter"', 'message = "Press on"\npublish = ["winter-rota"]'
    )
    (tmp_path / "gone.toml").write_text(text.replace('"there-and-back"', '"gone"'), "utf-8")
    muddled("plant", "gone.toml", "one", folder=tmp_path)
    assert (tmp_path / "one/origin.git/HEAD").read_text() == "ref: refs/heads/main\n"
    right = (
        "git checkout -q winter-rota; git merge -q main >/dev/null || true\n"
        "sed -i -e '/^=======/,/^>>>>>>>/d' -e '/^<<<<<<</d' rota.txt; git commit -qam m\n"
        "git checkout -q main; git merge -q --no-ff --no-edit winter-rota; git push -q origin main; git branch -qD winter-rota\n"
    )
    shell(tmp_path / "one/work", right)
    delivered = [
        graded(tmp_path / "one", "--scenarios", tmp_path / "gone.toml")["one"]["criteria"]["delivered"]
    ]
    shell(tmp_path / "one/work", "git push -q origin :winter-rota")
    delivered.append(
        graded(tmp_path / "one", "--scenarios", tmp_path / "gone.toml")["one"]["criteria"]["delivered"]
    )
    assert [one["outcome"] for one in delivered] == ["partly", "met"]
    assert "origin still has winter-rota" in delivered[0]["because"]
