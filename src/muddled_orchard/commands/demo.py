"""The whole round in one go: plant for eight made-up learners, act as each of them, grade all."""

from __future__ import annotations

import argparse
import hashlib
import tempfile
from collections.abc import Iterator
from pathlib import Path

from muddled_orchard.classroom.marking import Course
from muddled_orchard.commands.grade import grade_all
from muddled_orchard.commands.options import cores
from muddled_orchard.core.bounds import Bounds
from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.files.catalogue import Shelf
from muddled_orchard.files.submissions import Handed
from muddled_orchard.reports.demo_view import show_demo
from muddled_orchard.reports.terminal import console, with_progress
from muddled_orchard.vcs.acting import Desk
from muddled_orchard.vcs.behaviours import named
from muddled_orchard.vcs.keymaking import Workshop, make_key
from muddled_orchard.vcs.planting import plant

EXERCISE = "press-limit"
LEARNERS = {
    "ilse": "right",
    "bram": "markers left",
    "suvi": "kept ours",
    "odo": "kept ours+theirs",
    "petra": "whole file theirs",
    "jory": "not committed",
    "neve": "wrong way round",
    "wim": "never started",
}
READ_ALOUD = "petra"


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled demo`."""
    parser.add_argument(
        "folder", metavar="DIR", type=Path, nargs="?", default=Path("muddled-demo"),
        help="a new or an empty folder (default: %(default)s)",
    )  # fmt: skip
    parser.add_argument("--quiet", action="store_true", help="no progress")


def run(options: argparse.Namespace) -> int:
    """Plant, work, grade, show."""
    folder: Path = options.folder
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise BadInput(
            Problem("this is not an empty folder", "Name another: muddled demo DIR", file=str(folder))
        )
    shelf = Shelf()
    done = list(with_progress(_work(folder, shelf), len(LEARNERS), "Learners at work", quiet=options.quiet))
    results = grade_all(done, Course(shelf), Bounds(), cores(), quiet=options.quiet)
    said = {name: named(behaviour).said for name, behaviour in LEARNERS.items()}
    show_demo(console(), str(folder), said, results, READ_ALOUD)
    return 0


def _work(folder: Path, shelf: Shelf) -> Iterator[Handed]:
    """Plant for each learner and act as them."""
    scenario = shelf.find(EXERCISE)
    assert scenario is not None  # noqa: S101 - it is bundled
    with tempfile.TemporaryDirectory(prefix="muddled-") as room:
        workshop = Workshop(Path(room) / "workshop.git")
        for name, behaviour in LEARNERS.items():
            code = hashlib.sha256(name.encode()).hexdigest()[:6]
            place = folder / "submissions" / name
            plant(scenario, place, code)
            named(behaviour).act(Desk(place / "work", make_key(workshop, scenario, code), name))
            yield Handed(place, name)
