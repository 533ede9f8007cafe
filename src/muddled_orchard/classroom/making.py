"""Make hand-outs, and put them in their place: an archive, a folder or a bare repository each."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from msgspec import Struct

from muddled_orchard.classroom.brief_page import BRIEF, PAGE, brief_markdown, brief_page
from muddled_orchard.core.base.phrases import counted, was
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.exercise.cloning import beyond_a_clone
from muddled_orchard.core.exercise.own_copy import BeginAgain, begin_again
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.git.trees import PLAIN_FILE, File
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.key.graph import Graph, of_variant
from muddled_orchard.files.archives.packing import BARE, FOLDER, FORMATS, pack, read_packed
from muddled_orchard.system.output import write_file
from muddled_orchard.system.processes import share
from muddled_orchard.system.temporary import remove_left_over
from muddled_orchard.system.workers import PORTIONS_AHEAD, Awaited, WorkerLost, in_order, workers_for
from muddled_orchard.vcs.planting import Practice, practice_of, put_in_place
from muddled_orchard.vcs.read.lying_there import variant_lying_there
from muddled_orchard.vcs.write.bare import (
    CONFIG,
    bare_repository,
    is_remote,
    with_remote,
)

MOST_AT_ONCE = 16

HOSTED = "hosted"
"""The form of hand-outs that a host serves itself: bare repositories with all that grading a push needs."""


class Exercise(Struct, frozen=True):
    """A scenario that is handed out, with what all its hand-outs share."""

    scenario: Scenario
    digest: str
    key: Key
    graph: Graph
    form: str
    variants: Variants


class HandOutToMake(Struct, frozen=True):
    """One hand-out: of which exercise (by place), for whom, which variant, and the URL of the repository that
    it is pushed to (empty: it isn't). `any_variant`: one that lies there already may be another variant;
    `anew`: an archive that lies there is made once more. `team`: who shares it;
    `whose_repository`: the learner in whose place it lies on a host (empty: each has one)."""

    exercise: int
    learner: str
    code: str
    url: str = ""
    any_variant: bool = False
    anew: bool = False
    team: str = ""
    whose_repository: str = ""

    @property
    def shares_another(self) -> bool:
        """Whether it is the repository of another one of the team."""
        return bool(self.whose_repository) and self.whose_repository != self.learner


@contextmanager
def made(
    exercises: Sequence[Exercise], wanted: Sequence[HandOutToMake], out: Path, jobs: int
) -> Iterator[Iterator[list[HandOut]]]:
    """Make the archives, a portion at a time, on several cores where it pays; what is not made when this is
    left is not made."""
    for exercise in exercises:
        remove_left_over(out / exercise.scenario.id)
    jobs = max(1, min(jobs, len(wanted) // MOST_AT_ONCE))
    size = share(len(wanted), jobs, MOST_AT_ONCE)
    portions = (wanted[start : start + size] for start in range(0, len(wanted), size))
    if jobs < 2:
        yield (_portion_made(exercises, out, portion) for portion in portions)
        return
    for exercise in exercises:  # the page's template is made ready once, and not in every process
        brief_page(exercise.key.scenario, exercise.graph, BeginAgain((), ()))
    with workers_for(-(-len(wanted) // size), jobs, _maker, exercises, out) as pool:
        yield _as_made(in_order(portions, pool.submit, PORTIONS_AHEAD * jobs))


def _as_made(
    begun: Iterable[tuple[Sequence[HandOutToMake], Awaited[list[HandOut]]]],
) -> Iterator[list[HandOut]]:
    try:
        for _, awaited in begun:
            yield awaited.result()
    except WorkerLost:
        hint = "What was handed out is written down; the same command goes on from there."
        raise BadInput(Problem("a process that was packing ended unexpectedly", hint)) from None


def _maker(exercises: Sequence[Exercise], out: Path) -> Callable[[Sequence[HandOutToMake]], list[HandOut]]:
    return functools.partial(_portion_made, exercises, out)


def _portion_made(
    exercises: Sequence[Exercise], out: Path, portion: Sequence[HandOutToMake]
) -> list[HandOut]:
    return [_hand_out(exercises[piece.exercise], piece, out) for piece in portion]


def _hand_out(exercise: Exercise, piece: HandOutToMake, out: Path) -> HandOut:
    """Make one hand-out and put it in place; a repository that lies there already is taken as it is."""
    place = _place(out, exercise, piece.whose_repository or piece.learner)
    lies_there = exercise.form in _REPOSITORIES and _is_in_use(place)
    if lies_there and piece.anew:
        hint = "Move it away first, or name another folder with --out; nothing of it was changed."
        raise BadInput(Problem("somebody may be at work here", hint, file=str(place)))
    code = _variant_there(exercise, place, piece) if lies_there else piece.code
    practice = practice_of(exercise.variants, code)
    if exercise.form == BARE and needs_archive(practice):
        with_brief = whole_folder(exercise, practice, piece.url)
        write_file(_archive(place), pack(with_brief, exercise.scenario.id, FORMATS[0]))
    if not lies_there and not piece.shares_another:
        _put_in_place(exercise, practice, place)
    file = place.relative_to(out).as_posix()
    return hand_out_of(exercise, practice, code, piece.learner, piece.team, file)


def hand_out_of(
    exercise: Exercise, practice: Practice, code: str, learner: str, team: str, file: str
) -> HandOut:
    """What is written down of a hand-out: a variant of an exercise for a learner, or one of a team."""
    ids, history = practice.ids, practice.history
    return HandOut(
        exercise=exercise.scenario.id,
        learner=learner,
        variant=code,
        scenario=exercise.digest,
        first_commit=first_commit(practice),
        tips={branch: ids[number] for branch, number in history.tips.items()},
        file=file,
        team=team,
    )


def _put_in_place(exercise: Exercise, practice: Practice, place: Path) -> None:
    if exercise.form == BARE:
        put_in_place(place, bare_repository(practice.files, practice.history))
    elif exercise.form == HOSTED:
        put_in_place(place, practice.hosted())
    elif exercise.form == FOLDER:
        put_in_place(place, whole_folder(exercise, practice))
    else:
        write_file(place, pack(whole_folder(exercise, practice), exercise.scenario.id, exercise.form))


_REPOSITORIES = (BARE, HOSTED, FOLDER)
"""The forms that lie there as a repository, in which somebody may be at work."""


def first_commit(practice: Practice) -> str:
    """The id of the commit with which a hand-out's history begins; empty where learners make it."""
    return practice.ids[min(practice.ids)] if practice.ids else ""


def lying_there(exercises: Sequence[Exercise], wanted: Sequence[HandOutToMake], out: Path) -> int:
    """How many of the hand-outs that are to be made lie there already."""
    return sum(
        exercises[piece.exercise].form in _REPOSITORIES
        and not piece.shares_another
        and _is_in_use(_place(out, exercises[piece.exercise], piece.learner))
        for piece in wanted
    )


def taken_as_they_are(number: int) -> str:
    """What is told of so many of them."""
    what = f"{counted(number, 'hand-out')} {was(number)} there already that the ledger did not know"
    return f"{what}: a run was stopped, or it is an older copy.\nThey are taken as they are."


def _is_in_use(place: Path) -> bool:
    return place.is_dir() and any(place.iterdir())


def _variant_there(exercise: Exercise, place: Path, piece: HandOutToMake) -> str:
    """The variant of the hand-out that lies there: a run made it that was stopped before it could write that
    down, or the ledger is an older copy, or a new one. Raises BadInput where something else lies there."""
    variants = exercise.variants
    variant = variant_lying_there(
        place, exercise.scenario.id, lambda code: first_commit(practice_of(variants, code))
    )
    if variant is None:
        hint = "Move it away, or name another folder; nothing of it was changed."
        what = f"this is no hand-out of {exercise.scenario.id}, and one is to be made here"
        raise BadInput(Problem(what, hint, file=str(place)))
    if variant != piece.code and not piece.any_variant:
        hint = "Move it away, and try again: a new one is made. Nothing of it was changed."
        raise BadInput(Problem("this is a hand-out of another learner", hint, file=str(place)))
    return variant


def is_made(out: Path, exercise: Exercise, learner: str, url: str | None) -> bool:
    """Whether a hand-out lies in the place of a learner; what goes along with a repository leads to its
    `url`."""
    place = _place(out, exercise, learner)
    archive = _archive(place)
    if exercise.form != BARE or url is None or not archive.is_file():
        return place.exists()
    config = read_packed(archive, f"{exercise.scenario.id}/{CONFIG}")
    return place.exists() and is_remote(config, url)


def needs_archive(practice: Practice) -> bool:
    """Whether the story gives the learner what a clone of the bare repository can't."""
    return bool(beyond_a_clone(practice.scenario, practice.history))


def whole_folder(exercise: Exercise, practice: Practice, url: str = "") -> dict[str, File]:
    """The files of a practice folder with its brief. Where it has a `url`, that is the remote of its
    repository."""
    again = begin_again(practice.scenario, practice.history, practice.ids)
    graph = of_variant(exercise.graph, exercise.key, practice.history) if practice.history.commits else None
    page = brief_page(practice.scenario, graph, again)
    return {
        **(with_remote(practice.files, practice.history, url) if url else practice.files),
        BRIEF: File(PLAIN_FILE, brief_markdown(practice.scenario, again).encode()),
        PAGE: File(PLAIN_FILE, page.encode()),
    }


def _place(out: Path, exercise: Exercise, learner: str) -> Path:
    ending = {FOLDER: "", BARE: ".git", HOSTED: ".git"}.get(exercise.form, f".{exercise.form}")
    return out / exercise.scenario.id / f"{learner}{ending}"


def _archive(place: Path) -> Path:
    """What goes along with a bare repository."""
    return place.with_name(f"{place.name.removesuffix('.git')}.{FORMATS[0]}")
