"""Build one practice repository: DIR/BRIEF.md to read and DIR/work to work in."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from muddled_orchard.commands.options import add_quiet
from muddled_orchard.core.base.phrases import paths
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.files.scenarios.catalogue import BUNDLED, bundled_id, load, scenario_path
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.scenarios.own_scenarios import remember
from muddled_orchard.reports.json.handout import plant_file
from muddled_orchard.reports.terminal.console import console
from muddled_orchard.reports.terminal.plant import show_planted
from muddled_orchard.vcs.grading import check_key
from muddled_orchard.vcs.planting import plant

EXAMPLES = (
    "muddled plant press-limit practice",
    "muddled plant my-exercise.toml practice --variant 5c1d9a",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled plant`."""
    parser.add_argument("scenario", metavar="SCENARIO", help="a scenario file, or the id of a bundled one")
    parser.add_argument("folder", metavar="DIR", type=Path, help="a new or an empty folder")
    parser.add_argument(
        "--variant",
        metavar="CODE",
        default=PLAIN_VARIANT,
        help="whose version to build (default: %(default)s)",
    )
    parser.add_argument("--json", action="store_true", help="print what was planted as JSON instead")
    add_quiet(parser, "say nothing when all goes well")


def run(options: argparse.Namespace) -> int:
    """Plant, after making sure that the result can be graded."""
    path = scenario_path(options.scenario)
    scenario = load(path)
    try:
        check_key(scenario, options.variant)
        planted = plant(scenario, options.folder, options.variant)
    except BadInput as bad:
        raise with_lines(bad, path) from None
    found_again = path.parent == BUNDLED or (
        bundled_id(path, scenario) is None and remember(scenario.id, path)
    )
    named = [] if found_again else ["--scenarios", str(path)]
    then = ["muddled", "grade", *paths([str(options.folder)]), *named]
    if options.json:
        ids = dict(planted.ids)
        told = plant_file(str(options.folder), planted.scenario, options.variant, planted.history, ids, then)
        sys.stdout.write(told)
    elif not options.quiet:
        show_planted(console(), str(options.folder), planted.scenario, planted.history, then)
    return 0
