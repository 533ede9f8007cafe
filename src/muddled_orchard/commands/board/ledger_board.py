"""The board of what a host has written down: pushes and raised hands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.classroom.standing import allowances_of, rules_of
from muddled_orchard.core.course.board import Board, Seen, board, excused_seen, in_team, seen_of_pushes
from muddled_orchard.core.course.plan import CoursePlan
from muddled_orchard.core.course.practice import practised_exercise
from muddled_orchard.core.course.pushes import Arrived, CameMeanwhile, RecordedPush, arrived
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import shown_names
from muddled_orchard.core.course.shared_tasks import SharedTask, shared_tasks, turn_told
from muddled_orchard.core.exercise.arriving import arrivals
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.shared_work import Member
from muddled_orchard.core.submission.peek import Peek
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.files.stored import Damaged, scenario_of
from muddled_orchard.files.stored_results import assessment_of


class RowDetail(Struct, frozen=True):
    """What is behind a row: where it lies, what was found, and what is under way."""

    place: str
    assessment: Assessment
    looked: Peek | None = None


class LedgerBoard:
    """Reads what a host writes down, again and again, of results only the new ones."""

    def __init__(
        self,
        ledger: HostLedger,
        order: Sequence[str],
        titles: Mapping[str, str],
        plan: CoursePlan | None = None,
    ) -> None:
        self._ledger, self._order, self._titles, self._plan = ledger, list(order), titles, plan
        self._results: dict[int, Assessment] = {}
        self._sharing: dict[tuple[str, str], list[str]] = {}
        self._scenarios: dict[str, Scenario | None] = {}

    def look(self) -> Board:
        """The board as it is now."""
        pushes = self._pushes()
        hand_outs, teams = self._ledger.hand_outs(), self._ledger.teams()
        given: dict[tuple[str, str], str] = {(one.learner, one.exercise): one.made for one in hand_outs}
        self._sharing = {
            (one.learner, one.exercise): teams[place]
            for one in hand_outs
            if (place := (one.exercise, one.variant)) in teams
        }
        members, came_meanwhile = rules_of(self._ledger).roles, self._ledger.arrivals()
        versions = {(one.learner, one.exercise): one for one in hand_outs}
        learners = self._ledger.learners()
        order = self._order or list(dict.fromkeys(exercise for _, exercise in given))
        seen: dict[str, list[Seen]] = {}
        allowances = allowances_of(self._ledger, self._plan)
        for learner in learners:
            for exercise in order:
                made = given.get((learner, exercise))
                if made is None:
                    continue
                title = self._titles.get(exercise, exercise)
                if allowances.excused(learner, exercise):
                    seen.setdefault(learner, []).append(excused_seen(exercise, title))
                    continue
                came = self._came(pushes, learner, exercise)
                shown = seen_of_pushes(exercise, title, _seconds(made), came)
                hand_out = versions[learner, exercise]
                team = self._sharing.get((learner, exercise), [learner])
                pushed = self._of_all(pushes, learner, exercise)
                last = learners.get(pushed[-1].learner) if pushed else None
                newest = next((found for _, found in reversed(came) if found is not None), None)
                nobody = [Member(one, learners[one].name) for one in team] if len(team) > 1 else []
                tasks = self._tasks(hand_out, newest, members.get((exercise, hand_out.variant), nobody))
                of_it = [one for one in came_meanwhile if (one.learner, one.exercise) == (team[0], exercise)]
                waiting = [one for one in self._arrived(hand_out, of_it) if not one.fetched]
                turn = turn_told(tasks, came[-1][0] if came else _seconds(made))
                shown = in_team(shown, team, waiting, last.name if last is not None else "", turn)
                seen.setdefault(learner, []).append(shown)
        for one in self._ledger.each_hand_out(practice=True):
            if one.replaced is None:
                exercise = practised_exercise(one.exercise)
                came = self._came(pushes, one.learner, one.exercise)
                practised = seen_of_pushes(exercise, exercise, _seconds(one.made), came)
                seen.setdefault(one.learner, []).append(replace(practised, practice=True))
        names = shown_names(self._ledger.learners().values())
        return board(seen, names, raised_hands(self._ledger))

    def _scenario(self, digest: str) -> Scenario | None:
        """A version of a scenario as the ledger keeps it; None where that can't be read."""
        if digest not in self._scenarios:
            text = self._ledger.version(digest)
            try:
                self._scenarios[digest] = scenario_of(text) if text is not None else None
            except Damaged:
                self._scenarios[digest] = None
        return self._scenarios[digest]

    def _tasks(
        self, hand_out: HandOut, newest: Assessment | None, team: Sequence[Member]
    ) -> list[SharedTask]:
        """The tasks that a team has given out among itself."""
        scenario = self._scenario(hand_out.scenario) if team else None
        if scenario is None:
            return []
        labels = {label: label for task in scenario.task for label in task.labels}
        return shared_tasks(scenario, labels, newest, team)

    def _arrived(self, hand_out: HandOut, came: Sequence[CameMeanwhile]) -> list[Arrived]:
        """What teammates have pushed to a repository."""
        scenario = self._scenario(hand_out.scenario) if came else None
        if scenario is None:
            return []
        variant = Variants(scenario).of(hand_out.variant)
        return arrived(arrivals(variant.scenario, variant.history), came)

    def _came(
        self, pushes: Mapping[tuple[str, str], Sequence[RecordedPush]], learner: str, exercise: str
    ) -> list[tuple[float, Assessment | None]]:
        of_it = self._of_all(pushes, learner, exercise)
        return [(_seconds(push.at), self._results.get(push.grading or 0)) for push in of_it]

    def details(self, learner: str) -> list[RowDetail]:
        """What is behind a learner's row: the newest graded push to each exercise."""
        rows = []
        pushes = self._pushes()
        for exercise in dict.fromkeys(exercise for _, exercise in pushes):
            of_it = self._of_all(pushes, learner, exercise)
            newest = [push for push in of_it if push.grading in self._results]
            if newest:
                rows.append(
                    RowDetail(f"{exercise}, push {len(of_it)}", self._results[newest[-1].grading or 0])
                )
        return rows

    def _of_all(
        self, pushes: Mapping[tuple[str, str], Sequence[RecordedPush]], learner: str, exercise: str
    ) -> list[RecordedPush]:
        """The pushes of a learner to an exercise, and those of their team, the oldest first."""
        whose = self._sharing.get((learner, exercise), [learner])
        found = [push for one in whose for push in pushes.get((one, exercise), ())]
        return sorted(found, key=lambda push: push.id)

    def _pushes(self) -> dict[tuple[str, str], list[RecordedPush]]:
        pushes: dict[tuple[str, str], list[RecordedPush]] = {}
        wanted = []
        for push in self._ledger.pushes():
            pushes.setdefault((push.learner, push.exercise), []).append(push)
            if push.grading is not None and push.grading not in self._results:
                wanted.append(push.grading)
        for id_, text in self._ledger.results(wanted):
            try:
                self._results[id_] = assessment_of(text)
            except Damaged:
                continue
        return pushes


def raised_hands(ledger: HostLedger) -> dict[str, float]:
    """Who wants help, and since when, in seconds since 1970."""
    return {hand.learner: _seconds(hand.raised) for hand in ledger.hands()}


def _seconds(at: str) -> float:
    return datetime.fromisoformat(at).astimezone(UTC).timestamp()
