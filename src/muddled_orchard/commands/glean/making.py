"""A scenario file of a real history: written, surveyed, proved and rehearsed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.defaults import id_for
from muddled_orchard.core.exercise.scenario import Answer, Scenario
from muddled_orchard.core.exercise.story import unroll
from muddled_orchard.core.exercise.values import PLAIN_VARIANT, variant_of
from muddled_orchard.core.git.lines import by_lines
from muddled_orchard.core.gleaning.exercise import SideCommits, TakenExercise, cast_for
from muddled_orchard.core.gleaning.named_in import Named, is_licence, named_in
from muddled_orchard.core.grading.rehearsal import Rehearsal
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.key.proof import Proof
from muddled_orchard.files.scenarios.catalogue import load
from muddled_orchard.files.scenarios.drafts import answers_as, open_conflict
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.scenarios.from_history import history_scenario
from muddled_orchard.files.scenarios.scenario_file import read_scenario
from muddled_orchard.rehearsal.proving import prove
from muddled_orchard.rehearsal.rehearsing import rehearsed
from muddled_orchard.system.output import write_new_file
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.system.workers import Machines
from muddled_orchard.vcs.ask.surveying import surveyor
from muddled_orchard.vcs.gleaning.past import commits_of
from muddled_orchard.vcs.gleaning.source import History, history_of
from muddled_orchard.vcs.gleaning.taking import operation_at, taken, taken_branches
from muddled_orchard.vcs.gleaning.trees import Trees


class ToTake(Struct, frozen=True):
    """What is taken and how: a commit, or two branches; with all files; its commits kept or not; with the
    names that people have."""

    take: str | None
    branches: Sequence[str] | None
    whole: bool
    commits: SideCommits | None
    keep_names: bool


class Made(Struct, frozen=True):
    """What came of it: the file, what it was in the history, how many commits and files its story has, who
    people became, how many conflicts have no answer yet, files that stay as Git merges them, whether one side
    was taken whole, what stands in its texts, licences of the history, what was proved and rehearsed (None:
    that could not be), and what is wrong with it."""

    file: Path
    what: str
    commits: int
    files: int
    cast: tuple[str, ...]
    open_: int
    kept: tuple[str, ...]
    one_side: str
    named: tuple[Named, ...]
    licences: tuple[str, ...]
    proof: Proof | None
    rehearsal: Rehearsal | None
    faults: tuple[Problem, ...]


def make(repository: Path, file: Path, wanted: ToTake) -> Made:
    """Write the scenario file of an operation, or of two branches. Raises BadInput where that can't be."""
    if file.exists():
        problem = Problem("this file exists already", "Name a new one; nothing was written.", file=str(file))
        raise BadInput(problem)
    with history_of(repository) as history:
        if wanted.branches is not None:
            exercise = taken_branches(history, *wanted.branches, whole=wanted.whole, commits=wanted.commits)
        else:
            operation = operation_at(history, wanted.take or "")
            exercise = taken(history, operation, whole=wanted.whole, commits=wanted.commits)
        licences = _licences(history)
    cast = cast_for([commit.author for commit in exercise.story], keep_names=wanted.keep_names)
    title = id_for(file.stem).replace("-", " ").capitalize()
    dates = wanted.branches is not None

    def text(answers: Sequence[Answer] = (), open_: Sequence[str] = ()) -> str:
        return history_scenario(exercise, title, cast, answers, open_, dates=dates)

    key = _surveyed(text(), file, exercise)
    answers, kept = _answers(key, exercise)
    answered = {answer.file for answer in answers}
    conflicts = [conflict for step in key.steps for conflict in step.merge.conflicts]
    open_ = [open_conflict(conflict) for conflict in conflicts if conflict.path not in answered]
    write_new_file(file, text(answers, open_).encode())
    proof, rehearsal, faults = _tried(file) if not open_ else (None, None, ())
    return Made(
        file=file,
        what=exercise.what,
        commits=len(exercise.story),
        files=len({path for commit in exercise.story for path in commit.files}),
        cast=tuple(person.partition(" <")[0] for _, person in cast.values()),
        open_=len(open_),
        kept=tuple(kept),
        one_side=_one_side(answers),
        named=tuple(_named(exercise)),
        licences=licences,
        proof=proof,
        rehearsal=rehearsal,
        faults=faults,
    )


def _surveyed(text: str, file: Path, exercise: TakenExercise) -> Key:
    """The key of the story, without answers yet. Raises BadInput where the file would not say it."""
    scenario, problems = read_scenario(text, file.parent, file.stem)
    if scenario is None or problems:
        raise BadInput([problem.at(str(file), None) for problem in problems])
    _refuse_different(scenario, exercise)
    with surveyor() as surveying:
        (found,) = surveying.survey([scenario], PLAIN_VARIANT)
    if isinstance(found, BadInput):
        raise found
    return found.key


def _refuse_different(scenario: Scenario, exercise: TakenExercise) -> None:
    """Raise BadInput where the story does not come out as the history has it."""
    planned = unroll(variant_of(scenario, PLAIN_VARIANT), PLAIN_VARIANT).commits
    for commit, wanted in zip(planned, exercise.story, strict=True):
        for path in {*commit.tree, *wanted.files}:
            if commit.tree.get(path) != wanted.files.get(path):
                what = f"{path} can't be written as it is in the history"
                raise BadInput(Problem(what, "This is likely a fault of Muddled Orchard: please report it."))


def _answers(key: Key, exercise: TakenExercise) -> tuple[list[Answer], list[str]]:
    if exercise.result is None:
        return [], []
    answers: list[Answer] = []
    kept: list[str] = []
    for step in key.steps:
        committed = {path: file.data for path, file in exercise.result.items()}
        found, stay = answers_as(key, step, committed)
        answers, kept = [*answers, *found], [*kept, *stay]
    return answers, kept


def _one_side(answers: Sequence[Answer]) -> str:
    """The side that the result took everywhere, so that nothing need be read; empty where it did not."""
    words: set[object] = set()
    for answer in answers:
        words |= {*(answer.keep or ()), *([answer.side] if answer.side else [])}
        words |= {"..."} if answer.text is not None or answer.gone or answer.change else set()
    word = next(iter(words)) if len(words) == 1 else ""
    return word if isinstance(word, str) and word in ("ours", "theirs", "base") else ""


def _named(exercise: TakenExercise) -> Iterator[Named]:
    """What stands in the texts of the story and of the result, each once."""
    seen: set[tuple[str, str]] = set()
    texts = [(f"the message of commit {n}", one.message) for n, one in enumerate(exercise.story, 1)]
    trees = [commit.files for commit in exercise.story] + [exercise.result or {}]
    for tree in reversed(trees):
        for path, file in tree.items():
            if by_lines(file.data):
                texts.append((path, file.data.decode("utf-8", "replace")))
    for place, text in texts:
        for named in named_in(place, text):
            if (place, named.text) not in seen:
                seen.add((place, named.text))
                yield named


def _licences(history: History) -> tuple[str, ...]:
    """The files at the top of the newest commit that say under which licence it is."""
    head = history.refs.get("HEAD") or next(iter(history.refs.values()), "")
    newest = next(commits_of(history, ["--no-walk"], [head]), None) if head else None
    if newest is None:
        return ()
    return tuple(sorted(name for name in Trees(history).entries(newest.tree) if is_licence(name)))


def _tried(file: Path) -> tuple[Proof | None, Rehearsal | None, tuple[Problem, ...]]:
    """Carry the solution out, and act learners out."""
    scenario = load(file)
    (proof,) = prove([scenario], PLAIN_VARIANT, Machines(1))
    faults = with_lines(BadInput(list(proof.faults)), file).problems if proof.faults else ()
    if faults:
        return None, None, tuple(faults)
    with (
        temporary_folder() as room,
        rehearsed([scenario], (PLAIN_VARIANT,), room / "kept", Machines(1)) as going,
    ):
        (rehearsal,) = going
    return proof, rehearsal, ()
