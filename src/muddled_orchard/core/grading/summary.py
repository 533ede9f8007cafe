"""How it went, in one sentence: how far it got, and what is wrong with the conflicts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

from muddled_orchard.core.base.phrases import be, counted, was
from muddled_orchard.core.grading.assessment import Assessment, HunkResult, Outcome, Verdict
from muddled_orchard.core.grading.kinds import restored
from muddled_orchard.core.grading.kinds.delivered import NothingToDeliver
from muddled_orchard.core.grading.kinds.made import AnyResolution, NoConflictToMake, NotOfOwnConflicts
from muddled_orchard.core.grading.kinds.message import NoMessageAsked
from muddled_orchard.core.grading.kinds.rules import CommandFailed, NoRules, RuleBroken
from muddled_orchard.core.grading.kinds.work import NoWork

if TYPE_CHECKING:
    from muddled_orchard.core.grading.verdicts import Verdicts


def got_it(assessment: Assessment | Verdicts) -> bool:
    """Whether everything that was assessed is met, or a person said so."""
    if assessment.settled and assessment.settled.earned is not None:
        return assessment.settled.earned >= 1
    return assessment.state == "finished" and all(
        criterion.outcome.verdict in ("met", "skipped") for criterion in assessment.criteria
    )


def nothing_done(assessment: Assessment) -> str | None:
    """Why there is nothing to judge, where nothing of what was asked was done and no person has judged it."""
    if assessment.settled and assessment.settled.earned is not None:
        return None
    idle = assessment.state == "untouched" or (assessment.state == "open" and assessment.points == 0)
    if not idle:
        return None
    reasons = Counter(c.outcome.because for c in assessment.criteria if c.outcome.verdict == "missed")
    return reasons.most_common(1)[0][0] if reasons else None


_NOT_ASKED = frozenset(
    kind.__name__
    for kind in (
        NoWork, NoMessageAsked, NoRules, NothingToDeliver, NoConflictToMake, NotOfOwnConflicts, AnyResolution
    )
)  # fmt: skip


def no_part(outcome: Outcome) -> bool:
    """Whether an exercise asks for nothing of the kind: that says nothing about the submission."""
    return any(finding.kind in _NOT_ASKED for finding in outcome.findings)


Standing = Literal["got it", "almost", "not yet", "not started", "unreadable"]


SAID: Mapping[Standing, tuple[str, Verdict | Literal["unreadable"]]] = {
    "got it": ("Got it", "met"),
    "almost": ("Almost", "partly"),
    "not yet": ("Not yet", "missed"),
    "not started": ("Not started", "missed"),
    "unreadable": ("Can't be read", "unreadable"),
}
"""How a standing is said, and the verdict whose sign and colour it has."""


def standing(assessment: Assessment) -> Standing:
    """How it stands in two words. `got it`: everything that was assessed is met. `almost`: every conflict is
    resolved as accepted (or was made, where that is asked) and every rule holds, and something else is not
    right. `not started`: nothing was attempted. `not yet`: all else."""
    if assessment.state == "unreadable":
        return "unreadable"
    if nothing_done(assessment):
        return "not started" if assessment.state == "untouched" else "not yet"
    if got_it(assessment):
        return "got it"
    lacking = {
        criterion.id for criterion in assessment.criteria if criterion.outcome.verdict in ("partly", "missed")
    }
    right = conflicts_are_right(assessment) and not lacking & {"resolution", "rules", "made"}
    return "almost" if right else "not yet"


def accepted_told(hunk: HunkResult) -> str:
    """What is accepted in a conflict, with the sides' names: `ours (main) and then theirs (night-shift)`."""
    names = {"ours": hunk.ours_name, "theirs": hunk.theirs_name, "gone": "no such file"}
    ways = (word.split("+") for word in hunk.accepted)
    return " or ".join(" and then ".join(names.get(part, part) for part in way) for way in ways)


def conflicts_are_right(assessment: Assessment) -> bool:
    """Whether no conflict was resolved wrongly or never met."""
    return assessment.unmet == 0 and not any(
        hunk.outcome in ("partly", "missed") for hunk in assessment.hunks
    )


def _broken_rule(assessment: Assessment) -> str:
    """What the first rule says that the result breaks; nothing where none is broken."""
    outcome = next((criterion.outcome for criterion in assessment.criteria if criterion.id == "rules"), None)
    if outcome is None or outcome.verdict not in ("partly", "missed"):
        return ""
    for found in map(restored, outcome.findings):
        if isinstance(found, CommandFailed):
            return f"{found.command} fails"
        if isinstance(found, RuleBroken):
            return f"{found.file} is not as it has to be: {found.what}"
    return ""


def not_made(assessment: Assessment) -> str:
    """What is still to be done of a conflict of the learner's own; empty where none is asked, or it is
    made."""
    made = next((one for one in assessment.criteria if one.id == "made"), None)
    return made.outcome.because if made is not None and made.outcome.verdict in ("partly", "missed") else ""


def summary(assessment: Assessment) -> str:
    """The sentence, for a submission that was attempted and is not all right."""
    if missing := not_made(assessment):
        return missing
    verdicts = {criterion.id: criterion.outcome.verdict for criterion in assessment.criteria}
    if assessment.state == "open":
        far = "It is not finished"
    elif verdicts.get("markers") == "missed":
        far = "It was handed in with conflict markers in it"
    else:
        far = "It is finished"
    wrong = sum(hunk.outcome == "missed" for hunk in assessment.hunks)
    parts = []
    if wrong:
        parts.append(f"{counted(wrong, 'conflict')} {be(wrong)} not resolved as accepted")
    if lesser := sum(hunk.outcome == "partly" for hunk in assessment.hunks):
        parts.append(f"{counted(lesser, 'conflict')} {be(lesser)} resolved in a way that earns only a part")
    if assessment.unmet:
        what = str(assessment.unmet) if wrong else counted(assessment.unmet, "conflict")
        parts.append(f"{what} {was(assessment.unmet)} never met")
    if broken := _broken_rule(assessment):
        parts.append(broken)
    if not parts:
        met = verdicts.get("resolution") == "met"
        joint = "and" if far == "It is finished" else "but"
        return f"{far}, {joint} every conflict is resolved as accepted." if met else f"{far}."
    joint = ", but" if assessment.state == "finished" and far == "It is finished" else ", and"
    return f"{far}{joint} {', and '.join(parts)}."
