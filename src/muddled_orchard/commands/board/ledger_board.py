"""The board of what a host has written down: pushes and raised hands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.classroom.standing import allowances_of
from muddled_orchard.core.course.board import Board, Seen, board, excused_seen, seen_of_pushes
from muddled_orchard.core.course.plan import CoursePlan
from muddled_orchard.core.course.practice import practised_exercise
from muddled_orchard.core.course.pushes import RecordedPush
from muddled_orchard.core.course.roster import shown_names
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.submission.peek import Peek
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.files.stored import Damaged
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
        order = self._order or list(dict.fromkeys(exercise for _, exercise in given))
        seen: dict[str, list[Seen]] = {}
        allowances = allowances_of(self._ledger, self._plan)
        for learner in self._ledger.learners():
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
                team = tuple(sorted(self._sharing.get((learner, exercise), ())))
                seen.setdefault(learner, []).append(replace(shown, team=team if len(team) > 1 else ()))
        for one in self._ledger.each_hand_out(practice=True):
            if one.replaced is None:
                exercise = practised_exercise(one.exercise)
                came = self._came(pushes, one.learner, one.exercise)
                practised = seen_of_pushes(exercise, exercise, _seconds(one.made), came)
                seen.setdefault(one.learner, []).append(replace(practised, practice=True))
        names = shown_names(self._ledger.learners().values())
        return board(seen, names, raised_hands(self._ledger))

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
