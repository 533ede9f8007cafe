"""A scenario before anybody works on it, in the terminal: the graph, the conflicts side by side, the key."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from msgspec.structs import replace

from muddled_orchard.core.base.phrases import all_of, counted, listed
from muddled_orchard.core.exercise.arriving import moments_told
from muddled_orchard.core.exercise.file_rules import rule_in_words
from muddled_orchard.core.exercise.roles import task_heading
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.git.lines import Lines, is_binary
from muddled_orchard.core.git.trees import kind_of
from muddled_orchard.core.key.accepted import AS_WRITTEN, Accepted, HunkChoice
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.comparison import Comparison
from muddled_orchard.core.key.graph import Graph, handed_out, wanted
from muddled_orchard.core.key.survey import (
    Survey,
    as_fast_forward,
    becomes_empty,
    outside_changes,
    without_commit,
)
from muddled_orchard.core.merging.conflict import Conflict, Hunk
from muddled_orchard.show.exercise_words import HANDED_OUT, LEVEL_STYLES, conflicts_in_words
from muddled_orchard.show.terminal.characters import printable, sign, speaks_unicode
from muddled_orchard.show.terminal.drawn_graph import show_graph
from muddled_orchard.show.terminal.plain import Plain, Styled, at_the_right, show_item
from muddled_orchard.show.terminal.proved import show_proof

_MOST_LINES = 14
_MOST_CHANGES = 40


def show_survey(on: Plain, survey: Survey, *, ran: bool = False) -> None:
    """One scenario in full. `ran`: the commands of its rules were run."""
    key = survey.key
    scenario = key.scenario
    on.styled((printable(scenario.title, on), "strong"), (f"  {scenario.id}", "faint"))
    level = survey.difficulty.level
    on.styled(("Difficulty: ", ""), (level, LEVEL_STYLES[level]), (f" ({survey.difficulty.points})", ""))
    for points, why in survey.difficulty.reasons:
        on.line(f"  {points:>2}  {why}", "faint")
    _handed_out(on, key)
    for number, task in enumerate(scenario.task, start=1):
        on.line()
        on.line(f"{printable(task_heading(scenario, number), on)}: {in_words(task)}", "strong")
        for step in (step for step in key.steps if step.task == number):
            _step(on, key, step)
    if (after := wanted(key)) is not None:
        _graph(on, "After a right solution", after)
    if scenario.rule:
        _rules(on, survey, ran=ran)
    on.line()
    for remark in survey.remarks:
        show_item(on, "!", remark, "doubt")
    for problem in survey.errors:
        show_item(on, sign(on, "missed"), str(problem).split("\n")[0], "bad")
        if problem.hint:
            show_item(on, " ", problem.hint, "default")
    if not survey.errors:
        show_item(on, sign(on, "met"), f"{_covered(key)}.", "good")
    if survey.proof is not None and not survey.proof.faults:
        show_proof(on, survey.proof)


def _handed_out(on: Plain, key: Key) -> None:
    """What the learner receives, and what comes later."""
    scenario = key.scenario
    _graph(on, HANDED_OUT[scenario.start.own], handed_out(key))
    if scenario.start.work:
        staged = scenario.start.stage.keys() - scenario.start.write.keys()
        names = [f"{path} (staged)" if path in staged else path for path in sorted(scenario.start.work)]
        on.line(f"  Not committed: {printable(listed(names), on)}")
    for told in moments_told(scenario, key.history):
        show_item(on, " ", told, "default")


def _covered(key: Key) -> str:
    """What the key is good for."""
    conflicts = sum(len(step.merge.conflicts) for step in key.steps)
    fixed = sorted({path for step in key.steps for path in step.clean_merge_fixes})
    parts = (
        [f"covers {'the conflict' if conflicts == 1 else f'{all_of(conflicts).lower()} conflicts'}"]
        if conflicts
        else []
    )
    parts += [f"says what {listed(fixed)} should be, where Git sees no conflict"] if fixed else []
    if key.scenario.makes_own:
        return "The learner makes the conflict: no key is needed, and none can leak"
    return (
        f"The key {' and '.join(parts)}" if parts else "Nothing conflicts, and the key asks for nothing else"
    )


def _rules(on: Plain, survey: Survey, *, ran: bool) -> None:
    """The scenario's own rules, each with what it says of the key's solution."""
    on.line()
    on.line("Rules, on the key's solution", "strong")
    broken = {problem.key[1] for problem in survey.errors if problem.key[:1] == ("rule",) and problem.key[1:]}
    for number, rule in enumerate(survey.key.scenario.rule):
        bad = number in broken
        if rule.runs is not None and not ran and not bad:
            told = f"{rule_in_words(rule)} (not run; --run-rules)"
            show_item(on, f"  {sign(on, 'skipped')}", told, "faint")
            continue
        mark = sign(on, "missed" if bad else "met")
        words = f"{rule.file} {rule_in_words(rule)}".strip()
        show_item(on, f"  {mark}", words, "bad" if bad else "good")


def _graph(on: Plain, title: str, graph: Graph) -> None:
    on.line()
    on.line(title, "strong")
    show_graph(on, graph)


def _step(on: Plain, key: Key, step: Step) -> None:
    if told := without_commit(key, step):
        on.line(f"  {printable(told, on)}")
        return
    if step.commit is not None:
        subject = key.commits[step.commit].subject
        label = f" ({step.label})" if step.label else ""
        outcome = "" if step.merge.conflicts else ": no conflict"
        empty = ", nothing is left of it" if becomes_empty(key, step) else ""
        into = f', becomes a part of "{key.commits[step.into].subject}"' if step.into else ""
        on.line(f'  "{printable(subject, on)}"{label}{outcome}{empty}{printable(into, on)}')
    elif not step.merge.conflicts:
        text = f"It {as_fast_forward(step.operation)}." if step.fast_forward else "no conflict"
        on.line(f"  {text}")
    for path in sorted(step.clean_merge_fixes):
        text = (
            "merges cleanly and is to be changed all the same" if path in step.merge.tree else "is to be made"
        )
        on.line(f"  {printable(path, on)} {text}:")
        _changes(on, outside_changes(key, step, path))
    for conflict in step.merge.conflicts:
        _conflict(on, key, step, conflict)


def _conflict(on: Plain, key: Key, step: Step, conflict: Conflict) -> None:
    accepted = step.accepted.get(conflict.path, ())
    on.line()
    hunks = conflict.merged.hunks if conflict.merged else ()
    size = f", {counted(len(hunks), 'hunk')}" if hunks else ", no markers"
    on.styled(("  ", ""), (printable(conflict.path, on), "strong"), (f"  {conflict.kind}{size}", ""))
    if not hunks:
        rows = [_side(key, conflict, stage) for stage in (1, 2, 3)]
        _beside(on, step, rows)
        _accepted(on, accepted, None)
    for number, hunk in enumerate(hunks):
        title = f"hunk {number + 1}" if len(hunks) > 1 else ""
        _beside(on, step, [hunk.base, hunk.ours, hunk.theirs], title, hunk)
        _accepted(on, accepted, number)
    if len(hunks) > 1 and len(accepted) > 1:
        _ways(on, accepted)
    if changes := outside_changes(key, step, conflict.path):
        on.line("    and beyond the hunks:")
        _changes(on, changes)
    for why in dict.fromkeys(way.why for way in accepted if way.why):
        on.line(f"    Why: {printable(why.strip(), on)}")


def _ways(on: Plain, accepted: Sequence[Accepted]) -> None:
    """Alternatives for a file of several hunks: each is right as a whole, and not hunk by hunk."""
    on.line("    each of these as a whole:")
    for number, way in enumerate(accepted, start=1):
        alone = replace(way, worth=1.0)
        words = [words_of([alone], hunk) for hunk in range(max(1, len(way.words)))]
        style = "good" if way.worth else "doubt"
        show_item(on, f"    {number}.", ", ".join(words) + _share(way.worth), style)


def _share(worth: float) -> str:
    return "" if worth == 1 else f" ({100 * worth:g} % of the points)" if worth else " (no points)"


def _changes(on: Plain, lines: Sequence[str]) -> None:
    styles = {"+": "good", "-": "bad", "@": "faint"}
    for line in lines[:_MOST_CHANGES]:
        on.line(f"      {printable(line, on)}", styles.get(line[:1], "default"))
    if len(lines) > _MOST_CHANGES:
        on.line(f"      ... {counted(len(lines) - _MOST_CHANGES, 'more line')}", "faint")


def _side(key: Key, conflict: Conflict, stage: int) -> Lines | None:
    blob = conflict.stages.get(stage)
    if blob is None:
        return None
    data = key.texts.get(blob.id, b"")
    if is_binary(data):
        return (f"(binary, {len(data)} bytes)",)
    kind = kind_of(blob.mode).shown
    return tuple(
        kind + line if number == 0 else line
        for number, line in enumerate(data.decode("utf-8", "replace").splitlines())
    )


def _beside(
    on: Plain,
    step: Step,
    sides: Sequence[Lines | None],
    title: str = "",
    hunk: Hunk | None = None,
) -> None:
    """Base, ours and theirs side by side."""
    shared = " (of several hunks)" if hunk is not None and hunk.base_is_shared else ""
    names = [printable(name, on) for name in (f"base{shared}", step.ours_name, step.theirs_name)]
    if title:
        on.line(f"    {title}", "faint")
    on.line()
    rows: list[list[Styled]] = [[(name, "faint") for name in names], [_block(on, side) for side in sides]]
    on.beside(5).columns(rows, most=max(20, (on.width - 14) // 3), ruled="─" if speaks_unicode(on) else "-")
    on.line()


def _accepted(on: Plain, accepted: Sequence[Accepted], hunk: int | None) -> None:
    """What the key accepts for a hunk, or for a whole path: in words, or as the lines that it wants."""
    long = [choice for choice in _choices(accepted, hunk) if _is_long(choice)]
    words = words_of(accepted, hunk, leave_out=long)
    weight = accepted[0].weight(hunk or 0) if accepted else 1
    counts = f" (counts {weight:g} times)" if weight != 1 else ""
    text = words or ("" if long else "nothing")
    on.line(f"    accepted{counts}: {printable(text, on)}", "good" if accepted else "bad")
    by_rules = next((choice for choice in _choices(accepted, hunk) if choice.rules), None)
    if by_rules is not None and by_rules not in long:
        on.line("    for example:", "faint")
        _lines(on, by_rules.text, "faint")
    for number, choice in enumerate(long):
        if words or number:
            on.line("    or", "good")
        _lines(on, choice.text, "good")


def _lines(on: Plain, lines: Lines, style: str) -> None:
    for line in lines:
        on.line(f"      {printable(line.rstrip(), on)}", style)


def _choices(accepted: Sequence[Accepted], hunk: int | None) -> Iterator[HunkChoice]:
    """What is accepted in a hunk, with what it is worth there."""
    for way in accepted:
        if hunk is not None and hunk < len(way.choices):
            yield from (replace(choice, worth=choice.worth * way.worth) for choice in way.choices[hunk])


def _is_long(choice: HunkChoice) -> bool:
    return choice.word == AS_WRITTEN and len(choice.text) > 1


def _block(on: Plain, side: Lines | None) -> Styled:
    if not side:
        return "(no such file)" if side is None else "(nothing)", "faint"
    lines = [printable(line.rstrip("\r\n"), on) for line in side[:_MOST_LINES]]
    if len(side) > _MOST_LINES:
        lines.append(f"... {counted(len(side) - _MOST_LINES, 'more line')}")
    return "\n".join(lines), ""


def words_of(accepted: Sequence[Accepted], hunk: int | None, leave_out: Sequence[HunkChoice] = ()) -> str:
    """The key's words for a hunk, or for a whole path."""
    words = []
    for way in accepted:
        if way.gone:
            words.append(f"gone{_share(way.worth)}")
        elif hunk is None or hunk >= len(way.choices):
            words.append(" ".join(way.words) + _share(way.worth))
    for choice in _choices([way for way in accepted if not way.gone], hunk):
        if choice in leave_out:
            continue
        written = "/".join(line.strip() for line in choice.text) or "nothing left"
        words.append((written if choice.word == AS_WRITTEN else choice.word) + _share(choice.worth))
    return " or ".join(dict.fromkeys(words)) or ("" if leave_out else "nothing")


def show_table(on: Plain, surveys: Mapping[str, Survey | None]) -> None:
    """Many scenarios, one line each; None for one with errors in its file."""
    rows: list[list[Styled]] = [
        [(name, "faint") for name in ("scenario", "operation", "conflicts", "difficulty")]
    ]
    for name, survey in surveys.items():
        if survey is None:
            failed = f"{sign(on, 'missed')} {printable(name, on)}"
            rows.append([(failed, "bad"), ("", ""), ("errors, see below", ""), ("", "")])
            continue
        verdict = "missed" if survey.errors else "met"
        level = survey.difficulty.level
        rows.append(
            [
                (f"{sign(on, verdict)} {survey.id}", "bad" if survey.errors else ""),
                (", ".join(survey.operations), ""),
                (conflicts_in_words(survey), ""),
                (f"{level} ({survey.difficulty.points})", LEVEL_STYLES[level]),
            ]
        )
    on.columns(rows, whole=(0, 3))
    proofs = [survey.proof for survey in surveys.values() if survey is not None and survey.proof is not None]
    if proofs:
        sound = sum(not proof.faults for proof in proofs)
        show_item(
            on,
            sign(on, "met" if sound == len(surveys) else "missed"),
            f"Proved: {sound} of {counted(len(surveys), 'key')}, carried out with Git and graded.",
            "good" if sound == len(surveys) else "bad",
        )


def show_comparison(on: Plain, comparison: Comparison) -> None:
    """Two scenarios that lead to the same files, side by side."""
    on.line()
    on.line("The same files, two ways to them:", "strong")
    heads = ("", *(cost.survey.id for cost in (comparison.first, comparison.second)))
    names, *numbers = zip(*comparison.rows, strict=True)
    lined_up = [at_the_right([head, *column]) for head, column in zip(heads[1:], numbers, strict=True)]
    rows: list[list[Styled]] = [
        [(cell, "" if number else "faint") for cell in row]
        for number, row in enumerate(zip(("", *names), *lined_up, strict=True))
    ]
    on.beside(2).columns(rows)
    if comparison.told:
        on.line(comparison.told)
