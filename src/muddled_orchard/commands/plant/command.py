"""Build one practice repository: DIR/BRIEF.md to read and DIR/work to work in."""

from __future__ import annotations

import argparse
import sys

from muddled_orchard.commands.options import add_quiet, on_disk
from muddled_orchard.commands.plant.as_json import plant_file
from muddled_orchard.commands.plant.terminal import show_planted, show_steps
from muddled_orchard.core.base.phrases import paths
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.walkthrough.walkthrough import WalkthroughStep
from muddled_orchard.files.scenarios.bundled import BUNDLED
from muddled_orchard.files.scenarios.catalogue import bundled_id, load, scenario_path
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.scenarios.own_scenarios import remember
from muddled_orchard.show.terminal.plain import Plain
from muddled_orchard.vcs.ask.keymaking import key_of
from muddled_orchard.vcs.planting import Practice, check_empty, practice_of, put_practice

LIST = "list"

EXAMPLES = (
    "muddled plant press-limit practice",
    "muddled plant my-exercise.toml practice --variant 5c1d9a",
    "muddled plant press-limit practice --at conflict",
    "muddled plant press-limit --at list",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled plant`."""
    parser.add_argument("scenario", metavar="SCENARIO", help="a scenario file, or the id of a bundled one")
    parser.add_argument("folder", metavar="DIR", type=on_disk, nargs="?", help="a new or an empty folder")
    parser.add_argument(
        "--variant",
        metavar="CODE",
        default=PLAIN_VARIANT,
        help="whose version to build (default: %(default)s)",
    )
    parser.add_argument(
        "--at", metavar="STEP",
        help="as it stands after a step of the walkthrough: its number or name, such as conflict, resolved, "
        "done; --at list names them",
    )  # fmt: skip
    parser.add_argument("--json", action="store_true", help="print what was planted as JSON instead")
    add_quiet(parser, "say nothing when all goes well")


def _practice(scenario: Scenario, options: argparse.Namespace) -> tuple[Practice, WalkthroughStep | None]:
    """What is to be planted, and the step at which it stands, if one was asked for. Raises BadInput where it
    can't be made, or could not be graded."""
    if options.at is not None:
        from muddled_orchard.vcs.walkthrough.walking import practice_at

        return practice_at(scenario, options.variant, options.at)
    variants = Variants(scenario)
    key_of(variants, options.variant)
    return practice_of(variants, options.variant), None


def run(options: argparse.Namespace) -> int:
    """Plant, after making sure that the result can be graded."""
    path = scenario_path(options.scenario)
    scenario = load(path)
    if options.at != LIST:
        if options.folder is None:
            raise BadInput(Problem("DIR is missing: where is it to be planted?", "Name a new folder."))
        check_empty(options.folder)
    try:
        if options.at == LIST:
            from muddled_orchard.vcs.walkthrough.walking import steps_of

            show_steps(Plain(), steps_of(scenario, options.variant))
            return 0
        planted, at = _practice(scenario, options)
        put_practice(options.folder, planted)
    except BadInput as bad:
        raise with_lines(bad, path) from None
    found_again = path.parent == BUNDLED or (
        bundled_id(path, scenario) is None and remember(scenario.id, path)
    )
    named = [] if found_again else ["--scenarios", str(path)]
    then = ["muddled", "grade", *paths([str(options.folder)]), *named]
    if options.json:
        ids, name = dict(planted.ids), at.name if at else None
        told = plant_file(
            str(options.folder), planted.scenario, options.variant, planted.history, ids, then, name
        )
        sys.stdout.write(told)
    elif not options.quiet:
        show_planted(Plain(), str(options.folder), planted.scenario, planted.history, then, at)
    return 0
