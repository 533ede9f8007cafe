"""What a whole pile of submissions shows that no single one does: whose they are, who is missing, and what
does not fit together. It is told, and never marked."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime

from msgspec import Struct

from muddled_orchard.core.course.allowances import NOTHING_ALLOWED, Allowances
from muddled_orchard.core.course.class_entry import ClassEntry
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.git.commits import name_of
from muddled_orchard.core.grading.finding import Kind
from muddled_orchard.core.grading.kinds.pile import (
    Attempts,
    DatedTooEarly,
    MadeByAnother,
    NameOfAnother,
    NotHandedOut,
    NothingCame,
    PassedOver,
    SharedCommits,
)

_DAY = 86_400


class ClassFinding(Struct, frozen=True):
    """Something worth telling about a class: a word for its kind, what was found, and the submissions that
    it is about."""

    kind: str
    what: Kind
    submissions: tuple[str, ...] = ()

    @property
    def said(self) -> str:
        """What was found, as a short sentence."""
        return self.what.said


def findings(
    collected: Sequence[ClassEntry],
    hand_outs: Sequence[HandOut],
    roster: Mapping[str, Learner],
    allowances: Allowances = NOTHING_ALLOWED,
) -> Iterator[ClassFinding]:
    """Everything worth telling, grouped by kind. Without a ledger (`hand_outs`) only what submissions show
    among themselves."""
    readable = [graded for graded in collected if graded.exercise]
    if hand_outs:
        yield from _unknown(readable)
        yield from _by_another(readable, roster)
        yield from _too_early(readable, hand_outs)
        yield from _missing(readable, hand_outs, allowances)
    yield from _attempts(readable)
    yield from _shared(readable)


def passed_over(pages: int, empty: int) -> Iterator[ClassFinding]:
    """That things lay in a pile which are nobody's submission, where there were any."""
    if pages or empty:
        yield ClassFinding("passed over", PassedOver(pages, empty))


def best_attempts(collected: Sequence[ClassEntry]) -> list[ClassEntry]:
    """One submission for each learner and exercise: that with the most points, of equals the last. What
    doesn't count is left out."""
    best: dict[tuple[str, str], ClassEntry] = {}
    for graded in collected:
        if not graded.counts:
            continue
        place = (graded.learner, graded.exercise)
        if place not in best or graded.percent >= best[place].percent:
            best[place] = graded
    return list(best.values())


def _unknown(collected: Iterable[ClassEntry]) -> Iterator[ClassFinding]:
    for graded in collected:
        if not graded.known and graded.uncounted != "practice":
            about = (graded.submission, graded.exercise, graded.variant)
            yield ClassFinding("unknown", NotHandedOut(*about, graded.counts), (graded.submission,))


def _by_another(collected: Sequence[ClassEntry], roster: Mapping[str, Learner]) -> Iterator[ClassFinding]:
    """A hand-out that came back under another learner's name, or whose commits another learner made."""
    by_name: dict[str, set[str]] = {}
    for id_, learner in roster.items():
        by_name.setdefault(learner.name.casefold(), set()).add(id_)
    by_id = {id_.casefold(): id_ for id_ in roster}
    for graded in collected:
        if not graded.known:
            continue
        words, theirs = _words(graded.submission), {graded.learner, *graded.team}
        filed = {by_id[word] for word in words if word in by_id} - theirs
        own = any(id_.casefold() in words for id_ in theirs)
        for other in sorted(filed) if not own else ():
            name_of_another = NameOfAnother(graded.submission, graded.learner, other)
            yield ClassFinding("another's", name_of_another, (graded.submission,))
        made = [by_name.get(name_of(maker).casefold(), set()) for maker in graded.makers]
        for other in sorted({min(ids) for ids in made if ids and not ids & theirs}):
            by = MadeByAnother(graded.submission, graded.learner, other, roster[other].name)
            yield ClassFinding("another's", by, (graded.submission,))


def _words(path: str) -> set[str]:
    """The names in a path that may be somebody's id."""
    last = path.replace("\\", "/").split("/")[-2:]
    words = {part.casefold() for name in last for part in re.split(r"[\s_\-./()]+", name)}
    return words | {name.casefold() for name in last} | {name.split(".")[0].casefold() for name in last}


def _missing(
    collected: Sequence[ClassEntry], hand_outs: Sequence[HandOut], allowances: Allowances
) -> Iterator[ClassFinding]:
    """Who got an exercise that others handed in, and did not."""
    exercises = dict.fromkeys(graded.exercise for graded in collected if graded.uncounted != "practice")
    there = {
        (graded.exercise, learner)
        for graded in collected
        if graded.counts
        for learner in (graded.learner, *graded.team)
    }
    for exercise in exercises:
        missing = [
            hand_out.learner
            for hand_out in hand_outs
            if hand_out.exercise == exercise
            and (exercise, hand_out.learner) not in there
            and not allowances.excused(hand_out.learner, exercise)
        ]
        if missing:
            yield ClassFinding("missing", NothingCame(exercise, missing))


def _too_early(collected: Sequence[ClassEntry], hand_outs: Sequence[HandOut]) -> Iterator[ClassFinding]:
    """Work that is dated before there was anything to work on; a day is left for clocks that go wrong."""
    made = {(hand_out.exercise, hand_out.learner): _seconds(hand_out.made) for hand_out in hand_outs}
    for submission in collected:
        begun, given = (
            submission.begun,
            made.get((submission.exercise, submission.learner), 0),
        )
        if submission.known and 0 < begun < given - _DAY:
            yield ClassFinding("dated", DatedTooEarly(submission.submission), (submission.submission,))


def _seconds(made: str) -> int:
    try:
        return int(datetime.fromisoformat(made).timestamp())
    except ValueError:
        return 0


def _attempts(collected: Iterable[ClassEntry]) -> Iterator[ClassFinding]:
    grouped: dict[tuple[str, str], list[ClassEntry]] = {}
    for entry in collected:
        if entry.counts:
            of_it = grouped.setdefault((entry.learner, entry.exercise), [])
            if not (entry.team and any(entry.work == other.work for other in of_it)):
                of_it.append(entry)  # the same work from two of a team is handed in once
    for (learner, exercise), several in grouped.items():
        if len(several) > 1:
            best = best_attempts(several)[0]
            names = tuple(graded.submission for graded in several)
            attempts = Attempts(learner, exercise, len(several), best.submission)
            yield ClassFinding("attempts", attempts, names)


def _shared(collected: Iterable[ClassEntry]) -> Iterator[ClassFinding]:
    """Commits that two learners have, although one of them must have made them."""
    holders: dict[bytes, list[ClassEntry]] = {}
    for entry in collected:
        for commit in entry.commits:
            holders.setdefault(commit, []).append(entry)
    pairs: dict[tuple[str, ...], list[str]] = {}
    for commit, several in holders.items():
        if len({graded.team or (graded.learner,) for graded in several}) > 1:
            pairs.setdefault(tuple(graded.submission for graded in several), []).append(commit.hex())
    for names, commits in pairs.items():
        yield ClassFinding("shared", SharedCommits(names, len(commits), commits[:5]), names)
