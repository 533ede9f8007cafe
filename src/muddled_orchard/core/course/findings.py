"""What a whole pile of submissions shows that no single one does: whose they are, who is missing, and what
does not fit together. It is told, and never marked."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from muddled_orchard.core.base.phrases import counted, listed, times
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.grading.assessment import Assessment

_DAY = 86_400


@dataclass(frozen=True, slots=True, kw_only=True)
class Collected:
    """A graded submission: where it lay, whose it is by the ledger (else by its name), that person's name,
    whether its hand-out is in the ledger, and whether its grading was taken from there.

    `counts`: it is what this learner got. The ledger handed the exercise out, and not in this variant, where
    it doesn't.
    """

    submission: str
    learner: str
    name: str
    known: bool
    assessment: Assessment
    remembered: bool = False
    counts: bool = True

    @property
    def percent(self) -> float:
        """What it is worth to the learner, in percent."""
        return self.assessment.percent if self.counts else 0.0


@dataclass(frozen=True, slots=True)
class Finding:
    """Something worth telling about a class: a word for its kind, a sentence, and the submissions that it
    is about."""

    kind: str
    said: str
    submissions: tuple[str, ...] = ()


def findings(
    collected: Sequence[Collected], hand_outs: Sequence[HandOut], roster: Mapping[str, Learner]
) -> Iterator[Finding]:
    """Everything worth telling, grouped by kind. Without a ledger (`hand_outs`) only what submissions show
    among themselves."""
    readable = [one for one in collected if one.assessment.exercise]
    if hand_outs:
        yield from _unknown(readable)
        yield from _by_another(readable, roster)
        yield from _too_early(readable, hand_outs)
        yield from _missing(readable, hand_outs)
    yield from _attempts(readable)
    yield from _shared(readable)


def passed_over(pages: int, empty: int) -> Iterator[Finding]:
    """That things lay in a pile which are nobody's submission, where there were any."""
    said = [counted(pages, "page")] if pages else []
    said += ["1 empty entry" if empty == 1 else f"{empty} empty entries"] if empty else []
    if said:
        yield Finding(
            "passed over", f"{listed(said)} {'was' if pages + empty == 1 else 'were'} passed over", ()
        )


def best_attempts(collected: Sequence[Collected]) -> list[Collected]:
    """One submission for each learner and exercise: that with the most points, of equals the last. What
    doesn't count is left out."""
    best: dict[tuple[str, str], Collected] = {}
    for one in collected:
        if not one.counts:
            continue
        place = (one.learner, one.assessment.exercise)
        if place not in best or one.assessment.percent >= best[place].assessment.percent:
            best[place] = one
    return list(best.values())


def _unknown(collected: Iterable[Collected]) -> Iterator[Finding]:
    for one in collected:
        if not one.known:
            about = f"{one.assessment.exercise}, variant {one.assessment.variant}"
            said = f"{one.submission} was not handed out by this ledger ({about})"
            if not one.counts:
                said += "; it counts for nobody"
            yield Finding("unknown", said, (one.submission,))


def _by_another(collected: Sequence[Collected], roster: Mapping[str, Learner]) -> Iterator[Finding]:
    """A hand-out that came back under another learner's name, or whose commits another learner made."""
    by_name = {learner.name.casefold(): id_ for id_, learner in roster.items()}
    by_id = {id_.casefold(): id_ for id_ in roster}
    for one in collected:
        if not one.known:
            continue
        filed = {by_id[word] for word in _words(one.submission) if word in by_id} - {one.learner}
        own = one.learner.casefold() in _words(one.submission)
        for other in sorted(filed) if not own else ():
            said = f"{one.submission} bears the name of {other}, but it is {one.learner}'s hand-out"
            yield Finding("another's", said, (one.submission,))
        made = {by_name.get(maker.split(" <")[0].casefold()) for maker in one.assessment.makers}
        for other in sorted(id_ for id_ in made if id_ and id_ != one.learner):
            maker = f"{roster[other].name} ({other})"
            said = f"{one.submission} is {one.learner}'s hand-out, and {maker} made commits in it"
            yield Finding("another's", said, (one.submission,))


def _words(path: str) -> set[str]:
    """The names in a path that may be somebody's id."""
    last = path.replace("\\", "/").split("/")[-2:]
    words = {part.casefold() for name in last for part in re.split(r"[\s_\-./()]+", name)}
    return words | {name.casefold() for name in last} | {name.split(".")[0].casefold() for name in last}


def _missing(collected: Sequence[Collected], hand_outs: Sequence[HandOut]) -> Iterator[Finding]:
    """Who got an exercise that others handed in, and did not."""
    exercises = dict.fromkeys(one.assessment.exercise for one in collected)
    there = {(one.assessment.exercise, one.learner) for one in collected if one.counts}
    for exercise in exercises:
        missing = [
            one.learner
            for one in hand_outs
            if one.exercise == exercise and (exercise, one.learner) not in there
        ]
        if missing:
            yield Finding("missing", f"{exercise}: nothing came from {listed(missing, most=12)}")


def _too_early(collected: Sequence[Collected], hand_outs: Sequence[HandOut]) -> Iterator[Finding]:
    """Work that is dated before there was anything to work on; a day is left for clocks that go wrong."""
    made = {(one.exercise, one.learner): _seconds(one.made) for one in hand_outs}
    for one in collected:
        begun, given = one.assessment.begun, made.get((one.assessment.exercise, one.learner), 0)
        if one.known and 0 < begun < given - _DAY:
            said = f"{one.submission} has commits that are dated before it was handed out"
            yield Finding("dated", said, (one.submission,))


def _seconds(made: str) -> int:
    try:
        return int(datetime.fromisoformat(made).timestamp())
    except ValueError:
        return 0


def _attempts(collected: Iterable[Collected]) -> Iterator[Finding]:
    grouped: dict[tuple[str, str], list[Collected]] = {}
    for one in collected:
        if one.counts:
            grouped.setdefault((one.learner, one.assessment.exercise), []).append(one)
    for (learner, exercise), several in grouped.items():
        if len(several) > 1:
            best = best_attempts(several)[0]
            names = tuple(one.submission for one in several)
            said = (
                f"{learner} handed {exercise} in {times(len(several))}; the best counts ({best.submission})"
            )
            yield Finding("attempts", said, names)


def _shared(collected: Iterable[Collected]) -> Iterator[Finding]:
    """Commits that two learners have, although one of them must have made them."""
    holders: dict[str, list[Collected]] = {}
    for one in collected:
        for commit in one.assessment.commits:
            holders.setdefault(commit, []).append(one)
    pairs: dict[tuple[str, ...], list[str]] = {}
    for commit, several in holders.items():
        if len({one.learner for one in several}) > 1:
            pairs.setdefault(tuple(one.submission for one in several), []).append(commit)
    for names, commits in pairs.items():
        shown = listed([short(commit) for commit in commits])
        them = "it" if len(commits) == 1 else "them"
        said = (
            f"{listed(names)} share {counted(len(commits), 'commit')} ({shown}), though only one made {them}"
        )
        yield Finding("shared", said, names)
