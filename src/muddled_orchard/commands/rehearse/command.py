"""Act out typical learners with real Git, grade them, and show where a verdict is not the expected one."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path

from muddled_orchard.commands.options import (
    add_cluster,
    add_jobs,
    add_quiet,
    add_run_rules,
    add_scenarios,
    machines_of,
    on_disk,
    positive,
)
from muddled_orchard.commands.rehearse.as_json import rehearsal_file
from muddled_orchard.commands.rehearse.terminal import show_rehearsal, show_rehearsals
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.grading.own_conflicts import own_task
from muddled_orchard.core.grading.rehearsal import Rehearsal
from muddled_orchard.core.key.own_course import own_course
from muddled_orchard.files.scenarios.catalogue import load, scenario_files
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.rehearsal.rehearsing import VARIANTS, rehearsed
from muddled_orchard.show.terminal.plain import Plain
from muddled_orchard.show.terminal.progress import with_progress
from muddled_orchard.vcs.ask.keymaking import key_of

EXAMPLES = (
    "muddled rehearse press-limit",
    "muddled rehearse my-exercise.toml --jobs 2",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled rehearse`."""
    add_scenarios(parser)
    parser.add_argument(
        "--variant",
        metavar="CODE",
        action="append",
        help="which variant to rehearse; can be repeated (default: behaviours are spread over several)",
    )
    parser.add_argument(
        "--variants", metavar="N", type=positive, help="rehearse every behaviour in each of N variants"
    )
    parser.add_argument(
        "--keep", metavar="DIR", type=on_disk, default=Path("muddled-surprises"),
        help="where the repositories of surprises are left for a look (default: %(default)s)",
    )  # fmt: skip
    add_run_rules(parser)
    add_jobs(parser)
    add_cluster(parser)
    parser.add_argument("--json", action="store_true", help="print JSON instead")
    add_quiet(parser, "no progress, and no view of the results")


def run(options: argparse.Namespace) -> int:
    """Rehearse and show; 1 if there is a surprise."""
    if options.variant and options.variants:
        raise BadInput(Problem("--variant and --variants at once", "Name them, or say how many."))
    codes = tuple(options.variant or VARIANTS)
    if options.variants:
        codes = tuple(map(str, range(options.variants)))
    scenarios = _checked(options.scenarios, codes)
    each = bool(options.variants)
    runs = options.run_rules
    with rehearsed(
        scenarios, codes, options.keep, machines_of(options), all_in_each=each, run_rules=runs
    ) as going:
        done = list(with_progress(going, len(scenarios), "Rehearsing", quiet=options.quiet))
    if options.json:
        sys.stdout.write(rehearsal_file(done))
    elif not options.quiet:
        _show(done)
    return 1 if any(rehearsal.surprising for rehearsal in done) else 0


def _checked(places: list[str], codes: Sequence[str]) -> list[Scenario]:
    """The scenarios, each with a key; raises BadInput with all problems of all of them."""
    problems: list[Problem] = []
    scenarios = []
    for path in dict.fromkeys(scenario_files(places)):
        try:
            scenario = load(path)
            for code in codes if scenario.values else codes[:1]:
                key = key_of(Variants(scenario), code)
                if (own := own_task(key)) is not None:
                    own_course(key, own)  # nobody can be acted out where no way can be shown
            scenarios.append(scenario)
        except BadInput as bad:
            problems += with_lines(bad, path).problems
    if problems:
        raise BadInput(problems)
    return scenarios


def _show(done: list[Rehearsal]) -> None:
    if len(done) == 1:
        show_rehearsal(Plain(), done[0])
    else:
        show_rehearsals(Plain(), done)
