"""What a learner is told who is to try again: what is right already, and hints in three strengths that lead
to what is not. None of them says what is wanted.

1: where to look. 2: also what kind of thing is wrong there, and what each side did. 3: also how to find out,
with Git's own commands.
"""

from __future__ import annotations

import difflib
import functools
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.phrases import be, command, counted, listed
from muddled_orchard.core.grading import finding
from muddled_orchard.core.grading.assessment import (
    Assessment,
    CriterionResult,
    HunkResult,
    Outcome,
    Verdict,
)
from muddled_orchard.core.grading.criteria import CRITERIA
from muddled_orchard.core.grading.kinds.attempted import Said
from muddled_orchard.core.grading.kinds.replays import (
    NotDropped,
    NotInListedOrder,
    NotReworded,
    StillOnItsOwn,
)
from muddled_orchard.core.grading.kinds.roles import DoneByAnother
from muddled_orchard.core.grading.summary import got_it
from muddled_orchard.core.merging.keep import choice_of

_LACKING = ("partly", "missed")
_MOST = 6


class Hint(Struct, frozen=True, kw_only=True):
    """One criterion that is not met: its question, where to look, what is there (a sentence each), and
    commands that show more."""

    criterion: str
    verdict: Verdict
    question: str
    places: tuple[str, ...] = ()
    what: tuple[str, ...] = ()
    commands: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        """All of it in one paragraph."""
        where = f"Look at {listed(self.places, _MOST)}." if self.places else ""
        how = f"To find out: {'; '.join(self.commands)}" if self.commands else ""
        return " ".join(part for part in (self.question, where, *self.what, how) if part)


def right_already(assessment: Assessment) -> tuple[str, ...]:
    """What is right, a sentence each, in the order of the criteria."""
    met_ones = (criterion.id for criterion in assessment.criteria if criterion.outcome.verdict == "met")
    sentences = [CRITERIA[id_].right for id_ in met_ones if id_ in CRITERIA]
    met = sum(hunk.outcome == "met" for hunk in assessment.hunks)
    wrong = sum(hunk.outcome in _LACKING for hunk in assessment.hunks)
    if met and wrong + assessment.unmet:
        total = met + wrong + assessment.unmet
        sentences.append(f"{met} of {counted(total, 'conflict')} {be(met)} resolved as the brief asks.")
    return tuple(sentences)


def hints(assessment: Assessment, strength: int) -> tuple[Hint, ...]:
    """A hint for each criterion that is not met; `strength` is one of assessment.HINTS. While a conflict is
    still to be made, nothing else can be right, and nothing else is hinted at."""
    lacking = [one for one in assessment.criteria if one.outcome.verdict in _LACKING]
    first = [one for one in lacking if one.id == "made"]
    return tuple(_hint(criterion, assessment.hunks, strength) for criterion in first or lacking)


def reasons(assessment: Assessment) -> tuple[str, ...]:
    """The key's reasons, each once, for somebody who has got it."""
    return tuple(dict.fromkeys(" ".join(hunk.why.split()) for hunk in assessment.hunks if hunk.why))


def for_learner(assessment: Assessment, strength: int) -> Assessment:
    """The assessment without anything that is wanted, hints in the place of reasons. Who has got it keeps the
    key's reasons."""
    done = got_it(assessment)
    told = {hint.criterion: hint.text for hint in hints(assessment, strength)}
    if assessment.state == "untouched":
        told = {}
    criteria = tuple(
        replace(
            criterion,
            outcome=replace(criterion.outcome, findings=(finding.kept(Said(told[criterion.id])),)),
        )
        if criterion.id in told
        else criterion
        for criterion in assessment.criteria
    )
    hunks = tuple(
        hunk if done else replace(hunk, accepted=(), wanted=None, why="", together=())
        for hunk in assessment.hunks
    )
    return replace(assessment, criteria=criteria, hunks=hunks, doubts=(), worked=())


def _hint(criterion: CriterionResult, hunks: Sequence[HunkResult], strength: int) -> Hint:
    id_, outcome, about = criterion.id, criterion.outcome, CRITERIA.get(criterion.id)
    if any(found.kind == DoneByAnother.__name__ for found in outcome.findings):
        question = about.question if about else id_
        return Hint(criterion=id_, verdict=outcome.verdict, question=question, what=(outcome.because,))
    wrong = [hunk for hunk in hunks if hunk.outcome in _LACKING] if id_ == "resolution" else []
    places = [
        f"{place.file}, line {place.line}" if place.line else place.file
        for place in outcome.where
        if place.file
    ]
    what: list[str] = []
    if strength > 1:
        if about is not None:
            what = [_reason(outcome)] if about.tells_reason else [about.kind] if about.kind else []
        what += [found_there(hunk) for hunk in wrong[:_MOST]]
    commands: list[str] = []
    if strength > 2:
        commands = [*(about.commands if about else ()), *(line for hunk in wrong for line in hunk.look)]
        if about is not None and about.by_file:
            files = dict.fromkeys(place.file for place in outcome.where if place.file)
            commands = [command("git", "log", "-p", "-3", "--", file) for file in files]
    return Hint(
        criterion=id_,
        verdict=outcome.verdict,
        question=_MENDED if _lacks_a_mend(outcome) else about.question if about else id_,
        places=() if wrong and what else tuple(dict.fromkeys(places)),
        what=tuple(dict.fromkeys(what)),
        commands=tuple(dict.fromkeys(commands))[:_MOST],
    )


_MENDED = "Is everything as the brief asks where Git saw no conflict?"


def _lacks_a_mend(outcome: Outcome) -> bool:
    """Whether what is wrong outside the conflicts is that nothing was changed there."""
    groups = {found.values.get("group") for found in outcome.findings if found.kind == "Departures"}
    return bool(groups) and groups <= {"clean", "beyond"}


_OF_LISTS = frozenset(
    kind.__name__
    for kind in (
        NotDropped,
        NotInListedOrder,
        NotReworded,
        StillOnItsOwn,
    )
)


def _reason(outcome: Outcome) -> str:
    """What was found, in sentences; what the list of an interactive rebase is to read is the learner's to
    find, so of that only that it is not carried out."""
    told = [found for found in outcome.findings if found.kind not in _OF_LISTS]
    if len(told) == len(outcome.findings):
        return outcome.because
    more = Said("Not every commit is what the brief makes of it, or where it wants it.")
    return replace(outcome, findings=(*told, finding.kept(more))).because


def found_there(hunk: HunkResult) -> str:
    """What is there now, and what each side did there, without any of their lines."""
    names = {"ours": hunk.ours_name, "theirs": hunk.theirs_name}
    choice = choice_of(hunk.kept)
    kept = choice.hinted.format_map(names) if choice else f"{hunk.kept} was kept"
    if hunk.left_at:
        kept = f"it lies at {hunk.left_at}, where one of the sides had it"
    where = f"{hunk.file}, line {hunk.line}" if hunk.line else hunk.file
    ours, theirs = _did(hunk.base, hunk.ours), _did(hunk.base, hunk.theirs)
    return f"{where}: {kept}; {hunk.ours_name} {ours} and {hunk.theirs_name} {theirs} there."


@functools.lru_cache(maxsize=4_096)  # a class meets the same sides
def _did(base: str | None, side: str | None) -> str:
    """What a side did to a place, counted in lines."""
    if side is None:
        return "has no such file" if base is None else "deleted or renamed the file"
    if base is None:
        return "made the file"
    before, after = base.splitlines(), side.splitlines()
    changed, added, deleted = (0, 0, 0)
    edits = difflib.SequenceMatcher(None, before, after, autojunk=False).get_opcodes()
    for tag, start, stop, new_start, new_stop in edits:
        if tag == "replace":
            both = min(stop - start, new_stop - new_start)
            changed += both
            deleted += stop - start - both
            added += new_stop - new_start - both
        else:
            deleted += (stop - start) * (tag == "delete")
            added += (new_stop - new_start) * (tag == "insert")
    parts = [
        f"{word} {counted(count, 'line')}"
        for word, count in (("changed", changed), ("added", added), ("deleted", deleted))
        if count
    ]
    return listed(parts) if parts else "left it as it was"
