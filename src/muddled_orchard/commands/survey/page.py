"""Scenarios as one HTML page that stands alone: for the beamer, and for reading."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from html import escape
from typing import Any

from markupsafe import Markup
from msgspec import Struct

from muddled_orchard.commands.survey.terminal import words_of
from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.exercise.arriving import moments_told
from muddled_orchard.core.exercise.roles import task_heading
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.comparison import Comparison
from muddled_orchard.core.key.conflict_view import ChoiceView, ConflictView, SideView, view_of
from muddled_orchard.core.key.graph import Graph, handed_out, wanted
from muddled_orchard.core.key.survey import Survey, as_fast_forward, becomes_empty, outside_changes
from muddled_orchard.core.merging.conflict import Conflict
from muddled_orchard.core.walkthrough.words import kind_told, sides_told
from muddled_orchard.show.exercise_words import HANDED_OUT, conflicts_in_words
from muddled_orchard.show.figures.svg import graph_svg, told
from muddled_orchard.show.page import rendered, template
from muddled_orchard.show.terminal.characters import printable

Written = Mapping[tuple[int, str], Mapping[str, bytes]]


class Surveyed(Struct, frozen=True):
    """A scenario for the page: its survey, and its conflicted files as Git writes them in each style (by the
    place of the step among the key's, and by path)."""

    survey: Survey
    written: Written


def survey_page(surveyed: Sequence[Surveyed], comparison: Comparison | None, *, with_key: bool) -> str:
    """The page. Without the key nothing of what is accepted is in it."""
    scenarios = [_scenario(one, with_key=with_key) for one in surveyed]
    title = scenarios[0]["title"] if len(scenarios) == 1 else counted(len(scenarios), "scenario")
    return template("commands/survey/page.html").render(
        title=title,
        scenarios=scenarios,
        comparison=comparison,
        with_key=with_key,
    )


def _scenario(surveyed: Surveyed, *, with_key: bool) -> dict[str, Any]:
    survey, key = surveyed.survey, surveyed.survey.key
    scenario = key.scenario
    return {
        "id": key.scenario.id,
        "title": printable(key.scenario.title.strip()),
        "language": key.scenario.language,
        "brief": rendered(key.scenario.brief_for()),
        "level": f"{survey.difficulty.level} ({survey.difficulty.points})",
        "operations": ", ".join(survey.operations),
        "conflicts": conflicts_in_words(survey),
        "reasons": [f"{points}: {why}" for points, why in survey.difficulty.reasons],
        "before": _graph(handed_out(key)),
        "after": _graph(after) if (after := wanted(key)) is not None else None,
        "moments": [printable(told) for told in moments_told(scenario, key.history)],
        "handed_out": HANDED_OUT[scenario.start.own],
        "tasks": [
            {
                "heading": printable(task_heading(scenario, number)),
                "words": printable(in_words(task)),
                "steps": [
                    _step(key, place, step, surveyed.written, with_key=with_key)
                    for place, step in enumerate(key.steps)
                    if step.task == number
                ],
            }
            for number, task in enumerate(key.scenario.task, start=1)
        ],
    }


def _graph(graph: Graph) -> dict[str, Any]:
    return {"svg": Markup(graph_svg(graph)), "told": printable(told(graph))}  # noqa: S704 - it is escaped


def _step(key: Key, place: int, step: Step, written: Written, *, with_key: bool) -> dict[str, Any]:
    merge = (step.given_up or step).merge
    about = key.commits.get(step.commit or "")
    remarks = []
    if step.given_up is not None:
        remarks.append("It stops here, and is to be given up again: then all is as before.")
    elif step.fast_forward:
        remarks.append(f"It {as_fast_forward(step.operation)}.")
    elif not merge.conflicts:
        remarks.append("No conflict.")
    if step.commit and becomes_empty(key, step):
        remarks.append("Nothing is left of this commit.")
    return {
        "subject": printable(about.subject) if about else "",
        "remarks": remarks,
        "sides": printable(sides_told(step.operation, step.ours_name, step.theirs_name))
        if merge.conflicts
        else "",
        "conflicts": [
            _conflict(key, step, conflict, written.get((place, conflict.path), {}), with_key=with_key)
            for conflict in merge.conflicts
        ],
        "fixes": [
            {"path": printable(path), "changes": _changes(outside_changes(key, step, path))}
            for path in sorted(step.clean_merge_fixes)
        ]
        if with_key
        else [],
    }


def _conflict(
    key: Key, step: Step, conflict: Conflict, styles: Mapping[str, bytes], *, with_key: bool
) -> dict[str, Any]:
    view = view_of(key, step, conflict)
    hunks = conflict.merged.hunks if conflict.merged else ()
    ways = step.accepted.get(conflict.path, ())
    return {
        "path": printable(conflict.path),
        "kind": conflict.kind,
        "size": counted(len(hunks), "hunk") if hunks else "no markers",
        "told": "" if hunks else printable(kind_told(conflict)),
        "sides": [_side(side) for side in view.sides],
        "merged": _merged(view),
        "styles": [{"name": name, "lines": _styled(data)} for name, data in styles.items()] if hunks else [],
        "choices": [
            {"number": number, "rows": [_choice(step, choice, with_key=with_key) for choice in choices]}
            for number, choices in enumerate(view.choices, start=1)
        ],
        "accepted": [
            {
                "hunk": number if len(hunks) > 1 else None,
                "words": printable(words_of(ways, None if not hunks else number - 1)),
            }
            for number in range(1, max(1, len(hunks)) + 1)
        ]
        if with_key and ways
        else [],
        "outside": _changes(outside_changes(key, step, conflict.path)) if with_key else "",
        "why": [printable(" ".join(why.split())) for why in dict.fromkeys(w.why for w in ways if w.why)]
        if with_key
        else [],
    }


def _side(side: SideView) -> dict[str, Any]:
    lines = []
    for line in side.lines or ():
        if line.number is None:
            lines.append('<span class="filler">   </span>' if line.empty else '<span class="cut">...</span>')
            continue
        inside = "".join(
            f"<mark>{_text(piece.text)}</mark>" if piece.changed and piece.text else _text(piece.text)
            for piece in line.pieces
        )
        lines.append(f'<span class="n">{line.number:>3}</span> {inside}')
    return {
        "name": printable(side.name),
        "note": side.note,
        "lines": Markup("\n".join(lines)) if side.lines else None,  # noqa: S704 - it is escaped
    }


_AROUND = 3


def _merged(view: ConflictView) -> Markup:
    """The merged file: clean lines as far as they stand near something, hunks in their parts."""
    lines = view.merged
    near = {
        place
        for at, line in enumerate(lines)
        if line.side != "clean"
        for place in range(at - _AROUND, at + _AROUND + 1)
    }
    shown: list[str] = []
    before: tuple[int | None, str] = (None, "clean")
    for at, line in enumerate(lines):
        if at not in near:
            if (shown and shown[-1] != _CUT) or not shown:
                shown.append(_CUT)
            continue
        part = (line.hunk, line.side)
        name = ""
        if part != before and line.hunk is not None:
            name = f'<span class="remark">◂ {line.side}</span>'
        before = part
        text = f"{_text(line.text)} {name}".rstrip()
        shown.append(text if line.side == "clean" else f'<span class="{line.side}">{text or " "}</span>')
    return Markup("\n".join(shown))  # noqa: S704 - it is escaped


_CUT = '<span class="cut">...</span>'


def _styled(data: bytes) -> Markup:
    """A file as Git wrote it, its markers told apart; clean lines far from them are left out."""
    lines = data.decode("utf-8", "replace").split("\n")
    marks = {at for at, line in enumerate(lines) if line[:7] in ("<<<<<<<", "|||||||", "=======", ">>>>>>>")}
    begins = sorted(marks)
    inside: set[int] = set()
    for start in (at for at in begins if lines[at].startswith("<<<<<<<")):
        end = next((at for at in begins if at > start and lines[at].startswith(">>>>>>>")), start)
        inside |= set(range(start - _AROUND, end + _AROUND + 1))
    shown: list[str] = []
    for at, line in enumerate(lines):
        if at not in inside:
            if not shown or shown[-1] != _CUT:
                shown.append(_CUT)
            continue
        shown.append(f'<span class="marker">{_text(line)}</span>' if at in marks else _text(line))
    return Markup("\n".join(shown))  # noqa: S704 - it is escaped


def _choice(step: Step, choice: ChoiceView, *, with_key: bool) -> dict[str, Any]:
    names = {"ours": step.ours_name, "theirs": step.theirs_name, "base": "the base"}
    words = [" and then ".join(names.get(part, part) for part in word.split("+")) for word in choice.words]
    verdict = ""
    if with_key:
        share = f"{100 * choice.worth:g} % of the points"
        verdict = "accepted" if choice.worth == 1 else share if choice.worth else "not accepted"
    return {
        "words": printable(" = ".join(words)),
        "lines": Markup("\n".join(_text(line.rstrip("\r\n")) for line in choice.lines)),  # noqa: S704
        "empty": not choice.lines,
        "verdict": verdict,
        "tone": "good" if choice.worth == 1 else "doubt" if choice.worth else "bad",
    }


def _changes(lines: Sequence[str]) -> Markup:
    kinds = {"+": "ins", "-": "del", "@": "cut"}
    return Markup("\n".join(_changed(line, kinds.get(line[:1])) for line in lines))  # noqa: S704


def _changed(line: str, kind: str | None) -> str:
    return f'<span class="{kind}">{_text(line)}</span>' if kind else _text(line)


def _text(text: str) -> str:
    return escape(printable(text.expandtabs(8)))
