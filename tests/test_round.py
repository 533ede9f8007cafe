"""The round through archives for every operation, what runs elsewhere than on Linux, and what is told on the
way."""

from __future__ import annotations

import io
import multiprocessing
import re
import shutil
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rich.console import Console

from muddled_orchard.classroom import handing_out, making
from muddled_orchard.classroom.marking import GradingRun
from muddled_orchard.commands.commands_page import commands_page
from muddled_orchard.commands.parser import COMMANDS, whole_parser
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.git.trees import File
from muddled_orchard.core.submission.file_source import below
from muddled_orchard.files.archives.packing import pack
from muddled_orchard.files.archives.submissions import Handed, find_submissions
from muddled_orchard.files.archives.unpacking import unpacked_bytes
from muddled_orchard.files.course import ledger_file as ledger_module
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.ledger_schema import MIGRATIONS
from muddled_orchard.files.scenarios.bundled import bundled_ids
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.show.terminal import bar, progress
from muddled_orchard.system import workers
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.planting import plant_example, read_files
from tests.conftest import all_marked, database, muddled, shell

ROSTER = [Learner("ada", "Ada Quince"), Learner("bo", "Bo Medlar")]


def handed_out(top: Path, exercises: list[str], *, form: str = "tar.gz", jobs: int = 2) -> Ledger:
    """Hand exercises out to two learners."""
    checked = handing_out.exercises_in(exercises, form)
    ledger = Ledger(top / "orchard.db", create=True)
    enrolment = handing_out.enrol(ledger, checked, ROSTER, top / "out")
    with making.made(enrolment.exercises, enrolment.wanted, top / "out", jobs) as portions:
        for portion in portions:
            ledger.add_hand_outs(portion)
    return ledger


def test_the_whole_catalogue_goes_out_and_comes_back(tmp_path: Path) -> None:
    """Ada hands in untouched what she got, Bo solves it; both as archives."""
    ledger = handed_out(tmp_path, bundled_ids())
    given_out = ledger.hand_outs()
    assert len(given_out) == 2 * len(bundled_ids())
    assert len({one.variant for one in given_out}) == len(given_out)
    library = ScenarioLibrary()
    scratch = ScratchRepository(tmp_path / "scratch.git")
    back = tmp_path / "back"
    back.mkdir()
    for one in given_out:
        packed = tmp_path / "out" / one.file
        scenario = library.find(one.exercise)
        assert scenario is not None
        if one.learner == "ada":
            if not scenario.start.own:  # there is nothing yet that could come back
                shutil.copy(packed, back / f"ada-{one.exercise}.tar.gz")
            continue
        (tmp_path / "session").mkdir(exist_ok=True)
        shell(tmp_path / "session", f"tar xf {packed}")
        place = tmp_path / "session" / one.exercise
        key = make_key(scratch, scenario, one.variant)
        assert one.first_commit in key.handed_out or scenario.start.own
        if scenario.start.own:  # as somebody would who begins as the example does
            shutil.rmtree(place)
            plant_example(scenario, place, one.variant)
        session = LearnerSession(place / "work", key, "bo")
        session.commit_work()
        named("right").act(session)
        (back / f"{one.exercise}.zip").write_bytes(pack(dict(read_files(place)), one.exercise, "zip"))
    course = GradingRun(library, ledger)
    results = all_marked(find_submissions([back]).handed, course, Bounds(), 2)
    ledger.close()
    marks = {(one.learner, one.assessment.exercise): one.assessment for one in results}
    assert len(marks) == 2 * len(bundled_ids()) - 1
    for (learner, exercise), assessment in marks.items():
        state = "untouched" if learner == "ada" else "finished"
        assert (assessment.state, assessment.percent) == (state, 0 if learner == "ada" else 100), (
            exercise,
            assessment.reason,
        )
        assert assessment.needs_a_look == (), exercise


def test_processes_that_are_not_forked_do_the_same(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    handed_out(tmp_path, ["press-limit"], jobs=1).close()
    monkeypatch.setattr(workers, "context", lambda: multiprocessing.get_context("spawn"))
    monkeypatch.setattr(making, "MOST_AT_ONCE", 1)
    shutil.copytree(tmp_path / "out", tmp_path / "before")
    shutil.rmtree(tmp_path / "out")
    ledger = handed_out(tmp_path, ["press-limit"])
    assert shell(tmp_path, "diff -r before out") == ""
    handed = [Handed(path, path.name) for path in sorted((tmp_path / "out/press-limit").iterdir())]
    results = all_marked(handed, GradingRun(ScenarioLibrary(), ledger), Bounds(), 2)
    ledger.close()
    assert [(one.learner, one.assessment.state) for one in results] == [
        ("ada", "untouched"),
        ("bo", "untouched"),
    ]


def test_folders_are_put_in_place_whole(tmp_path: Path) -> None:
    handed_out(tmp_path, ["press-limit"], form="folder").close()
    assert sorted(path.name for path in (tmp_path / "out/press-limit").iterdir()) == ["ada", "bo"]
    shutil.rmtree(tmp_path / "out/press-limit/ada")
    handed_out(tmp_path, ["press-limit"], form="folder").close()
    assert shell(tmp_path / "out/press-limit/ada/work", "git status --porcelain") == ""


def test_an_older_ledger_is_brought_up_to_date(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    handed_out(tmp_path, ["press-limit"]).close()
    later = (
        *MIGRATIONS,
        "ALTER TABLE learner ADD COLUMN left TEXT;\nCREATE TABLE term (name TEXT) STRICT;\n",
    )
    monkeypatch.setattr(ledger_module, "MIGRATIONS", later)
    for _ in range(2):
        ledger = Ledger(tmp_path / "orchard.db")
        assert [one.learner for one in ledger.hand_outs()] == ["ada", "bo"]
        assert list(ledger.learners()) == ["ada", "bo"]
        ledger.close()
    with database(tmp_path / "orchard.db") as db:
        assert db.execute("PRAGMA user_version").fetchone() == (len(later),)
        assert db.execute("SELECT count(*) FROM term").fetchone() == (0,)
    broken = (*later, "CREATE TABLE half (name TEXT);\nCREATE TABLE term (name TEXT);\n")
    monkeypatch.setattr(ledger_module, "MIGRATIONS", broken)
    with pytest.raises(Exception, match="already exists"):
        Ledger(tmp_path / "orchard.db")
    with database(tmp_path / "orchard.db") as db:
        assert db.execute("SELECT count(*) FROM sqlite_master WHERE name = 'half'").fetchone() == (0,)


@settings(max_examples=60, deadline=None)
@given(
    st.dictionaries(
        st.lists(st.text("ab.ö ", min_size=1, max_size=70).filter(lambda name: name.strip(". ")), min_size=1, max_size=3).map("/".join),
        st.tuples(st.sampled_from([0o100644, 0o100755, 0o100444]), st.binary(max_size=1500)),
        max_size=6,
    ),
    st.sampled_from(["tar.gz", "zip"]),
)  # fmt: skip
def test_whatever_is_packed_is_unpacked(files: dict[str, tuple[int, bytes]], form: str) -> None:
    folders = {path.rpartition("/")[0] for path in files}
    held = {
        path: File(*file)
        for path, file in files.items()
        if not any(f"{f}/".startswith(f"{path}/") for f in folders)
    }
    place = unpacked_bytes(pack(held, "t", form), Bounds()) if held or form == "zip" else None
    found = {path.removeprefix("t/"): entry for path, entry in below(place)} if place else {}
    assert found.keys() == held.keys()
    for path, file in held.items():
        assert place is not None
        assert place.read(f"t/{path}", 2000) == file.data
        assert found[path].executable == (file.mode == 0o100755)


def test_long_work_tells_how_far_it_is(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    clock = iter(range(0, 1000, 2))
    monkeypatch.setattr("time.monotonic", lambda: next(clock))
    portions = [["x"] * 5] * 6
    assert list(progress.with_progress(portions, 30, "Grading", quiet=False, size=len)) == portions
    told = capsys.readouterr().err.splitlines()
    assert told == ["Grading: 10 of 30, 2/s, 8 s left", "Grading: 20 of 30, 2/s, 4 s left"]
    assert list(progress.with_progress([1, 2], 2, "Grading", quiet=True)) == [1, 2]
    monkeypatch.undo()
    screen = Console(file=io.StringIO(), force_terminal=True, width=80)
    monkeypatch.setattr(bar, "console", lambda *_: screen)
    monkeypatch.setattr("sys.stderr.isatty", lambda: True)
    assert list(progress.with_progress([1, 2, 3], 3, "Grading", quiet=False)) == [1, 2, 3]
    assert capsys.readouterr().err == ""


def test_the_readme_names_every_command_and_the_page_of_commands_every_option() -> None:
    readme = Path("README.md").read_text("utf-8").splitlines()
    assert [f"| `muddled {name}` | {what} |" for name, what in COMMANDS.items()] == [line for line in readme if line.startswith("| `")]  # fmt: skip
    assert len(readme) < 160
    made = commands_page(whole_parser())
    assert Path("docs/commands.md").read_text("utf-8") == made, "run scripts/schema"
    for command, part in zip(COMMANDS, made.split("\n## ")[1:], strict=True):
        options = set(re.findall(r"(?<![\w-])(--[a-z-]+)", muddled(command, "--help").stdout)) - {"--help"}
        assert options <= set(re.findall(r"(--[a-z-]+)", part)), command


BUNDLES = {
    "all": "git bundle create -q ../x.bundle --all",
    "main alone": "git bundle create -q ../x.bundle main HEAD",
    "without HEAD": "git bundle create -q ../x.bundle main night-shift",
    "of version 3": "git bundle create -q --version=3 ../x.bundle --all",
    "with deltas": "git repack -qadf --depth=50; git bundle create -q ../x.bundle --all",
    "from a detached HEAD": "git checkout -q --detach; git bundle create -q ../x.bundle --all",
    "with a tag": "git tag -a v1 -m x; git bundle create -q ../x.bundle --all",
}


@pytest.mark.parametrize("name", BUNDLES)
def test_bundles(name: str, planted: Path) -> None:
    shell(
        planted / "work",
        "git merge -q night-shift >/dev/null || true\n"
        "sed -i -e '/^<<<<<<</,/^=======/d' -e '/^>>>>>>>/d' press.toml; git commit -qam merged\n"
        + BUNDLES[name],
    )
    (one,) = all_marked([Handed(planted / "x.bundle", "x")], GradingRun(ScenarioLibrary()), Bounds(), 1)
    lacking = {c.id for c in one.assessment.criteria if c.outcome.verdict in ("partly", "missed")}
    # Branches that were left out of a bundle can't be told from deleted ones.
    assert lacking == ({"bystanders"} if name == "main alone" else set())
    assert one.assessment.state == "finished"
