"""Check scenarios and show what they will do: the graph, each conflict side by side, the key."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from muddled_orchard.commands.options import add_quiet, add_run_rules, add_scenarios
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.key.survey import Survey
from muddled_orchard.files.scenarios.catalogue import bundled_id, scenario_files, shared_ids
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.scenarios.scenario_file import load_scenario
from muddled_orchard.reports.json.survey import survey_file
from muddled_orchard.reports.terminal.console import console
from muddled_orchard.reports.terminal.survey import show_survey, show_table
from muddled_orchard.vcs.ask.surveying import surveyor

EXAMPLES = (
    "muddled survey press-limit",
    "muddled survey my-exercise.toml",
    "muddled survey press-limit --picture graph.png",
)


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled survey`."""
    add_scenarios(parser)
    parser.add_argument(
        "--variant",
        metavar="CODE",
        default=PLAIN_VARIANT,
        help="which variant to look at (default: %(default)s)",
    )
    add_run_rules(parser)
    parser.add_argument("--json", action="store_true", help="print JSON instead")
    parser.add_argument(
        "--picture", metavar="FILE", type=Path, help="draw the graph of one scenario (.png, .svg)"
    )
    add_quiet(parser, "only the errors")


def run(options: argparse.Namespace) -> int:
    """Survey and show; 1 if anything has errors."""
    loaded: dict[Path, Scenario] = {}
    problems: list[Problem] = []
    files = list(dict.fromkeys(scenario_files(options.scenarios)))
    if options.picture is not None and len(files) != 1:
        raise BadInput(
            Problem(f"one picture for {len(files)} scenarios", "Name one scenario with --picture.")
        )
    for path in files:
        try:
            loaded[path] = load_scenario(path)
        except BadInput as bad:
            problems += bad.problems
    problems += shared_ids(loaded.items())
    with surveyor() as surveying:
        found: dict[Path, Survey] = {}
        for path, result in zip(
            loaded, surveying.survey(list(loaded.values()), options.variant), strict=True
        ):
            if isinstance(result, BadInput):
                problems += with_lines(result, path).problems
            else:
                found[path] = surveying.with_rules_run(result) if options.run_rules else result
        weak = surveying.weak_values([(loaded[path], survey.key) for path, survey in found.items()])
        for (path, survey), told in zip(found.items(), weak, strict=True):
            found[path] = _with_all_errors(survey, path, [*told, bundled_id(path, loaded[path])])
        if options.picture is not None and found:
            _draw(next(iter(found.values())), options.picture)
        in_full = not options.quiet and len(files) == 1 and bool(found)
        if options.json:
            sys.stdout.write(survey_file(list(found.values()), problems))
        elif in_full:
            (survey,) = found.values()
            show_survey(console(), survey, ran=options.run_rules)
        elif not options.quiet and len(files) > 1:
            show_table(console(), {path.stem: found.get(path) for path in files})
    problems += [problem for survey in found.values() for problem in survey.errors if not in_full]
    for problem in problems:
        print(problem, file=sys.stderr)
    return 1 if problems or any(survey.errors for survey in found.values()) else 0


def _with_all_errors(survey: Survey, path: Path, more: Sequence[Problem | None]) -> Survey:
    """The survey with further errors, each with its line."""
    errors = [*survey.errors, *(problem for problem in more if problem is not None)]
    return replace(survey, errors=with_lines(BadInput(errors), path).problems if errors else ())


def _draw(survey: Survey, file: Path) -> None:
    from muddled_orchard.core.key.graph import handed_out, wanted
    from muddled_orchard.reports.figures.picture import draw  # Matplotlib takes its time; only for pictures

    draw(survey.key.scenario.title, handed_out(survey.key), wanted(survey.key), file)
