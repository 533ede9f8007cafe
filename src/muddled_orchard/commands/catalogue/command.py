"""List the bundled scenarios: kind of conflict, operation, difficulty."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence

from muddled_orchard.commands.catalogue.terminal import show_catalogue
from muddled_orchard.core.exercise.operations import OPERATIONS
from muddled_orchard.core.key.exercise_summary import LEVELS, ExerciseSummary
from muddled_orchard.files.scenarios.catalogue_index import bundled_summaries
from muddled_orchard.show.terminal.plain import Plain

EXAMPLES = (
    "muddled catalogue",
    "muddled catalogue --operation rebase --difficulty medium",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled catalogue`."""
    parser.add_argument(
        "--operation",
        metavar="WORD",
        choices=OPERATIONS,
        help=f"only scenarios that ask for this: {', '.join(OPERATIONS)}",
    )
    parser.add_argument(
        "--kind", metavar="WORD", help="only those with this kind of conflict, as in modify/delete; or none"
    )
    parser.add_argument("--difficulty", choices=LEVELS, help="only those of this difficulty")
    parser.add_argument(
        "--sort", choices=("difficulty", "id"), default="difficulty", help="the order (default: %(default)s)"
    )
    parser.add_argument("--ids", action="store_true", help="print ids alone, one a line, to go on with")
    parser.add_argument("--json", action="store_true", help="print JSON instead")


def run(options: argparse.Namespace) -> int:
    """List those of the bundled scenarios that are asked for."""
    summaries = bundled_summaries() or _surveyed()
    chosen = [summary for summary in summaries if _fits(summary, options)]
    if options.sort == "difficulty":
        chosen.sort(key=lambda summary: (summary.difficulty.points, summary.id))
    if options.json:
        from muddled_orchard.commands.catalogue.as_json import catalogue_file

        sys.stdout.write(catalogue_file(chosen))
    elif options.ids:
        sys.stdout.writelines(f"{summary.id}\n" for summary in chosen)
    else:
        show_catalogue(Plain(), chosen, len(summaries))
    return 0


def _surveyed() -> Sequence[ExerciseSummary]:
    """What surveys of all of them say, where somebody has changed them."""
    from muddled_orchard.core.exercise.values import PLAIN_VARIANT
    from muddled_orchard.core.key.survey import Survey
    from muddled_orchard.files.scenarios.bundled import bundled_ids
    from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
    from muddled_orchard.vcs.ask.surveying import surveyor

    library = ScenarioLibrary()
    scenarios = [scenario for id_ in bundled_ids() if (scenario := library.find(id_)) is not None]
    with surveyor() as surveying:
        return [found for found in surveying.survey(scenarios, PLAIN_VARIANT) if isinstance(found, Survey)]


def _fits(summary: ExerciseSummary, options: argparse.Namespace) -> bool:
    kinds = summary.kinds or ("none",)
    return (
        (options.operation is None or options.operation in summary.operations)
        and (options.kind is None or any(options.kind in kind for kind in kinds))
        and (options.difficulty is None or summary.difficulty.level == options.difficulty)
    )
