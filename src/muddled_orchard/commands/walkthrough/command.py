"""Walk through a scenario step by step: what to type, what Git really answers, and what to look at."""

from __future__ import annotations

import argparse
import sys

from msgspec.structs import replace

from muddled_orchard.commands.options import new_file
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.walkthrough.step_names import TOOL
from muddled_orchard.core.walkthrough.walkthrough import Walkthrough
from muddled_orchard.files.scenarios.catalogue import load, scenario_path
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.system.output import STDOUT, write_file
from muddled_orchard.vcs.walkthrough.walking import walk_through

EXAMPLES = (
    "muddled walkthrough press-limit --step",
    "muddled walkthrough press-limit --to press-limit.html",
    "muddled walkthrough my-exercise.toml --without-key --to steps.md",
)

FORMS = ("text", "md", "html", "sh")


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled walkthrough`."""
    parser.add_argument("scenario", metavar="SCENARIO", help="a scenario file, or the id of a bundled one")
    parser.add_argument("--to", metavar="FILE", type=new_file, help="write it there; - is standard output")
    parser.add_argument(
        "--form", choices=FORMS,
        help="text, Markdown, a page to step through, a script that plays it (default: what FILE ends in)",
    )  # fmt: skip
    parser.add_argument("--step", action="store_true", help="one step at a time in the terminal; b goes back")
    parser.add_argument("--only", choices=("build", "task"), help="only the story, or only the tasks")
    parser.add_argument("--short", action="store_true", help="without the wrong turns")
    parser.add_argument(
        "--without-tool", action="store_true", help="without the step that shows a merge tool"
    )
    key = parser.add_mutually_exclusive_group()
    key.add_argument(
        "--with-key", action="store_true", default=True, help="with the right resolution (the default)"
    )
    key.add_argument(
        "--without-key", dest="with_key", action="store_false",
        help="end where the first conflict is to be resolved",
    )  # fmt: skip
    parser.add_argument(
        "--variant", metavar="CODE", default=PLAIN_VARIANT, help="whose version (default: %(default)s)"
    )


def run(options: argparse.Namespace) -> int:
    """Carry it out, and show it."""
    form = _form(options)
    path = scenario_path(options.scenario)
    scenario = load(path)
    try:
        whole = walk_through(scenario, options.variant, with_key=options.with_key)
    except BadInput as bad:
        raise with_lines(bad, path) from None
    walkthrough = _chosen(whole, options)
    if options.step:
        from muddled_orchard.commands.walkthrough.terminal import step_through

        step_through(walkthrough)
    elif form == "text" and options.to in (None, STDOUT):
        from muddled_orchard.commands.walkthrough.terminal import show_walkthrough
        from muddled_orchard.show.terminal.plain import Plain

        show_walkthrough(Plain(), walkthrough)
    else:
        data = _written(walkthrough, form).encode("utf-8", "backslashreplace")
        write_file(options.to or STDOUT, data)
        if options.to not in (None, STDOUT):
            print(f"Written: {options.to}", file=sys.stderr)
    return 0


def _form(options: argparse.Namespace) -> str:
    """The form that is asked for. Raises BadInput for a file that no form is written to."""
    if options.step and (options.to is not None or options.form is not None):
        raise BadInput(Problem("--step shows it in the terminal", "Leave --to and --form out, or --step."))
    if options.form is not None:
        return str(options.form)
    if options.to in (None, STDOUT):
        return "text"
    ending = options.to.suffix.lower().removeprefix(".")
    known = {"txt": "text", "markdown": "md", "htm": "html"}.get(ending, ending)
    if known not in FORMS:
        hint = "End it in .md, .html, .sh or .txt; or say --form."
        raise BadInput(Problem(f'"{options.to.name}" does not say in which form', hint, file=str(options.to)))
    return str(known)


def _chosen(whole: Walkthrough, options: argparse.Namespace) -> Walkthrough:
    """The steps that are asked for, with the numbers that they have in the whole."""
    steps = [step for step in whole.steps if options.only in (None, step.half)]
    if options.short:
        steps = [step for step in steps if not step.wrong_turn]
    if options.without_tool:
        steps = [step for step in steps if step.name.partition(":")[0] != TOOL]
    return replace(whole, steps=tuple(steps))


def _written(walkthrough: Walkthrough, form: str) -> str:
    """The walkthrough in a form. What it needs is loaded when it is asked for."""
    if form == "md":
        from muddled_orchard.commands.walkthrough.markdown import walkthrough_markdown

        return walkthrough_markdown(walkthrough)
    if form == "html":
        from muddled_orchard.commands.walkthrough.page import walkthrough_page

        return walkthrough_page(walkthrough)
    if form == "sh":
        from muddled_orchard.commands.walkthrough.script import walkthrough_script

        return walkthrough_script(walkthrough)
    from muddled_orchard.commands.walkthrough.terminal import walkthrough_text

    return walkthrough_text(walkthrough)
