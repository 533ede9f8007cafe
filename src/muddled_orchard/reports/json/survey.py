"""A survey as JSON."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.problems import Problem
from muddled_orchard.core.exercise.file_rules import rule_in_words
from muddled_orchard.core.exercise.tasks import in_words
from muddled_orchard.core.key.accepted import HunkChoice, weights_of
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.survey import Survey, outside_changes
from muddled_orchard.core.merging.conflict import Conflict
from muddled_orchard.reports.json.outputs import (
    CatalogueFile,
    ChoiceOut,
    ConflictOut,
    ProblemOut,
    RuleOut,
    StepOut,
    SummaryOut,
    SurveyFile,
    SurveyOut,
    TaskOut,
)
from muddled_orchard.reports.json.text import json_text


def survey_file(surveys: Sequence[Survey], problems: Sequence[Problem]) -> str:
    """All surveys and the problems of files that could not be surveyed."""
    data: SurveyFile = {
        "format": 1,
        "surveys": [_whole(survey) for survey in surveys],
        "problems": [_problem(problem) for problem in problems],
    }
    return json_text(data)


def _whole(survey: Survey) -> SurveyOut:
    errors = [_problem(error) for error in survey.errors]
    rules: list[RuleOut] = [
        {"file": rule.file, "asks": rule_in_words(rule)} for rule in survey.key.scenario.rule
    ]
    return {
        **summary(survey),
        "tasks": _tasks(survey.key),
        "rules": rules,
        "errors": errors,
        "remarks": list(survey.remarks),
    }


def catalogue_file(surveys: Sequence[Survey]) -> str:
    """The catalogue: `{"scenarios": [...]}`."""
    data: CatalogueFile = {"format": 1, "scenarios": [summary(survey) for survey in surveys]}
    return json_text(data)


def summary(survey: Survey) -> SummaryOut:
    """What a list shows of a scenario."""
    return {
        "id": survey.key.scenario.id,
        "title": survey.key.scenario.title,
        "operations": list(survey.operations),
        "kinds": list(survey.kinds),
        "hunks": survey.hunks,
        "difficulty": {
            "level": survey.difficulty.level,
            "points": survey.difficulty.points,
            "reasons": [{"points": points, "why": why} for points, why in survey.difficulty.reasons],
        },
    }


def _problem(problem: Problem) -> ProblemOut:
    return {
        "file": problem.file,
        "line": problem.line,
        "key": problem.key_text,
        "what": problem.what,
        "hint": problem.hint,
    }


def _tasks(key: Key) -> list[TaskOut]:
    return [
        {
            "task": number,
            "asks": in_words(task),
            "steps": [_step(key, step) for step in key.steps if step.task == number],
        }
        for number, task in enumerate(key.scenario.task, start=1)
    ]


def _step(key: Key, step: Step) -> StepOut:
    return {
        "commit": key.commits[step.commit].subject if step.commit else None,
        "label": step.label,
        "ours": step.ours_name,
        "theirs": step.theirs_name,
        "conflicts": [_conflict(key, step, conflict) for conflict in step.merge.conflicts],
        "mended": {path: outside_changes(key, step, path) for path in sorted(step.clean_merge_fixes)},
    }


def _conflict(key: Key, step: Step, conflict: Conflict) -> ConflictOut:
    accepted = step.accepted.get(conflict.path, ())
    hunks = conflict.merged.hunks if conflict.merged else ()
    return {
        "file": conflict.path,
        "kind": conflict.kind,
        "stages": {
            str(stage): {"mode": f"{blob.mode:06o}", "id": blob.id} for stage, blob in conflict.stages.items()
        },
        "beyond_hunks": outside_changes(key, step, conflict.path),
        "accepted": [["gone"] if way.gone else list(way.words) for way in accepted],
        "answers": [
            {
                "worth": way.worth,
                "weights": list(weights_of(conflict, accepted)),
                "hunks": [[_choice(choice) for choice in choices] for choices in way.choices],
                "why": way.why,
            }
            for way in accepted
        ],
        "hunks": [
            {
                "hunk": number,
                "base": "".join(hunk.base),
                "ours": "".join(hunk.ours),
                "theirs": "".join(hunk.theirs),
            }
            for number, hunk in enumerate(hunks, start=1)
        ],
    }


def _choice(choice: HunkChoice) -> ChoiceOut:
    return {
        "word": choice.word,
        "text": "".join(choice.text),
        "by_rules": choice.rules is not None,
        "worth": choice.worth,
    }
