"""A class of thirty made-up learners of Quillfold: what they get, what they do, and how they hand it in."""

from __future__ import annotations

import shutil
import tarfile
from collections.abc import Iterator
from pathlib import Path

from muddled_orchard.classroom.handing_out import Exercise, enrol, exercises_in, made
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.files.archives.packing import pack
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.roster import read_roster
from muddled_orchard.rehearsal.behaviours import named
from muddled_orchard.rehearsal.session import LearnerSession
from muddled_orchard.system.output import write_file
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.planting import read_files

EXERCISE = "press-limit"
READ_ALOUD = "petra"
# The same numbers wherever the demo runs; a course of your own has a secret that nobody knows.
SECRET = b"a demonstration needs no secret "

ROSTER, OUT, BACK, LEDGER = "roster.csv", "handed-out", "handed-in", "orchard.db"

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


def hand_out(folder: Path, jobs: int) -> list[HandOut]:
    """Write the roster, and hand the exercise out to everybody."""
    rows = "".join(f"{id_},{name}\n" for id_, (name, _, _) in LEARNERS.items())
    write_file(folder / ROSTER, f"id,name\n{rows}".encode())
    exercises = exercises_in([EXERCISE], "tar.gz")
    ledger = Ledger(folder / LEDGER, create=True)
    try:
        ledger.secret(SECRET)
        wanted = enrol(ledger, exercises, read_roster(folder / ROSTER).learners, folder / OUT)
        with made(exercises, wanted, folder / OUT, jobs) as portions:
            for portion in portions:
                ledger.add_hand_outs(portion)
        return sorted(ledger.hand_outs(), key=lambda one: list(LEARNERS).index(one.learner))
    finally:
        ledger.close()


def work(folder: Path, given: list[HandOut]) -> Iterator[str]:
    """Each learner unpacks, works with real Git, and hands in, all in their own way; their ids, as they are
    done. One has copied from another, and one hands in twice."""
    (exercise,) = exercises_in([EXERCISE], "tar.gz")
    with temporary_folder() as sessions:
        scratch = ScratchRepository(sessions / "scratch.git")
        for hand_out in given:
            _, behaviour, form = LEARNERS[hand_out.learner]
            place = sessions / hand_out.learner
            with tarfile.open(folder / OUT / hand_out.file) as packed:
                # It is our own; early versions of Python know no filters.
                packed.extraction_filter = getattr(tarfile, "tar_filter", None)
                packed.extractall(place)  # noqa: S202
            top = place / EXERCISE
            key = make_key(scratch, exercise.scenario, hand_out.variant)
            named(behaviour).act(LearnerSession(top / "work", key, hand_out.learner))
            if hand_out.learner == "oren":  # has a look at what a friend did, and keeps it
                fetched = str(sessions / "ilse" / EXERCISE / "work")
                git.run(["fetch", "-q", fetched, "main:from-ilse"], folder=top / "work")
            if form is not None:
                _hand_in(top, folder / BACK, hand_out.learner, form, exercise)
            if hand_out.learner == "suvi":
                _hand_in(top, folder / BACK, "suvi-again", "zip", exercise)
            yield hand_out.learner


def _hand_in(top: Path, back: Path, name: str, form: str, exercise: Exercise) -> None:
    back.mkdir(exist_ok=True)
    if form == "folder":
        shutil.copytree(top, back / name, symlinks=True)
    elif form == "bundle":
        git.run(
            ["bundle", "create", "-q", str((back / f"{name}.bundle").absolute()), "--all"],
            folder=top / "work",
        )
    else:
        write_file(back / f"{name}.{form}", pack(dict(read_files(top)), exercise.scenario.id, form))
