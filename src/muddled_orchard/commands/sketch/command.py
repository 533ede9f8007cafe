"""Begin a scenario file for a kind of conflict, ready to edit, already valid."""

from __future__ import annotations

import argparse
import shutil
import sys
from pathlib import Path

from muddled_orchard.commands.options import COURSE_FILE, new_file
from muddled_orchard.commands.sketch.terminal import show_kinds, show_written
from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.exercise.scenario import Answer
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.files.course.course_file import course_text
from muddled_orchard.files.scenarios.bundled import bundled_ids
from muddled_orchard.files.scenarios.catalogue import load
from muddled_orchard.files.scenarios.drafts import open_conflict
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.scenarios.from_trees import (
    WANTED,
    empty_folders,
    scenario_text,
    trees_beside,
    wanted_answers,
)
from muddled_orchard.files.scenarios.scenario_file import read_scenario
from muddled_orchard.files.scenarios.sketches import sketch_kinds, sketch_text
from muddled_orchard.show.terminal.plain import Plain
from muddled_orchard.show.terminal.proved import show_proof
from muddled_orchard.system.output import STDOUT, write_new_file
from muddled_orchard.system.workers import Machines
from muddled_orchard.vcs.ask.surveying import surveyor

_OPERATIONS = ("merge", "rebase")

COURSE = "course"

EXAMPLES = (
    "muddled sketch",
    "muddled sketch same-line my-exercise.toml",
    "muddled sketch --from trees my-exercise.toml",
    "muddled sketch course",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled sketch`."""
    parser.add_argument(
        "kind",
        metavar="KIND",
        nargs="?",
        help="a kind of conflict, the id of a bundled scenario, or course for a course file; "
        "without it, the kinds are listed",
    )
    parser.add_argument(
        "file",
        metavar="FILE",
        nargs="?",
        type=new_file,
        help="the scenario file to write; - is standard output",
    )
    parser.add_argument(
        "--from", dest="trees", metavar="DIR", type=Path,
        help="make it of the trees DIR/base, DIR/ours and DIR/theirs, answers of DIR/wanted; "
        "the kind is then merge (which need not be said) or rebase",
    )  # fmt: skip
    parser.add_argument(
        "--from-bundled", metavar="ID",
        help="make a bundled scenario one's own: under another id every variant has other values",
    )  # fmt: skip


def run(options: argparse.Namespace) -> int:
    """List the kinds, or write a file."""
    kind, file = _named(options)
    if options.trees is not None and file is None and kind is not None and kind not in _OPERATIONS:
        kind, file = "merge", Path(kind)
    if kind == COURSE and options.trees is None:
        place = file or Path(COURSE_FILE)
        write_new_file(place, course_text().encode())
        if place != STDOUT:
            show_written(Plain(), str(place), course=True)
        return 0
    if kind is None:
        if options.trees is not None:
            raise BadInput(Problem("where to?", "Name a file: muddled sketch --from DIR my-exercise.toml"))
        show_kinds(Plain(), sketch_kinds(), bundled_ids())
        return 0
    if file is None:
        raise BadInput(Problem("where to?", f"Name a file: muddled sketch {kind} my-exercise.toml"))
    if options.trees is None:
        write_new_file(file, sketch_text(kind, file).encode())
        if file != STDOUT:
            show_written(Plain(), str(file))
    elif kind in _OPERATIONS:
        _from_trees(options.trees, file, kind)
    else:
        raise BadInput(Problem(f'with --from the kind is merge or rebase, not "{kind}"'))
    return 0


def _named(options: argparse.Namespace) -> tuple[str | None, Path | None]:
    """The kind, or the bundled scenario, and the file. Raises BadInput."""
    kind, file = options.kind, options.file
    if options.from_bundled is None:
        return kind, file
    if options.trees is not None or (kind is not None and file is not None):
        what = "--from-bundled makes a file of a bundled scenario, and of nothing else"
        raise BadInput(Problem(what, "Say: muddled sketch --from-bundled ID my-exercise.toml"))
    if options.from_bundled not in bundled_ids():
        what = f'there is no bundled scenario "{options.from_bundled}"'
        raise BadInput(Problem(what, likely(options.from_bundled, bundled_ids())))
    return options.from_bundled, None if kind is None else new_file(kind)


def _from_trees(folder: Path, file: Path, operation: str) -> None:
    """Survey the trees without a key, and make the key of what is wanted."""
    if file == STDOUT:
        what = "with --from there must be a file: its trees are copied beside it"
        raise BadInput(Problem(what, f"Name one: muddled sketch --from {folder} my-exercise.toml"))
    if file.exists():
        raise BadInput(
            Problem("this file exists already", "Name a new one; nothing was written.", file=str(file))
        )
    there_already = (file.parent / file.stem).exists()
    trees = trees_beside(folder, file)
    copied = file.parent / trees if not there_already and trees == file.stem else None
    try:
        scenario, problems = read_scenario(
            scenario_text(file, trees, operation, (), ()), file.parent, file.stem
        )
        if scenario is None or problems:
            raise BadInput([problem.at(str(folder), None) for problem in problems])
        with surveyor() as surveying:
            (found,) = surveying.survey([scenario], PLAIN_VARIANT)
        if isinstance(found, BadInput):
            raise found
        answers, kept, open_ = _answers(found.key, folder / WANTED)
        write_new_file(file, scenario_text(file, trees, operation, answers, open_).encode())
    except BaseException:
        if copied is not None:
            shutil.rmtree(copied, ignore_errors=True)
        raise
    empty = empty_folders(folder)
    show_written(Plain(), str(file), copied=str(copied or ""), open_=len(open_), kept=kept, empty=empty)
    if not open_:
        _prove(file)


def _prove(file: Path) -> None:
    """Carry the solution of a file that is whole out, and say what it earns."""
    from muddled_orchard.rehearsal.proving import prove

    for proof in prove([load(file)], PLAIN_VARIANT, Machines(1)):
        if not proof.faults:
            show_proof(Plain(), proof)
            continue
        for problem in with_lines(BadInput(list(proof.faults)), file).problems:
            print(problem, file=sys.stderr)


def _answers(key: Key, wanted: Path) -> tuple[list[Answer], list[str], list[str]]:
    """The key's answers, files that stay as Git merges them, and conflicts without an answer."""
    answers, kept = wanted_answers(key, wanted) if wanted.is_dir() else ([], [])
    answered = {answer.file for answer in answers}
    conflicts = [conflict for step in key.steps for conflict in step.merge.conflicts]
    return answers, kept, [open_conflict(conflict) for conflict in conflicts if conflict.path not in answered]
