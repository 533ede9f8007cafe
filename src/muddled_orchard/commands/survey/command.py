"""Check scenarios and show what they will do: the graph, each conflict side by side, the key."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path

from msgspec.structs import replace

from muddled_orchard.commands.options import add_quiet, add_run_rules, add_scenarios, cores, new_file
from muddled_orchard.commands.survey.terminal import show_comparison, show_survey, show_table
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.key.comparison import Comparison, compare
from muddled_orchard.core.key.survey import Survey
from muddled_orchard.files.scenarios.catalogue import bundled_id, load, scenario_files, shared_ids
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.scenarios.survey_memory import SurveyMemory
from muddled_orchard.show.terminal.plain import Plain
from muddled_orchard.system.output import STDOUT, write_file
from muddled_orchard.system.workers import Machines
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.surveying import Surveyor, surveyor

EXAMPLES = (
    "muddled survey press-limit",
    "muddled survey my-exercise.toml",
    "muddled survey press-limit --picture graph.png",
    "muddled survey early-merges late-merge --page side-by-side.html",
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
    parser.add_argument(
        "--quick", action="store_true", help="do not prove the key by carrying its solution out"
    )
    parser.add_argument("--json", action="store_true", help="print JSON instead")
    parser.add_argument(
        "--picture", metavar="FILE", type=new_file, help="draw the graph of one scenario (.png, .svg)"
    )
    parser.add_argument(
        "--page", metavar="FILE", type=new_file,
        help="write a page: graphs, each conflict side by side, Git's marker styles, choices",
    )  # fmt: skip
    parser.add_argument(
        "--without-key", dest="with_key", action="store_false", help="with --page: leave out what is right"
    )
    add_quiet(parser, "only the errors")


def run(options: argparse.Namespace) -> int:
    """Survey and show; 1 if anything has errors."""
    files = list(dict.fromkeys(scenario_files(options.scenarios)))
    _check(options, len(files))
    loaded, problems = _loaded(files)
    with surveyor() as surveying:
        memory = SurveyMemory(".".join(map(str, git.require())))
        found = _surveyed(surveying, loaded, options, problems, memory)
    if not options.quick:
        _prove(found, loaded, options, memory)
    memory.keep()
    comparison = compare(*found.values()) if len(found) == 2 else None
    _write(list(found.values()), comparison, options)
    in_full = not options.quiet and len(files) == 1 and bool(found)
    if options.json:
        from muddled_orchard.commands.survey.as_json import survey_file

        sys.stdout.write(survey_file(list(found.values()), problems))
    elif STDOUT in (options.page, options.picture):
        in_full = False
    elif in_full:
        (survey,) = found.values()
        show_survey(Plain(), survey, ran=options.run_rules)
    elif not options.quiet and len(files) > 1:
        show_table(Plain(), {path.stem: found.get(path) for path in files})
        if comparison is not None:
            show_comparison(Plain(), comparison)
    problems += [problem for survey in found.values() for problem in survey.errors if not in_full]
    for problem in problems:
        print(problem, file=sys.stderr)
    return 1 if problems or any(survey.errors for survey in found.values()) else 0


def _check(options: argparse.Namespace, count: int) -> None:
    """Raise BadInput for options that don't go together."""
    if options.picture is not None and count != 1:
        raise BadInput(Problem(f"one picture for {count} scenarios", "Name one scenario with --picture."))
    if options.page is None and not options.with_key:
        raise BadInput(Problem("--without-key goes with --page FILE"))
    if options.json and STDOUT in (options.page, options.picture):
        raise BadInput(Problem("only one thing can go to standard output", "Name a file for the others."))


def _loaded(files: Sequence[Path]) -> tuple[dict[Path, Scenario], list[Problem]]:
    """The scenarios of these files, and what is wrong with the others."""
    loaded: dict[Path, Scenario] = {}
    problems: list[Problem] = []
    for path in files:
        try:
            loaded[path] = load(path)
        except BadInput as bad:
            problems += bad.problems
    problems += shared_ids(loaded.items())
    return loaded, problems


def _surveyed(
    surveying: Surveyor,
    loaded: Mapping[Path, Scenario],
    options: argparse.Namespace,
    problems: list[Problem],
    memory: SurveyMemory,
) -> dict[Path, Survey]:
    """The survey of each scenario that can be made; what is wrong with the others is added to `problems`.
    Values that were tried before are not tried again."""
    found: dict[Path, Survey] = {}
    surveys = surveying.survey(list(loaded.values()), options.variant)
    for path, result in zip(loaded, surveys, strict=True):
        if isinstance(result, BadInput):
            problems += with_lines(result, path).problems
        else:
            found[path] = surveying.with_rules_run(result) if options.run_rules else result
    untried = [path for path in found if not memory.values_fit(loaded[path])]
    tried = surveying.weak_values([(loaded[path], found[path].key) for path in untried])
    weak = dict(zip(untried, tried, strict=True))
    for path, survey in found.items():
        found[path] = _with_all_errors(survey, path, [*weak.get(path, ()), bundled_id(path, loaded[path])])
        if weak.get(path) == []:
            memory.remember_values(loaded[path])
    if len(found) == 2 and len(loaded) == 2:
        first, second = found
        alike = surveying.with_values_of(loaded[first], loaded[second], options.variant)
        if alike is not None and compare(found[first], alike) is not None:
            found[second] = replace(alike, errors=found[second].errors)
    return found


def _prove(
    found: dict[Path, Survey],
    loaded: Mapping[Path, Scenario],
    options: argparse.Namespace,
    memory: SurveyMemory,
) -> None:
    """Carry out and grade the solution of every key that has no errors, and put what came of it to its
    survey. What was proved before, of the same file with the same Git, is remembered."""
    about = f"{options.variant} {options.run_rules}"
    sound = [path for path, survey in found.items() if not survey.errors]
    proofs = {path: memory.proof(loaded[path], about) for path in sound}
    unknown = [path for path in sound if proofs[path] is None]
    if unknown:
        from muddled_orchard.rehearsal.proving import prove  # the actors take long to load

        scenarios = [loaded[path] for path in unknown]
        made = prove(scenarios, options.variant, Machines(cores()), run_rules=options.run_rules)
        for path, proof in zip(unknown, made, strict=True):
            proofs[path] = proof
            memory.remember(loaded[path], about, proof)
    for path, known in proofs.items():
        found[path] = _with_all_errors(replace(found[path], proof=known), path, known.faults if known else ())


def _write(surveys: Sequence[Survey], comparison: Comparison | None, options: argparse.Namespace) -> None:
    """Write the files that are asked for. What they need is loaded then."""
    if options.picture is not None and surveys:
        _draw(surveys[0], options.picture)
    if options.page is not None and surveys:
        from muddled_orchard.commands.survey.page import Surveyed, survey_page
        from muddled_orchard.vcs.walkthrough.styles import written_in_styles

        surveyed = [Surveyed(survey, written_in_styles(survey.key)) for survey in surveys]
        page = survey_page(surveyed, comparison, with_key=options.with_key)
        write_file(options.page, page.encode("utf-8", "backslashreplace"))


def _with_all_errors(survey: Survey, path: Path, more: Sequence[Problem | None]) -> Survey:
    """The survey with further errors, each with its line."""
    errors = [*survey.errors, *(problem for problem in more if problem is not None)]
    return replace(survey, errors=with_lines(BadInput(errors), path).problems if errors else ())


def _draw(survey: Survey, file: Path) -> None:
    from muddled_orchard.core.key.graph import handed_out, wanted
    from muddled_orchard.show.figures.formats import draw  # Matplotlib takes its time: only for pictures

    draw(survey.key.scenario.title, handed_out(survey.key), wanted(survey.key), file)
