"""Begin a scenario file for a kind of conflict, ready to edit, already valid."""

from __future__ import annotations

import argparse
import shutil
from pathlib import Path

from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.core.scenario import Answer
from muddled_orchard.core.variant import PLAIN
from muddled_orchard.files.catalogue import bundled_ids
from muddled_orchard.files.from_trees import WANTED, scenario_text, trees_beside
from muddled_orchard.files.scenario_file import read_scenario
from muddled_orchard.files.sketches import sketch_kinds, sketch_text
from muddled_orchard.reports.sketch_view import show_kinds, show_written
from muddled_orchard.reports.terminal import console
from muddled_orchard.system.output import write_new_file
from muddled_orchard.vcs.surveying import surveyor


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled sketch`."""
    parser.add_argument(
        "kind",
        metavar="KIND",
        nargs="?",
        help="a kind of conflict, or the id of a bundled scenario; without it, the kinds are listed",
    )
    parser.add_argument("file", metavar="FILE", nargs="?", type=Path, help="the scenario file to write")
    parser.add_argument(
        "--from", dest="trees", metavar="DIR", type=Path,
        help="make it of the trees DIR/base, DIR/ours and DIR/theirs, answers of DIR/wanted; "
        "the kind is then merge or rebase",
    )  # fmt: skip


def run(options: argparse.Namespace) -> int:
    """List the kinds, or write a file."""
    if options.kind is None:
        show_kinds(console(), sketch_kinds(), bundled_ids())
        return 0
    if options.file is None:
        raise BadInput(Problem("where to?", f"Name a file: muddled sketch {options.kind} my-exercise.toml"))
    if options.trees is None:
        write_new_file(options.file, sketch_text(options.kind, options.file).encode())
    elif options.kind in ("merge", "rebase"):
        _from_trees(options.trees, options.file, options.kind)
    else:
        raise BadInput(Problem(f'with --from the kind is merge or rebase, not "{options.kind}"'))
    show_written(console(), str(options.file))
    return 0


def _from_trees(folder: Path, file: Path, operation: str) -> None:
    """Survey the trees without a key, and make the key of what is wanted."""
    if file.exists():
        raise BadInput(
            Problem("this file exists already", "Name a new one; nothing was written.", file=str(file))
        )
    copied = not (file.parent / file.stem).exists()
    trees = trees_beside(folder, file)
    copied = copied and trees == file.stem
    try:
        scenario, problems = read_scenario(scenario_text(file, trees, operation, ()), file.parent)
        if scenario is None or problems:
            raise BadInput([problem.at(str(folder), None) for problem in problems])
        with surveyor() as one:
            (found,) = one.survey([scenario], PLAIN)
        if isinstance(found, BadInput):
            raise found
        paths = [c.path for step in found.key.steps for c in step.meeting.conflicts]
        answers = (
            tuple(_wanted(folder / WANTED, path) for path in paths) if (folder / WANTED).is_dir() else ()
        )
        write_new_file(file, scenario_text(file, trees, operation, answers).encode())
    except BaseException:
        if copied:
            shutil.rmtree(file.parent / trees, ignore_errors=True)
        raise


def _wanted(folder: Path, path: str) -> Answer:
    why = "Say here why; it is shown after grading."
    place = folder / path
    if not place.is_file():
        return Answer(file=path, gone=True, why=why)
    return Answer(file=path, text=place.read_bytes().decode("utf-8", "replace"), why=why)
