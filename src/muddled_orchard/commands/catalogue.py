"""List the bundled scenarios: kind of conflict, operation, difficulty."""

from __future__ import annotations

import argparse
import sys

from muddled_orchard.core.exercise.operations import OPERATIONS
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.key.difficulty import LEVELS
from muddled_orchard.core.key.survey import Survey
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary, bundled_ids
from muddled_orchard.reports.json.survey import catalogue_file
from muddled_orchard.reports.terminal.console import console
from muddled_orchard.reports.terminal.survey import show_catalogue
from muddled_orchard.vcs.ask.surveying import surveyor

EXAMPLES = (
    "muddled catalogue",
    "muddled catalogue --operation rebase --difficulty easy",
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
    parser.add_argument("--json", action="store_true", help="print JSON instead")


def run(options: argparse.Namespace) -> int:
    """Survey all bundled scenarios and list those that are asked for."""
    library = ScenarioLibrary()
    scenarios = [scenario for id_ in bundled_ids() if (scenario := library.find(id_)) is not None]
    with surveyor() as surveying:
        surveys = [found for found in surveying.survey(scenarios, PLAIN_VARIANT) if isinstance(found, Survey)]
    chosen = [survey for survey in surveys if _fits(survey, options)]
    if options.sort == "difficulty":
        chosen.sort(key=lambda survey: (survey.difficulty.points, survey.key.scenario.id))
    if options.json:
        sys.stdout.write(catalogue_file(chosen))
    else:
        show_catalogue(console(), chosen, len(surveys))
    return 0


def _fits(survey: Survey, options: argparse.Namespace) -> bool:
    kinds = survey.kinds or ("none",)
    return (
        (options.operation is None or options.operation in survey.operations)
        and (options.kind is None or any(options.kind in kind for kind in kinds))
        and (options.difficulty is None or survey.difficulty.level == options.difficulty)
    )
