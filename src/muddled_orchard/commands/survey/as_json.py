"""A survey as JSON."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from msgspec import Struct

from muddled_orchard.core.base.problems import Problem
from muddled_orchard.core.exercise.file_rules import rule_in_words
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.key.accepted import HunkChoice, weights_of
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.survey import Survey, outside_changes
from muddled_orchard.core.merging.conflict import Conflict
from muddled_orchard.show.json.exercise import SummaryOut, difficulty_out
from muddled_orchard.show.json.shapes import Line, about
from muddled_orchard.show.json.writing import json_text, shaped


class ProblemOut(Struct, rename={"key_text": "key"}):
    """Something that is wrong with a file that a person wrote."""

    file: str | None
    line: Line | None
    key_text: Annotated[str, about("The key in the file, lists counted from 1.")]
    what: str
    hint: Annotated[str, about("What to do about it; may be empty.")]


class StageOut(Struct):
    """A version of a conflicted file."""

    mode: str
    id: str


class SidesOut(Struct):
    """A hunk with its sides."""

    hunk: Line
    base: str
    ours: str
    theirs: str


class ChoiceOut(Struct):
    """Something that is accepted in a hunk."""

    word: str
    text: Annotated[str, about("What it reads; where rules decide, an example.")]
    by_rules: Annotated[bool, about("Whether any text is accepted that holds rules.")]
    worth: float


class AnswerOut(Struct):
    """One accepted resolution of a conflict."""

    worth: Annotated[float, about("The share of the points that it earns, 0 to 1.")]
    weights: Annotated[list[float], about("How much each hunk counts.")]
    hunks: Annotated[list[list[ChoiceOut]], about("What is accepted in each hunk; empty for a whole path.")]
    why: str


class ConflictOut(Struct):
    """A conflict, and what the key says of it."""

    file: str
    kind: str
    stages: Annotated[dict[str, StageOut], about("By stage: 1 base, 2 ours, 3 theirs.")]
    beyond_hunks: Annotated[list[str], about("What the key wants changed beyond the hunks, as a diff.")]
    accepted: Annotated[
        list[list[str]], about("Each alternative: a word a hunk, those of a solution by the key.")
    ]
    answers: Annotated[list[AnswerOut], about("The alternatives in full.")]
    hunks: list[SidesOut]


class StepOut(Struct):
    """A merge, or one replayed commit."""

    commit: Annotated[str | None, about("The subject of the commit that is replayed.")]
    label: str | None
    ours: str
    theirs: str
    conflicts: list[ConflictOut]
    mended: Annotated[
        dict[str, list[str]], about("What the key changes where Git sees no conflict, as diffs.")
    ]


class TaskOut(Struct):
    """A task with its steps."""

    task: Line
    role: Annotated[int, about("The role in a team whose task it is; 0 where it is everybody's.")]
    asks: str
    steps: list[StepOut]


class RuleOut(Struct):
    """A rule of the scenario's own."""

    file: str
    asks: str


class ProofOut(Struct):
    """What the key's own solution earns, carried out with Git and graded."""

    earned: Annotated[float, about("In points.")]
    possible: float
    ways: Annotated[int, about("How many other accepted ways were tried.")]


class SurveyOut(SummaryOut):
    """A scenario, surveyed."""

    tasks: list[TaskOut]
    rules: list[RuleOut]
    errors: list[ProblemOut]
    remarks: list[str]
    proof: Annotated[ProofOut | None, about("None where the file has other errors, or with --quick.")]


class SurveyFile(Struct):
    """What `muddled survey --json` prints."""

    format: Literal[1]
    surveys: list[SurveyOut]
    problems: Annotated[list[ProblemOut], about("What is wrong with files that could not be surveyed.")]


def survey_file(surveys: Sequence[Survey], problems: Sequence[Problem]) -> str:
    """All surveys and the problems of files that could not be surveyed."""
    whole = [_whole(survey) for survey in surveys]
    return json_text(shaped(SurveyFile, format=1, surveys=whole, problems=list(problems)))


def _whole(survey: Survey) -> SurveyOut:
    key, proof = survey.key, survey.proof
    return shaped(
        SurveyOut,
        survey,
        difficulty=difficulty_out(survey.difficulty),
        tasks=[
            TaskOut(
                number,
                task.role or 0,
                in_words(task),
                [_step(key, step) for step in key.steps if step.task == number],
            )
            for number, task in enumerate(key.scenario.task, start=1)
        ],
        rules=[RuleOut(rule.file, rule_in_words(rule)) for rule in key.scenario.rule],
        proof=None if proof is None or proof.faults else proof,
    )


def _step(key: Key, step: Step) -> StepOut:
    return StepOut(
        commit=key.commits[step.commit].subject if step.commit else None,
        label=step.label,
        ours=step.ours_name,
        theirs=step.theirs_name,
        conflicts=[_conflict(key, step, conflict) for conflict in step.merge.conflicts],
        mended={path: outside_changes(key, step, path) for path in sorted(step.clean_merge_fixes)},
    )


def _conflict(key: Key, step: Step, conflict: Conflict) -> ConflictOut:
    accepted = step.accepted.get(conflict.path, ())
    hunks = conflict.merged.hunks if conflict.merged else ()
    weights = list(weights_of(conflict, accepted))
    return ConflictOut(
        file=conflict.path,
        kind=conflict.kind,
        stages={str(n): StageOut(f"{blob.mode:06o}", blob.id) for n, blob in conflict.stages.items()},
        beyond_hunks=outside_changes(key, step, conflict.path),
        accepted=[["gone"] if way.gone else list(way.words) for way in accepted],
        answers=[
            AnswerOut(way.worth, weights, [list(map(_choice, choices)) for choices in way.choices], way.why)
            for way in accepted
        ],
        hunks=[
            SidesOut(number, "".join(hunk.base), "".join(hunk.ours), "".join(hunk.theirs))
            for number, hunk in enumerate(hunks, start=1)
        ],
    )


def _choice(choice: HunkChoice) -> ChoiceOut:
    return ChoiceOut(choice.word, "".join(choice.text), choice.rules is not None, choice.worth)
