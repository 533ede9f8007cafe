"""What a learner is told who is to try again: what is right already, and hints in three strengths that lead
to what is not. None of them says what is wanted.

1: where to look. 2: also what kind of thing is wrong there, and what each side did. 3: also how to find out,
with Git's own commands.
"""

from __future__ import annotations

import difflib
from collections.abc import Sequence
from dataclasses import dataclass, replace

from muddled_orchard.core.base.phrases import be, command, counted, listed
from muddled_orchard.core.grading.assessment import Assessment, CriterionResult, HunkResult
from muddled_orchard.core.grading.summary import got_it
from muddled_orchard.core.merging.keep import choice_of

_LACKING = ("partly", "missed")
_MOST = 6

_QUESTIONS = {
    "finished": "Is everything completed and committed?",
    "markers": "Are all conflict markers gone?",
    "history": "Does the history have the shape that the brief asks for?",
    "resolution": "Is each conflict resolved as the brief asks?",
    "rest": "Did everything that did not conflict come through unchanged?",
    "rules": "Does the result hold together?",
    "bystanders": "Do all other branches stand where they stood?",
    "tidy": "Is the right branch checked out, and the working tree clean?",
    "delivered": "Was everything pushed and deleted that was to be?",
}
_RIGHT = {
    "finished": "Everything is completed and committed.",
    "markers": "No conflict markers are left.",
    "history": "The history has the shape that the brief asks for.",
    "resolution": "Every conflict is resolved as the brief asks.",
    "rest": "Everything that did not conflict came through unchanged.",
    "rules": "The result holds together.",
    "bystanders": "All other branches stand where they stood.",
    "tidy": "The right branch is checked out, and the working tree is clean.",
    "delivered": "Everything was pushed and deleted that was to be.",
}
# What is found out from Git; the reasons of these criteria name no text that is wanted.
_TOLD = ("finished", "history", "bystanders", "tidy", "delivered")
_KIND = {
    "markers": "Git writes such lines to show both sides; they are to be taken out when it is decided.",
    "rest": "Something that one side brought in is lost, or something was changed that nobody asked for.",
    "rules": "Read the file as the one would who uses it.",
}
_HOW = {
    "finished": ("git status",),
    "markers": ("git grep -n -E '^(<<<<<<<|=======|>>>>>>>)'",),
    "history": ("git log --graph --oneline --all",),
    "bystanders": ("git branch -avv",),
    "tidy": ("git status",),
    "delivered": ("git branch -avv",),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Hint:
    """One criterion that is not met: its question, where to look, what is there (a sentence each), and
    commands that show more."""

    criterion: str
    verdict: str
    question: str
    places: tuple[str, ...] = ()
    what: tuple[str, ...] = ()
    commands: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        """All of it in one paragraph."""
        where = f"Look at {listed(self.places, _MOST)}." if self.places else ""
        how = f"To find out: {'; '.join(self.commands)}." if self.commands else ""
        return " ".join(part for part in (self.question, where, *self.what, how) if part)


def right_already(assessment: Assessment) -> tuple[str, ...]:
    """What is right, a sentence each, in the order of the criteria."""
    said = [_RIGHT[c.id] for c in assessment.criteria if c.outcome.verdict == "met" and c.id in _RIGHT]
    met, wrong = (sum(hunk.outcome == word for hunk in assessment.hunks) for word in ("met", "missed"))
    if met and wrong + assessment.unmet:
        total = met + wrong + assessment.unmet
        said.append(f"{met} of {counted(total, 'conflict')} {be(met)} resolved as the brief asks.")
    return tuple(said)


def hints(assessment: Assessment, strength: int) -> tuple[Hint, ...]:
    """A hint for each criterion that is not met; `strength` is one of assessment.HINTS."""
    return tuple(
        _hint(criterion, assessment.hunks, strength)
        for criterion in assessment.criteria
        if criterion.outcome.verdict in _LACKING
    )


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
        replace(one, outcome=replace(one.outcome, because=told.get(one.id, one.outcome.because)))
        for one in assessment.criteria
    )
    hunks = tuple(
        hunk if done else replace(hunk, accepted=(), wanted=None, why="", together=())
        for hunk in assessment.hunks
    )
    return replace(assessment, criteria=criteria, hunks=hunks, needs_a_look=(), notes=())


def _hint(criterion: CriterionResult, hunks: Sequence[HunkResult], strength: int) -> Hint:
    id_, outcome = criterion.id, criterion.outcome
    wrong = [hunk for hunk in hunks if hunk.outcome == "missed"] if id_ == "resolution" else []
    places = [
        f"{place.file}, line {place.line}" if place.line else place.file
        for place in outcome.where
        if place.file
    ]
    what: list[str] = []
    if strength > 1:
        what = [outcome.because] if id_ in _TOLD else [_KIND[id_]] if id_ in _KIND else []
        what += [_found(hunk) for hunk in wrong[:_MOST]]
    commands: list[str] = []
    if strength > 2:
        commands = [*_HOW.get(id_, ()), *(line for hunk in wrong for line in hunk.look)]
        if id_ in ("rest", "rules"):
            files = dict.fromkeys(place.file for place in outcome.where if place.file)
            commands = [command("git", "log", "-p", "-3", "--", file) for file in files]
    return Hint(
        criterion=id_,
        verdict=outcome.verdict,
        question=_QUESTIONS.get(id_, id_),
        places=() if wrong and what else tuple(dict.fromkeys(places)),
        what=tuple(dict.fromkeys(what)),
        commands=tuple(dict.fromkeys(commands))[:_MOST],
    )


def _found(hunk: HunkResult) -> str:
    """What is there now, and what each side did there, without any of their lines."""
    names = {"ours": hunk.ours_name, "theirs": hunk.theirs_name}
    choice = choice_of(hunk.kept)
    kept = choice.hinted.format_map(names) if choice else f"{hunk.kept} was kept"
    if hunk.left_at:
        kept = f"it lies at {hunk.left_at}, where one of the sides had it"
    where = f"{hunk.file}, line {hunk.line}" if hunk.line else hunk.file
    ours, theirs = _did(hunk.base, hunk.ours), _did(hunk.base, hunk.theirs)
    return f"{where}: {kept}; {hunk.ours_name} {ours} and {hunk.theirs_name} {theirs} there."


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
    said = [
        f"{word} {counted(count, 'line')}"
        for word, count in (("changed", changed), ("added", added), ("deleted", deleted))
        if count
    ]
    return listed(said) if said else "left it as it was"
