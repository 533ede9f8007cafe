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
from muddled_orchard.reports.pages.tally import tally_page
from tests.classes import ledger_of, random_class, result
from tests.conftest import muddled

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser")
AXE = Path(__file__).parent.parent / "build/axe/node_modules/axe-core/axe.min.js"

pytestmark = pytest.mark.skipif(CHROMIUM is None, reason="Chromium is not installed (scripts/browser)")

WRONG = result("press-limit", ["ours", "unresolved"], tidy=False)
HOSTILE = "<img src=x onerror=alert(1)> \u202e\"'&lt; Zoë"
WIDTHS = (360, 768, 1280)


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
    return {
        "class": folder / "class.html",
        "feedback": folder / "fb/l00000/feedback.html",
        "brief": folder / "out/press-limit/ada/BRIEF.html",
    }


PAGES = ("class", "feedback", "brief")


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
