"""Feedback for each: what it says, what it keeps, and that names stay text."""

from __future__ import annotations

import json
import re
import zipfile
from pathlib import Path

import pytest
from markdown_it import MarkdownIt
from msgspec.structs import replace

from muddled_orchard.core.course.feedback import ExerciseDone, Telling, feedback
from muddled_orchard.core.course.practise_next import like, practise_next
from muddled_orchard.core.course.totals import ExerciseMark
from muddled_orchard.core.document import Document, Heading, Items, Links, Paragraph, Texts
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.finding import kept
from muddled_orchard.core.grading.kinds.worked import Amended
from muddled_orchard.core.grading.settling import Settlement, settled
from muddled_orchard.core.key.exercise_summary import Difficulty, ExerciseSummary
from muddled_orchard.show.document.page import document_page
from muddled_orchard.show.document.text import markdown, plain_text
from tests.classes import Works, ledger_of, result
from tests.conftest import muddled, shell

HOSTILE = "<script>alert(1)</script> \x1b[31m [x](javascript:alert(1)) *b* `c` # d\u202e\n=1+1"
WRONG = result("press-limit", ["ours", "theirs"], tidy=False)
MARK = ExerciseMark(exercise="press-limit", weight=1, attempt=None, attempts=2, passed=None)


def document(telling: Telling, found: object = WRONG, name: str = "Ada Quince") -> Document:
    done = [ExerciseDone("press-limit", "Two limits", MARK, found)]  # type: ignore[arg-type]
    return feedback(name, "Conflicts", done, 50, telling, ())


# What is asked for, what is told, and what is not.
TOLD: dict[str, tuple[Telling, tuple[str, ...], tuple[str, ...]]] = {
    "key": (Telling(key=True), ("wanted: theirs (night-shift)", "limit = 3", "It is the safe one.", "A file too many"), ("Look at",)),
    "plain": (Telling(), ("ours (main) was kept", "what you left", "base"), ("wanted", "It is the safe one.", "git log")),
    "hint 1": (Telling(hint=1), ("what you left",), ("wanted", "was kept", "It is the safe one.", "git log")),
    "hint 3": (Telling(hint=3), ("was kept", "git log -p -- press.toml"), ("wanted", "It is the safe one.")),
}  # fmt: skip


@pytest.mark.parametrize("name", TOLD)
def test_how_much_is_told(name: str) -> None:
    telling, told, kept_back = TOLD[name]
    for write in (document_page, markdown, plain_text):
        text = re.sub(r"</?a\b[^>]*>|<section.*", "", write(document(telling))).replace("\\", "")
        for part in told:
            assert part in text, (write, part)
        for part in kept_back:
            assert part not in text, (write, part)
        assert "1 conflict is not resolved as the brief asks (4 of 8 points)" in text
        assert "You handed it in twice" in text


def test_who_got_it_is_told_why_and_how_they_worked() -> None:
    right = replace(result("press-limit", ["theirs"]), worked=(kept(Amended(2)),))
    text = plain_text(document(Telling(), right))
    assert "Got it: 10 of 10 points (100 %)." in text
    assert "It is the safe one." in text
    assert "How you worked" in text
    assert "They have the shape that was asked for." in text
    none = plain_text(document(Telling(), None))
    assert "There is no attempt" in none


def test_a_persons_word_on_all_of_it_goes_before_what_was_found() -> None:
    def told(found: Assessment, earned: float) -> str:
        said = Settlement(learner="ada", exercise="press-limit", work="", about="all", earned=earned, by="maren", reason="Seen")  # fmt: skip
        return plain_text(document(Telling(), settled(found, [said])))

    untouched = replace(result("press-limit", ["ours"], tidy=False), state="untouched", hunks=(), unmet=1)
    assert "Got it: 10 of 10 points (100 %)." in told(untouched, 1.0)
    half = told(result("press-limit", ["theirs"]), 0.5)
    assert "Almost: 5 of 10 points (50 %)." in half
    assert "What is not" not in half  # the grader found nothing
    assert "1 conflict was never met" in plain_text(document(Telling(), replace(WRONG, unmet=1)))


def test_hostile_texts_stay_text() -> None:
    hunk = replace(WRONG.hunks[0], file=HOSTILE, left=f"{HOSTILE}\n````\n", subject=HOSTILE)
    found = replace(WRONG, hunks=(hunk,), title=HOSTILE)
    one = document(Telling(key=True), found, name=HOSTILE)
    page = document_page(one)
    assert "<script>alert" not in page
    assert "default-src 'none'" in page
    rendered = MarkdownIt("commonmark").render(markdown(one))
    assert "<script>" not in rendered
    assert "<a " not in rendered
    assert "<em>" not in rendered
    assert rendered.count("<h1>") == 1
    for text in (page, markdown(one), plain_text(one)):
        assert "\x1b" not in text
        assert "\u202e" not in text


def test_what_to_practise_is_like_what_went_wrong() -> None:
    def known(id_: str, title: str, operation: str, kind: str, points: int) -> ExerciseSummary:
        hard = Difficulty(points, "easy", ())
        return ExerciseSummary(
            id=id_, title=title, operations=(operation,), kinds=(kind,), hunks=1, difficulty=hard
        )

    own = known("own", "Own", "merge", "contents", 4)
    bundled = [
        known("hard", "Hard", "merge", "contents", 9),
        known("easier", "Easier", "merge", "contents", 2),
        known("near", "Near", "merge", "contents", 4),
        known("other-kind", "Other", "merge", "binary", 4),
        known("rebase", "Rebase", "rebase", "contents", 4),
    ]
    assert [link.id for link in like(own, bundled)] == ["near", "easier", "hard", "other-kind"]
    next_ones = practise_next(["own", "unknown"], {"own": like(own, bundled)}, {"near"})
    assert [link.id for link in next_ones] == ["easier", "hard"]
    assert next_ones[0].why == "also a merge, with a conflict of the same kind (contents)"
    assert "muddled plant easier practice" in plain_text(Document((Heading(1, "x"), Links(next_ones))))


def test_plain_text_is_narrow_and_markdown_begins_no_list() -> None:
    blocks = (Heading(1, "T"), Paragraph("word " * 60, "missed"), Items(("- a", "1. b", "+ c")), Texts(()))
    assert max(map(len, plain_text(Document(blocks)).splitlines())) <= 78
    assert MarkdownIt("commonmark").render(markdown(Document(blocks))).count("<ul>") == 1


@pytest.fixture
def course(tmp_path: Path) -> Path:
    names = {"ada": HOSTILE.replace("\n", " "), "bo": "Bo Medlar"}
    works: Works = {
        "ada": {"press-limit": [WRONG], "three-knots": [result("three-knots", ["theirs"])]},
        "bo": {"press-limit": [], "three-knots": [result("three-knots", ["ours"])]},
        "cyd": {"press-limit": [], "three-knots": []},
    }
    ledger_of(tmp_path / "orchard.db", works, names)
    return tmp_path


def test_everybody_gets_all_forms_in_the_layout_they_came_in(course: Path) -> None:
    said = muddled("reply", "--out", "fb", "--zip", "fb.zip", folder=course).stdout
    assert "3 learners: fb/LEARNER/ has feedback.html, feedback.md and feedback.txt." in said
    assert "Nothing in it says what was wanted" in said
    assert sorted(path.relative_to(course / "fb").as_posix() for path in (course / "fb").rglob("*.*")) == [
        f"{learner}/feedback.{form}" for learner in ("ada", "bo", "cyd") for form in ("html", "md", "txt")
    ]
    assert (course / "fb/ada/feedback.md").stat().st_mode & 0o077 == 0
    with zipfile.ZipFile(course / "fb.zip") as archive:
        assert sorted(archive.namelist()) == [f"{learner}_0/feedback.{form}" for learner in ("ada", "bo") for form in ("html", "md", "txt")]  # fmt: skip
    bo = (course / "fb/bo/feedback.txt").read_text()
    assert "You have tried 1 of 2 exercises" in bo
    assert "What to practise next" in bo
    muddled("reply", "bo", "--exercise", "press-limit", "--out", "one", "--quiet", folder=course)
    assert [path.name for path in (course / "one").iterdir()] == ["bo"]
    assert "Three" not in (course / "one/bo/feedback.txt").read_text()
    muddled("settle", "cyd", "press-limit", "--met", "--reason", "Showed it", folder=course)
    muddled("settle", "ada", "press-limit", "--on", "press.toml:1", "--met", "--reason", "Well argued", folder=course)  # fmt: skip
    muddled("reply", "--out", "fb", "--quiet", folder=course)
    assert "100 %, as a person settled it" in (course / "fb/cyd/feedback.txt").read_text()
    assert "Well argued" in (course / "fb/ada/feedback.html").read_text()


WRONG_USE = {
    "reply": "where to?",
    "reply --out fb --key --hint 2": "--key tells everything",
    "reply dee --out fb": 'there is no learner "dee"',
    "reply --exercise press --out fb": 'there is no exercise "press"\n  Did you mean "press-limit"?',
    "reply --out fb --ledger none.db": "there is no such ledger",
}


def test_wrong_use_writes_nothing(course: Path) -> None:
    for words, told in WRONG_USE.items():
        assert told.casefold() in muddled(*words.split(), folder=course, code=2).stderr.casefold()
    assert not (course / "fb").exists()
    (course / "fb").write_text("no folder")
    assert "fb" in muddled("reply", "--out", "fb", folder=course, code=2).stderr


def test_the_layout_is_that_of_a_platforms_export(tmp_path: Path) -> None:
    (tmp_path / "roster.csv").write_text("id,name\nada,Ada Quince\nbo,Bo Medlar\n")
    muddled("handout", "press-limit", "--roster", "roster.csv", "--out", "out", folder=tmp_path)
    script = """
    mkdir -p 'all/Ada Quince_10423_file' 'all/Bo Medlar_10424_file'
    cp out/press-limit/ada.tar.gz 'all/Ada Quince_10423_file/done.tar.gz'
    cp out/press-limit/bo.tar.gz 'all/Bo Medlar_10424_file/my work.tar.gz'
    python3 -m zipfile -c export.zip all/*
    """
    shell(tmp_path, script)
    muddled("grade", "export.zip", "--quiet", folder=tmp_path)
    muddled("reply", "--zip", "back.zip", "--quiet", folder=tmp_path)
    with zipfile.ZipFile(tmp_path / "back.zip") as archive:
        assert {name.partition("/")[0] for name in archive.namelist()} == {"Ada Quince_10423_file", "Bo Medlar_10424_file"}  # fmt: skip
        assert "There is no attempt" in archive.read("Bo Medlar_10424_file/feedback.txt").decode()
    assert json.loads(muddled("ledger", "--json", folder=tmp_path).stdout)["gradings"]
