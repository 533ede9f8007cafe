"""A class of thirty made-up learners of Quillfold: what they get, what they do, and how they hand it in."""

from __future__ import annotations

import shutil
import tarfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path

from msgspec import Struct

from muddled_orchard.classroom.handing_out import enrol, exercises_in
from muddled_orchard.classroom.making import made
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.files.archives.packing import pack
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.roster_file import read_roster
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.system.output import write_file
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.planting import read_files

EXERCISE = "press-limit"
LATER = ("three-knots", "rebase-four")
"""What the class gets after the first exercise."""
READ_ALOUD = "petra"
# The same numbers wherever the demo runs; a course of your own has a secret that nobody knows.
SECRET = b"a demonstration needs no secret "

ROSTER, OUT, LEDGER, COURSE = "roster.csv", "handed-out", "orchard.db", "course.toml"
BACK = {EXERCISE: "handed-in", LATER[0]: "handed-in-2", LATER[1]: "handed-in-3"}
"""The folder that each exercise comes back to."""

_COURSE = """\
title = "Conflicts at Quillfold"
ledger = "orchard.db"
roster = "roster.csv"
out = "handed-out"
pass_mark = 60

[[exercise]]
scenario = "press-limit"

[[exercise]]
scenario = "three-knots"
weight = 2

[[exercise]]
scenario = "rebase-four"
weight = 2
"""

# id: name, behaviour, form in which it is handed in (None: not at all).
LEARNERS: dict[str, tuple[str, str, str | None]] = {
    "ilse": ("Ilse Korn", "right", "tar.gz"),
    "bram": ("Bram Teasel", "markers left", "zip"),
    "suvi": ("Suvi Alder", "kept ours", "tar.gz"),
    "odo": ("Odo Marsh", "kept ours+theirs", "folder"),
    "petra": ("Petra Hazel", "whole file theirs", "zip"),
    "jory": ("Jory Reed", "not committed", "folder"),
    "neve": ("Neve Lark", "wrong way round", "tar.gz"),
    "wim": ("Wim Cobb", "never started", "zip"),
    "alda": ("Alda Sorrel", "right", "zip"),
    "benno": ("Benno Fell", "second try", "tar.gz"),
    "cleo": ("Cleo Vetch", "merged with -X theirs", "tar.gz"),
    "dirk": ("Dirk Yarrow", "markers disguised", "folder"),
    "edda": ("Edda Moss", "right", "bundle"),
    "falk": ("Falk Bracken", "squashed", "tar.gz"),
    "gesa": ("Gesa Linden", "right", "folder"),
    "henk": ("Henk Furrow", "aborted", "tar.gz"),
    "ines": ("Ines Clover", "detached", "zip"),
    "jaro": ("Jaro Thorn", "merged with -s ours", "tar.gz"),
    "kaja": ("Kaja Heath", "right", "tar.gz"),
    "lene": ("Lene Burr", "backup committed", "zip"),
    "mats": ("Mats Pippin", "kept base", "tar.gz"),
    "nils": ("Nils Medlar", "not staged", "tar.gz"),
    "oren": ("Oren Quince", "right", "folder"),
    "pia": ("Pia Damson", "markers mended", "tar.gz"),
    "quin": ("Quin Bullace", "rebased instead", "zip"),
    "rosa": ("Rosa Greengage", "right", "tar.gz"),
    "sten": ("Sten Crabtree", "branch deleted", "tar.gz"),
    "tilda": ("Tilda Rowan", "stray edit", "folder"),
    "ulla": ("Ulla Wilding", "right", "zip"),
    "vera": ("Vera Russet", "never started", None),
}


# What those do in the later exercises who get them right in none or not in both; None: nothing is handed in.
_LATER: dict[str, tuple[str | None, str | None]] = {
    "alda": ("right", "kept theirs"),
    "bram": ("markers left", "markers left"),
    "cleo": ("merged with -X theirs", "kept theirs"),
    "dirk": ("kept ours+theirs", "kept theirs"),
    "falk": ("squashed", "merged instead"),
    "gesa": ("right", "kept theirs"),
    "henk": ("aborted", "aborted"),
    "ines": ("theirs in juice.conf 3", "detached"),
    "jaro": ("merged with -s ours", "kept ours"),
    "jory": ("theirs in juice.conf 3", "skipped"),
    "kaja": ("theirs in juice.conf 3", "right"),
    "lene": ("right", "theirs in plan.txt 1 in size"),
    "mats": ("kept ours", "kept ours"),
    "neve": ("wrong way round", "kept theirs"),
    "nils": ("not staged", "stopped at 2"),
    "odo": ("kept ours+theirs", "kept ours+theirs"),
    "petra": ("merged with -X theirs", "whole file theirs"),
    "pia": ("ours in juice.conf 2", "theirs in plan.txt 1 in size"),
    "quin": ("rebased instead", "kept theirs"),
    "sten": ("base in juice.conf 3", "committed in between"),
    "suvi": ("merged with -X ours", "kept theirs"),
    "tilda": ("theirs in juice.conf 3", "stray edit"),
    "vera": (None, None),
    "wim": ("never started", None),
}


class Handing(Struct, frozen=True):
    """What a learner does with an exercise, and the form in which it is handed in (None: not at all)."""

    behaviour: str
    form: str | None


def handing(learner: str, exercise: str) -> Handing:
    """What a learner does with one of the exercises."""
    _, first, form = LEARNERS[learner]
    if exercise == EXERCISE:
        return Handing(first, form)
    behaviour = _LATER.get(learner, ("right", "right"))[LATER.index(exercise)]
    return Handing(behaviour or "never started", "tar.gz" if behaviour else None)


def prepare(folder: Path) -> None:
    """Write the roster and the course, and begin a ledger."""
    rows = "".join(f"{id_},{name}\n" for id_, (name, _, _) in LEARNERS.items())
    write_file(folder / ROSTER, f"id,name\n{rows}".encode())
    write_file(folder / COURSE, _COURSE.encode())
    ledger = Ledger(folder / LEDGER, create=True)
    try:
        ledger.secret(SECRET)
    finally:
        ledger.close()


def hand_out(folder: Path, jobs: int) -> list[HandOut]:
    """Write the roster and the course, and hand all exercises out to everybody."""
    prepare(folder)
    exercises = exercises_in([EXERCISE, *LATER], "tar.gz")
    ledger = Ledger(folder / LEDGER)
    try:
        enrolment = enrol(ledger, exercises, read_roster(folder / ROSTER).learners, folder / OUT)
        with made(enrolment.exercises, enrolment.wanted, folder / OUT, jobs) as portions:
            for portion in portions:
                ledger.add_hand_outs(portion)
        return sorted(ledger.hand_outs(), key=lambda one: list(LEARNERS).index(one.learner))
    finally:
        ledger.close()


def work(folder: Path, hand_outs: list[HandOut], jobs: int) -> Iterator[HandOut]:
    """Each learner unpacks, works with real Git, and hands in, all in their own way; what is done, as it is.
    One has copied from another, and one hands in twice."""
    exercises = {exercise.scenario.id: exercise for exercise in exercises_in([EXERCISE, *LATER], "tar.gz")}
    with temporary_folder() as sessions, ThreadPoolExecutor(2 * jobs) as pool:  # they wait for Git
        scratch = ScratchRepository(sessions / "scratch.git")
        running, copying = [], []
        for hand_out in hand_outs:
            key = make_key(scratch, exercises[hand_out.exercise].scenario, hand_out.variant)
            session = _Session(folder, sessions / hand_out.exercise, hand_out, key)
            if session.copies:
                copying.append(session)  # what is copied must be there before
            else:
                running.append(pool.submit(session.act))
        yield from (done.result() for done in as_completed(running))
        yield from (session.act() for session in copying)


class _Session(Struct, frozen=True):
    """One learner at work on one exercise, in a folder of their own."""

    folder: Path
    sessions: Path
    hand_out: HandOut
    key: Key

    @property
    def copies(self) -> bool:
        """Whether this learner has a look at what a friend did, and keeps it."""
        return (self.hand_out.learner, self.hand_out.exercise) == ("oren", EXERCISE)

    def act(self) -> HandOut:
        """Unpack, work, hand in; what was worked on."""
        learner, exercise = self.hand_out.learner, self.hand_out.exercise
        doing = handing(learner, exercise)
        place = self.sessions / learner
        with tarfile.open(self.folder / OUT / self.hand_out.file) as packed:
            # It is our own; early versions of Python know no filters.
            packed.extraction_filter = getattr(tarfile, "tar_filter", None)
            packed.extractall(place)  # noqa: S202
        top = place / exercise
        session = LearnerSession(top / "work", self.key, learner)
        named(doing.behaviour, self.key).act(session)
        if (learner, exercise) == ("alda", LATER[0]):  # leaves an empty line, which may be wanted or not
            file = top / "work/juice.conf"
            file.write_text(file.read_text().replace("seconds =", "\nseconds =", 1))
            session.git("commit", "-q", "-a", "--amend", "--no-edit")
        if self.copies:
            fetched = str(self.sessions / "ilse" / EXERCISE / "work")
            git.run(["fetch", "-q", fetched, "main:from-ilse"], folder=top / "work")
        back = self.folder / BACK[exercise]
        if doing.form is not None:
            _hand_in(top, back, learner, doing.form, exercise)
        if (learner, exercise) == ("suvi", EXERCISE):
            _hand_in(top, back, "suvi-again", "zip", exercise)
        return self.hand_out


def _hand_in(top: Path, back: Path, name: str, form: str, exercise: str) -> None:
    back.mkdir(exist_ok=True)
    if form == "folder":
        shutil.copytree(top, back / name, symlinks=True)
    elif form == "bundle":
        git.run(
            ["bundle", "create", "-q", str((back / f"{name}.bundle").absolute()), "--all"],
            folder=top / "work",
        )
    else:
        write_file(back / f"{name}.{form}", pack(dict(read_files(top)), exercise, form))
