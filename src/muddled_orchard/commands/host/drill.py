"""The drill of a learner on a host: how far they are, what comes next, and how much they are told."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence

from muddled_orchard.classroom.practising import exercise_to_practise, works_seen
from muddled_orchard.commands.host.host import Host
from muddled_orchard.commands.host.pages import PracticeShown, SkillShown
from muddled_orchard.commands.host.refused import Refused
from muddled_orchard.core.course.drilling import (
    ROW,
    Practised,
    next_exercise,
    practised,
    standings,
)
from muddled_orchard.core.course.feedback import Telling
from muddled_orchard.core.course.practice import practised_exercise
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.grading.assessment import HINTS
from muddled_orchard.core.key.exercise_summary import ExerciseSummary
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.files.scenarios.catalogue_index import exercises_to_drill


class HostDrill:
    """The drill of a host's course, for each of its learners."""

    def __init__(self, host: Host) -> None:
        self._host = host

    def _exercises(self) -> list[ExerciseSummary]:
        return exercises_to_drill(self._host.course.exercises)

    async def _practised(self, learner: str) -> Practised:
        def read(ledger: HostLedger) -> Practised:
            return practised(self._exercises(), works_seen(ledger, learner))

        return await self._host.ledger.do(read)

    def _at_hand(self, learner: str, done: Practised) -> HandOut | None:
        """What a learner got and has not brought to its end."""
        ended = {(one.exercise, one.variant) for one in done.tries}
        given = reversed(self._host.course.practised(learner))
        return next(
            (one for one in given if (practised_exercise(one.exercise), one.variant) not in ended), None
        )

    async def shown(self, learner: str) -> PracticeShown | None:
        """What a learner's page shows of it; None where the course drills nothing."""
        wanted = self._host.course.plan.drill
        if not wanted:
            return None
        done, exercises = await self._practised(learner), self._exercises()
        at_hand = self._at_hand(learner, done)
        skills = [one for one in standings(exercises, done.tries) if one.skill in wanted]
        due = next_exercise(exercises, done.tries, self._host.clock.now(), wanted)
        return PracticeShown(
            [SkillShown(one.skill, one.tried, min(one.in_a_row, ROW), one.said) for one in skills],
            at_hand.exercise if at_hand is not None else "",
            self._host.course.title(at_hand.exercise) if at_hand is not None else "",
            due is not None,
        )

    async def next(self, learner: str, skill: str) -> str:
        """The id under which the exercise at hand is served, or the next one, which is made; empty where
        there is nothing to practise now. Raises Refused where the course does not drill that."""
        drilled = self._host.course.plan.drill
        if not drilled or skill not in ("", *drilled):
            raise Refused(404, "This course does not drill that.")
        wanted: Sequence[str] = (skill,) if skill else drilled
        async with self._host.pushing(f"the drill of {learner}"):  # asked for twice, it is one exercise
            done = await self._practised(learner)
            at_hand = self._at_hand(learner, done)
            if at_hand is not None:
                return at_hand.exercise
            found = next_exercise(self._exercises(), done.tries, self._host.clock.now(), wanted)
            if found is None:
                return ""
            await self._host.refuse_full(learner)
            exercise = await asyncio.to_thread(exercise_to_practise, found[0].id)
            return await self._host.give_practice(learner, exercise)

    async def telling(self, hand_out: HandOut) -> Telling:
        """How much is told of a practised work: more each time that it is wrong, and the answer at its
        end."""
        done = await self._practised(hand_out.learner)
        place = (practised_exercise(hand_out.exercise), hand_out.variant)
        if any((one.exercise, one.variant) == place for one in done.tries):
            return Telling(key=True, points=False)
        return Telling(hint=max(1, min(done.failed.get(place, 1), max(HINTS))), points=False)
