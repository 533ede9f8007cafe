"""A course goes on: scenarios are mended, people join late, get more time, begin again, work in teams."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from muddled_orchard.core.exercise.changed_story import first_change
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.files.scenarios.catalogue import load, scenario_path
from tests.conftest import database, graded, muddled, shell
from tests.hosts import course_of, hosted, pushes_of, until
from tests.test_class import RIGHT, WRONG
from tests.test_host import works

JAM = scenario_path("press-limit").read_text("utf-8").replace('id = "press-limit"', 'id = "jam"')
THEIRS, OURS = 'keep = ["theirs"]', 'keep = ["ours"]'


def course(folder: Path, exercises: str, learners: str = "ada bo", more: str = "") -> None:
    """A course file with its scenario and roster."""
    folder.mkdir(exist_ok=True)
    (folder / "course.toml").write_text(f'roster = "roster.csv"\nout = "out"\n{more}\n{exercises}', "utf-8")
    rows = "".join(f"{id_},{id_.title()}\n" for id_ in learners.split())
    (folder / "roster.csv").write_text(f"id,name\n{rows}", "utf-8")


def unpacked(top: Path, learner: str, exercise: str = "jam") -> Path:
    """What a learner got, unpacked among what is handed in; the folder that they work in."""
    place = top / "in" / f"{learner}-{exercise}"
    place.mkdir(parents=True, exist_ok=True)
    shell(place, f"tar xzf {top}/out/{exercise}/{learner}.tar.gz")
    return place / exercise / "work"


CHANGES = {
    "a brief": ("two shifts", "both shifts", ""),
    "an answer": (THEIRS, OURS, ""),
    "a message": ("Lower the pressure limit at night", "Lower it", 'commit 2 ("Lower it", on night-shift) is not as it was'),
    "a date": ("minutes = 35", "minutes = 36", "commit 2 ("),
    "a file": ("brush", "broom", 'commit 1 ("'),
    "a value of some": ('"41", "42"', '"40", "42"', "commit "),
    "work that lies there": ("[cast]", '[start]\nwrite = { "new.txt" = "x\\n" }\n[cast]', "the work that is not committed"),
}  # fmt: skip


@pytest.mark.parametrize("name", CHANGES)
def test_what_a_changed_scenario_still_hands_out(name: str, tmp_path: Path) -> None:
    before, after, says = CHANGES[name]
    (tmp_path / "jam.toml").write_text(JAM)
    old = Variants(load(tmp_path / "jam.toml"))
    (tmp_path / "jam.toml").write_text(JAM.replace(before, after))
    said = first_change(old, Variants(load(tmp_path / "jam.toml")), [f"v{number}" for number in range(40)])
    assert said.startswith(says) if says else said == ""


def test_a_mended_scenario_goes_on_and_a_changed_one_for_those_who_have_not_begun(tmp_path: Path) -> None:
    course(tmp_path, '[[exercise]]\nscenario = "jam.toml"\n')
    (tmp_path / "jam.toml").write_text(JAM.replace(THEIRS, OURS))
    muddled("handout", "-q", folder=tmp_path)
    shell(unpacked(tmp_path, "ada"), RIGHT)
    assert "12 of 26 points" in muddled("grade", "in", folder=tmp_path).stdout
    # The key is mended, and the letter of a brief; somebody joins late.
    (tmp_path / "jam.toml").write_text(JAM.replace("cracked", "broke"))
    told = muddled("grade", "in", "--compare", folder=tmp_path).stdout
    assert "46 -> 100" in " ".join(told.split())
    assert "Why: the scenario was changed" in told
    course(tmp_path, '[[exercise]]\nscenario = "jam.toml"\n', "ada bo cyd")
    done = muddled("handout", folder=tmp_path)
    assert "1 handed out, 2 there already" in done.stdout
    assert "jam was changed, and hands out what it did: 2 hand-outs are graded by it" in done.stderr
    assert "26 of 26 points" in muddled("grade", "in", folder=tmp_path).stdout
    with database(tmp_path / "orchard.db") as db:
        ((versions,),) = db.execute("SELECT count(DISTINCT scenario) FROM grading")
        ((kept,),) = db.execute("SELECT count(*) FROM scenario")
    assert (versions, kept) == (2, 2), "the ledger keeps which version each was graded by"
    # Now the story itself: it is refused, with what differs; whoever has not begun may have it.
    (tmp_path / "jam.toml").write_text(JAM.replace("minutes = 35", "minutes = 36"))
    refused = muddled("handout", folder=tmp_path, code=2).stderr
    assert "jam was changed after it had been handed out: commit 2 (" in refused
    assert "muddled handout jam --anew LEARNER..." in refused
    assert "graded as it was handed out" in muddled("grade", "in", folder=tmp_path).stderr
    assert "ada has begun jam" in muddled("handout", "--anew", "ada", folder=tmp_path, code=2).stderr
    assert "1 handed out, 2 there already" in muddled("handout", "--anew", "bo", folder=tmp_path).stdout
    shell(unpacked(tmp_path, "bo"), RIGHT)
    assert "0 handed out" in muddled("handout", folder=tmp_path).stdout
    assert {name: one["percent"] for name, one in graded(tmp_path / "in", "--ledger", tmp_path / "orchard.db").items()} == {"ada": 100, "bo": 100}  # fmt: skip


def test_the_same_once_more_or_another(tmp_path: Path) -> None:
    course(tmp_path, '[[exercise]]\nscenario = "press-limit"\n')
    muddled("handout", "-q", folder=tmp_path)
    first = (tmp_path / "out/press-limit/ada.tar.gz").read_bytes()
    shell(unpacked(tmp_path, "ada", "press-limit"), RIGHT)
    (tmp_path / "out/press-limit/ada.tar.gz").unlink()
    muddled("handout", "--afresh", "ada", "press-limit", folder=tmp_path)
    assert (tmp_path / "out/press-limit/ada.tar.gz").read_bytes() == first
    told = muddled("handout", "--afresh", "ada", "press-limit", "--other", "--json", folder=tmp_path).stdout
    (other,) = json.loads(told)["hand_outs"]
    shell(tmp_path, "mkdir in/again; tar xzf out/press-limit/ada.tar.gz -C in/again")
    shell(tmp_path / "in/again/press-limit/work", RIGHT.replace("/^=======/d", "/^=======/d"))
    table = json.loads(muddled("grade", "in", "--json", folder=tmp_path).stdout)["submissions"]
    assert [(one["learner"], one["percent"]) for one in table] == [("ada", 100), ("ada", 100)]
    assert other["variant"] in {one["variant"] for one in table}
    for words, says in {
        "--afresh eve press-limit": "eve was not handed out press-limit",
        "--afresh ada presslimit": "ada was not handed out presslimit\n  Did you mean",
        "--afresh ada press-limit --push x": "--afresh is for one learner",
        "--other": "--other goes with --afresh",
    }.items():
        assert says in muddled("handout", *words.split(), folder=tmp_path, code=2).stderr, words


def test_a_host_goes_on_with_a_mended_key(tmp_path: Path) -> None:
    folder = tmp_path / "course"
    folder.mkdir()
    (folder / "jam.toml").write_text(JAM)
    course_of(folder, ["ada"], 'feedback = "full"\n[[exercise]]\nscenario = "jam.toml"')
    with hosted(folder) as host:
        assert "Push 1: not yet" in works(host, "ada", WRONG, exercise="jam")
        (folder / "jam.toml").write_text(JAM.replace(THEIRS, OURS).replace("cracked", "broke"))
        assert until(lambda: "1 earlier result is graded anew" in (folder / "host.err").read_text())
        assert until(lambda: pushes_of(folder) == [("ada", "jam", True)])
        assert until(lambda: "Got it" in host.page("ada", "exercise/jam"))
        assert "broke" in host.page("ada", "exercise/jam")
    # It begins again with what was mended while it stood still.
    (folder / "jam.toml").write_text(JAM)
    with hosted(folder) as host:
        assert until(lambda: "Not yet" in host.page("ada", "exercise/jam"))
    with database(folder / "orchard.db") as db:
        assert db.execute("SELECT count(*) FROM grading").fetchone() == (3,)
