"""Submissions that were handed out at a step of the walkthrough: which step it was, and what that gave."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.exercise.asked import ASKED
from muddled_orchard.core.exercise.claim import ExerciseVariant
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.given import without_given
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.submission.submission import Submission
from muddled_orchard.core.walkthrough.task_times import task_times
from muddled_orchard.system.temporary import temporary_folder

_MOST = 256


class GivenStates:
    """What was given, remembered for a while. `find` gives the scenario of a hand-out, `grade` grades a
    repository that we made."""

    def __init__(
        self, find: Callable[[ExerciseVariant], Scenario | None], grade: Callable[[Path], Assessment]
    ) -> None:
        self._find = find
        self._grade = grade
        self._known: dict[tuple[str, str, str], Assessment | None] = {}

    def taken_off(self, assessment: Assessment, submission: Submission, named: str) -> Assessment:
        """An assessment without what was given. `named` is the step that the repository itself names; where
        that was taken out, the commits of the walkthrough tell."""
        key = submission.key
        step = named or self._step_by_commits(submission)
        given = self._given(key, step) if step else None
        return without_given(assessment, given, step) if given is not None else assessment

    def _step_by_commits(self, submission: Submission) -> str:
        """The last step whose commits are among a submission's: looked for only where it has some that no
        learner makes, by one of the cast at a time that only the walkthrough has."""
        key, found = submission.key, submission.evidence.commits
        if key.scenario.start.stopped:  # such commits may be a part of what everybody gets
            return ""
        times = task_times(key)
        cast = {str(commit.author) for commit in key.history.commits}
        if not any(commit.time in times and commit.author in cast for commit in found.values()):
            return ""
        from muddled_orchard.vcs.walkthrough.walking import steps_of  # most never come here

        scenario = self._find(ExerciseVariant(key.scenario.id, key.variant))
        for step in reversed(steps_of(scenario, key.variant) if scenario else ()):
            assessment = self._given(key, step.name) if step.half == "task" else None
            if assessment is not None and assessment.commits and set(assessment.commits) <= found.keys():
                return step.name
        return ""

    def _given(self, key: Key, step: str) -> Assessment | None:
        """What the state after a step would earn; None where there is no such step."""
        known = (key.scenario.id, key.variant, step)
        if known not in self._known:
            if len(self._known) >= _MOST:
                del self._known[next(iter(self._known))]
            self._known[known] = self._assessed(key, step)
        return self._known[known]

    def _assessed(self, key: Key, step: str) -> Assessment | None:
        from muddled_orchard.vcs.planting import write_files
        from muddled_orchard.vcs.walkthrough.walking import practice_at

        scenario = self._find(ExerciseVariant(key.scenario.id, key.variant))
        if scenario is None:
            return None
        try:
            practice, _ = practice_at(scenario, key.variant, step, key)
        except BadInput:  # a learner can write anything there
            return None
        files = {path: file for path, file in practice.files.items() if not path.endswith(f"/{ASKED}")}
        with temporary_folder() as room:
            write_files(room / "given", files)
            assessment = self._grade(room / "given")
        return None if assessment.state == "unreadable" else assessment
