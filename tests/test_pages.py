"""Every page in a real browser: light and dark, narrow and wide, printed, by keyboard, without network or error.

It takes Chromium, and axe-core for accessibility; `scripts/browser` installs both where it can.
"""

from __future__ import annotations

import random
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, sync_playwright

from muddled_orchard.classroom.standing import read_class
from muddled_orchard.classroom.tallying import tally_of
from muddled_orchard.commands.tally.page import tally_page
from muddled_orchard.core.course.item_figures import ItemStatistics
from muddled_orchard.core.course.items import item_statistics
from muddled_orchard.core.course.likeness import Pair, Shared
from muddled_orchard.core.course.tally import (
    OUTCOMES,
    ConflictId,
    ConflictTally,
    CriterionTally,
    ExerciseTally,
    Outcome,
    Tally,
)
from muddled_orchard.files.course.ledger import Ledger
from tests.classes import ledger_of, random_class, result
from tests.conftest import muddled
from tests.scenarios import HEADER

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser")
AXE = Path(__file__).parent.parent / "build/axe/node_modules/axe-core/axe.min.js"

pytestmark = pytest.mark.skipif(CHROMIUM is None, reason="Chromium is not installed (scripts/browser)")

WRONG = result("press-limit", ["ours", "unresolved"], tidy=False)
HOSTILE = "<img src=x onerror=alert(1)> \u202e\"'&lt; Zoë"
WIDTHS = (360, 768, 1280)

HOSTILE_STORY = """
[[story]]
on = "main"
by = "maren"
message = "<img src=x onerror=alert(2)> & </pre></script>"
write = { "a & b's.txt" = "one\\n<script>alert(3)</script>\\nthree\\n", "wide.txt" = "%s\\n" }

[[story]]
on = "side"
from = "main"
by = "tobias"
message = "Other"
change = [{ file = "a & b's.txt", find = "alert(3)", put = "alert(4)" }]

[[story]]
on = "main"
by = "maren"
message = "Own"
change = [{ file = "a & b's.txt", find = "alert(3)", put = "alert(5)" }]

[[task]]
do = "merge"
on = "main"
bring = "side"

[[answer]]
file = "a & b's.txt"
keep = ["theirs"]
why = "<b>Because</b>"
""" % ("x" * 300)


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        yield opened
        opened.close()


@pytest.fixture(scope="module")
def pages(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """A class page, a feedback page and a brief, with hostile names."""
    folder = tmp_path_factory.mktemp("pages")
    works = random_class(12, ["press-limit", "cellar-by-rebase"], 3, seed=5)
    works["l00000"]["press-limit"].append(
        result("press-limit", ["ours", "unresolved"], tidy=False, left=HOSTILE * 9)
    )
    ledger_of(folder / "orchard.db", works, {"l00000": HOSTILE, "l00001": "a" * 90})
    ledger = Ledger(folder / "orchard.db")
    counted = tally_of(ledger, read_class(ledger))
    ledger.close()
    pairs = [Pair("l00000", "l00001", (Shared("text", "press-limit", HOSTILE),), 20.0)]
    statistics: ItemStatistics = item_statistics(counted)
    (folder / "class.html").write_text(tally_page(counted, statistics, pairs))
    muddled("reply", "--out", "fb", "--key", "--quiet", folder=folder)
    (folder / "roster.csv").write_text("id,name\nada,Ada\n")
    muddled("handout", "press-limit", "--roster", "roster.csv", "--out", "out", "--pack", "folder", "--ledger", "o.db", folder=folder)  # fmt: skip
    hostile = HEADER.replace("Notes on the hives", HOSTILE.replace('"', "'")) + HOSTILE_STORY
    (folder / "hive-notes.toml").write_text(hostile, "utf-8")
    muddled("walkthrough", "hive-notes.toml", "--to", "walkthrough.html", folder=folder)
    muddled("survey", "hive-notes.toml", "early-merges", "late-merge", "rebase-four", "gone-price-list", "label-picture", "--page", "survey.html", "--quiet", folder=folder)  # fmt: skip
    return {
        "walkthrough": folder / "walkthrough.html",
        "survey": folder / "survey.html",
        "class": folder / "class.html",
        "feedback": folder / "fb/l00000/feedback.html",
        "brief": folder / "out/press-limit/ada/BRIEF.html",
    }


PAGES = ("class", "feedback", "brief", "walkthrough", "survey")


def opened(browser: Browser, path: Path, **more: Any) -> tuple[Page, list[str]]:
    """The page, and what went wrong while it was opened: requests, errors, dialogs."""
    page = browser.new_context(**more).new_page()
    wrong: list[str] = []
    page.on(
        "console",
        lambda message: wrong.append(message.text) if message.type in ("error", "warning") else None,
    )
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.on("dialog", lambda dialog: wrong.append(dialog.message))
    page.on("request", lambda asked: wrong.append(asked.url) if asked.url != path.as_uri() else None)
    page.goto(path.as_uri())
    return page, wrong


@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.parametrize("name", PAGES)
def test_a_page_reads_at_every_width_without_a_request_or_an_error(
    name: str, scheme: str, browser: Browser, pages: dict[str, Path]
) -> None:
    page, wrong = opened(browser, pages[name], color_scheme=scheme)
    for width in WIDTHS:
        page.set_viewport_size({"width": width, "height": 800})
        assert page.evaluate("document.documentElement.scrollWidth") <= width, width
    dark = page.evaluate("getComputedStyle(document.body).backgroundColor") == "rgb(29, 29, 32)"
    assert dark == (scheme == "dark")
    assert wrong == []
    assert page.locator("img").count() == 0
    page.context.close()


@pytest.mark.skipif(not AXE.is_file(), reason="axe-core is not there (scripts/browser)")
@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.parametrize("name", PAGES)
def test_an_accessibility_checker_finds_nothing(
    name: str, scheme: str, browser: Browser, pages: dict[str, Path]
) -> None:
    # It is put into the page from outside, past the page's own policy.
    page, _ = opened(
        browser, pages[name], color_scheme=scheme, bypass_csp=True, viewport={"width": 1280, "height": 900}
    )
    page.evaluate("document.querySelectorAll('details').forEach((one) => { one.open = true; })")
    page.add_script_tag(path=AXE)
    found = page.evaluate("axe.run({ resultTypes: ['violations'] })")
    told = [(one["id"], [node["html"][:200] for node in one["nodes"][:3]], [node["failureSummary"][:300] for node in one["nodes"][:1]]) for one in found["violations"]]  # fmt: skip
    assert told == []
    page.context.close()


@pytest.mark.parametrize("name", PAGES)
def test_a_page_prints(name: str, browser: Browser, pages: dict[str, Path]) -> None:
    page, _ = opened(browser, pages[name], color_scheme="dark")
    assert page.pdf(format="A4").startswith(b"%PDF")
    page.emulate_media(media="print")
    assert page.evaluate("getComputedStyle(document.body).color") == "rgb(0, 0, 0)"
    assert page.locator(".tools:visible").count() == 0
    page.context.close()


def test_the_class_page_by_keyboard_with_and_without_scripts(
    browser: Browser, pages: dict[str, Path]
) -> None:
    page, wrong = opened(browser, pages["class"])
    rows = page.locator("table.map tbody tr")
    assert rows.count() == 12
    page.locator("#find").focus()
    page.keyboard.type("zoë")
    assert page.locator("table.map tbody tr:visible").count() == 1
    assert "1 of 12" in page.locator("#shown").inner_text()
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")  # show everybody
    assert page.locator("table.map tbody tr:visible").count() == 12
    bar = page.locator(".outcomes details").first
    bar.locator("summary").focus()
    page.keyboard.press("Enter")
    count = int(bar.locator(".count").inner_text())
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")  # show them in the table
    assert page.locator("table.map tbody tr:visible").count() == count
    assert wrong == []
    page.context.close()
    plain, _ = opened(browser, pages["class"], java_script_enabled=False)
    bar = plain.locator(".outcomes details").first
    bar.locator("summary").click()
    assert bar.locator("p").is_visible()
    assert plain.locator(".tools:visible").count() == 0
    plain.context.close()


def test_the_walkthrough_by_keys_by_buttons_and_without_scripts(
    browser: Browser, pages: dict[str, Path]
) -> None:
    page, wrong = opened(browser, pages["walkthrough"], viewport={"width": 1280, "height": 800})
    shown = page.locator("section.step:visible")
    total = page.locator("section.step").count()
    assert shown.count() == 1
    assert page.locator("figure.graph:visible").count() == 1
    for press, number in (("ArrowRight", 2), ("ArrowRight", 3), ("ArrowLeft", 2), ("Home", 1), ("ArrowLeft", 1), ("End", total), ("PageUp", total - 1)):  # fmt: skip
        page.keyboard.press(press)
        assert shown.get_attribute("id") == f"step-{number}", press
        assert f"{number} " in page.locator("#where").inner_text(), "a screen reader is told"
    assert page.evaluate("document.activeElement.tagName") == "H2"
    page.locator("#on").click()
    assert page.locator("#on").is_disabled()
    page.locator("#go").select_option("step-4")
    assert shown.get_attribute("data-name") == "built"
    assert page.locator("figure.graph:visible").count() == 1, "the graph stands beside every step"
    page.locator("#all").click()
    assert shown.count() == total
    page.locator("#all").click()
    assert shown.count() == 1
    page.emulate_media(media="print")
    assert shown.count() == total, "on paper all of them"
    assert page.locator("figure.again:visible").count() == 0
    assert wrong == []
    page.context.close()
    linked, _ = opened(browser, pages["walkthrough"])
    linked.goto(pages["walkthrough"].as_uri() + "#conflict")
    assert linked.locator("section.step:visible h2").inner_text().startswith("6 Git stops")
    linked.context.close()
    plain, _ = opened(browser, pages["walkthrough"], java_script_enabled=False)
    assert plain.locator("section.step:visible").count() == total
    assert plain.locator(".tools:visible").count() == 0
    text = plain.locator("main").inner_text()
    assert "<script>alert(4)</script>" in text, "what stands in files stays text"
    assert "theirs (side) stays" in text
    plain.context.close()


def test_the_survey_page_shows_a_conflict_from_all_sides(browser: Browser, pages: dict[str, Path]) -> None:
    page, wrong = opened(browser, pages["survey"], viewport={"width": 1280, "height": 800})
    assert page.locator("nav li").count() == 6
    page.locator("nav a").nth(3).click()
    assert page.evaluate("location.hash") == "#rebase-four"
    article = page.locator("article#hive-notes")
    first, second, third = (article.locator(".three figure").nth(number) for number in range(3))
    assert [side.locator("mark").all_inner_texts() for side in (first, second, third)] == [
        ["5"],
        ["3"],
        ["4"],
    ]
    styles = article.locator("details:has(summary:has-text('style'))")
    assert styles.count() == 3
    assert styles.first.locator("pre").is_visible()
    styles.nth(1).locator("summary").click()
    assert "||||||| " in styles.nth(1).inner_text()
    assert article.locator(".choices figure").count() == 6
    key = article.locator("details.key")
    assert not key.locator("li").first.is_visible()
    key.locator("summary").click()
    assert "theirs (side): accepted" in key.inner_text()
    assert "<b>Because</b>" in key.inner_text()
    assert page.locator("article#rebase-four h3").count() == 4, "a rebase goes commit by commit"
    assert wrong == []
    page.context.close()


def test_a_large_class_is_small_and_opens_without_an_error(browser: Browser, tmp_path: Path) -> None:
    names = {f"l{number:05}": f"Learner Number {number}" for number in range(1000)}
    chance = random.Random(9)
    exercises = []
    for place in range(12):
        conflicts = []
        for hunk in (1, 2, 3):
            made: dict[Outcome, list[str]] = {}
            for learner in names:
                made.setdefault(chance.choice(tuple(OUTCOMES)), []).append(learner)
            learners = {word: tuple(several) for word, several in made.items()}
            id_ = ConflictId(1, 1, "press.toml", hunk)
            conflicts.append(ConflictTally(id=id_, name=id_.name, learners=learners, example=WRONG.hunks[0], swapped=None))  # fmt: skip
        exercises.append(
            ExerciseTally(
                id=f"exercise-{place}", title=f"Exercise {place}", handed_out=1000, percents=dict.fromkeys(names, 50.0), missing=(), got_it=(),
                conflicts=tuple(conflicts), criteria=(CriterionTally(id="tidy", learners={"missed": tuple(names)}),), solved={}, minutes={},
            )
        )  # fmt: skip
    whole = Tally(
        title="t", exercises=tuple(exercises), totals=dict.fromkeys(names, 50.0), absent=(), names=names
    )
    (tmp_path / "class.html").write_text(tally_page(whole, None, []))
    assert (tmp_path / "class.html").stat().st_size < 3_000_000
    page, wrong = opened(browser, tmp_path / "class.html")
    assert page.locator("table.map tbody tr").count() == 1000
    assert wrong == []
    page.context.close()
