"""A class of made-up learners that comes in over Git while a host runs: they clone, work and push, each in
their own way."""

from __future__ import annotations

import threading
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from urllib.parse import quote, urlsplit

from msgspec import Struct

from muddled_orchard.commands.demo.made_class import EXERCISE, LATER, handing
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue import load, scenario_path
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository

_AT_ONCE = 3
_PAUSE = 1.0
"""Seconds between two who come in, so that somebody who watches can follow."""

_HANDS = frozenset({"petra", "nils"})
"""Who asks for help with the push."""


class LiveClass(Struct, frozen=True):
    """Where the host is, everybody's password, and a folder to work in."""

    url: str
    passwords: Mapping[str, str]
    folder: Path

    def act(self, hand_out: HandOut, key: Key) -> None:
        """Clone, work, push. What fails on the way is that learner's, and ends nothing."""
        place = self.folder / hand_out.exercise / hand_out.learner / "work"
        place.parent.mkdir(parents=True, exist_ok=True)
        address = urlsplit(self.url)
        who = f"{quote(hand_out.learner)}:{self.passwords[hand_out.learner]}"
        url = (
            f"{address.scheme}://{who}@{address.netloc}/git/{quote(hand_out.learner)}/{hand_out.exercise}.git"
        )
        with suppress(git.GitFailed, OSError):
            git.run(["clone", "-q", url, str(place)], folder=place.parent)
            for branch in key.history.tips:
                if branch != key.history.checked_out:
                    git.run(["branch", branch, f"origin/{branch}"], folder=place)
            named(handing(hand_out.learner, hand_out.exercise).behaviour, key).act(
                LearnerSession(place, key, hand_out.learner)
            )
            asks = ["-o", "help"] if hand_out.learner in _HANDS else []
            git.run(["push", "-q", "--force", *asks, "origin", "refs/heads/*:refs/heads/*"], folder=place)


def come_in(live: LiveClass, ledger: Path, over: threading.Event) -> None:
    """Everybody works on what they were handed out, one after the other, until it is over."""
    held = Ledger(ledger)
    try:
        hand_outs = sorted(held.hand_outs(), key=lambda hand_out: _order(hand_out.exercise))
    finally:
        held.close()
    scenarios = {
        exercise: load(scenario_path(exercise)) for exercise in {hand_out.exercise for hand_out in hand_outs}
    }
    scratch = ScratchRepository(live.folder / "scratch.git")
    with ThreadPoolExecutor(_AT_ONCE) as pool:
        for hand_out in hand_outs:
            if over.wait(_PAUSE):
                break
            if handing(hand_out.learner, hand_out.exercise).form is not None:
                pool.submit(
                    live.act, hand_out, make_key(scratch, scenarios[hand_out.exercise], hand_out.variant)
                )
        if over.is_set():
            pool.shutdown(cancel_futures=True)


def _order(exercise: str) -> int:
    return (EXERCISE, *LATER).index(exercise)
