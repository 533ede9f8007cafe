"""Submissions that were handed out at a step of the walkthrough: which step it was, and what that gave."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.base.remembering import remember
from muddled_orchard.core.exercise.asked import ASKED, Asked
from muddled_orchard.core.exercise.claim import ExerciseVariant
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.given import Given, given_by, without_given
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
        self._shares: dict[tuple[int, str, str], tuple[Scenario | None, tuple[float, ...]]] = {}

    def taken_off(self, assessment: Assessment, submission: Submission, asked: Asked | None) -> Assessment:
        """An assessment without what was given. `asked` may name the step that stood there, and the work
        itself; where that was taken out, the commits of the walkthrough tell."""
        key = submission.key
        if asked is not None and asked.at:
            step, given = asked.at, self._given(key, asked)
        else:
            step = self._step_by_commits(submission)
            given = self._given_at(key, step) if step else None
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
            assessment = self._state(key, step.name) if step.half == "task" else None
            if assessment is not None and assessment.commits and set(assessment.commits) <= found.keys():
                return step.name
        return ""

    def _given(self, key: Key, asked: Asked) -> Given | None:
        """What was given with a hand-out that names its step. A step gives alike in all variants that meet
        alike conflicts, so that it is carried out for one of them; a hand-out says itself which work it was,
        and whoever changes that earns nothing by it."""
        if not asked.given:  # an earlier version made it
            return self._given_at(key, asked.at)
        from muddled_orchard.core.key.survey import shape  # few hand-outs begin at a step

        scenario = self._find(ExerciseVariant(key.scenario.id, key.variant))
        alike = (id(scenario), repr(shape(key)), asked.at)
        if alike not in self._shares:
            given = self._given_at(key, asked.at)
            if given is None:
                return None
            # As long as the scenario is held, its id is its own.
            remember(self._shares, alike, (scenario, given.shares), _MOST)
        return Given(self._shares[alike][1], asked.given)

    def _given_at(self, key: Key, step: str) -> Given | None:
        """What the state after a step gives; None where there is no such step."""
        assessment = self._state(key, step)
        return None if assessment is None else given_by(assessment)

    def _state(self, key: Key, step: str) -> Assessment | None:
        """What the state after a step would earn; None where there is no such step."""
        known = (key.scenario.id, key.variant, step)
        if known not in self._known:
            remember(self._known, known, self._assessed(key, step), _MOST)
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
