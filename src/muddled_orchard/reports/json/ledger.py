"""The ledger as JSON."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.reports.json.outputs import LedgerFile


def ledger_json(
    learners: Mapping[str, Learner], hand_outs: Sequence[HandOut], gradings: Sequence[Grading]
) -> LedgerFile:
    """Everything but the secret and the results in full."""
    return {
        "format": 1,
        "learners": [{"id": one.id, "name": one.name, **one.more} for one in learners.values()],
        "hand_outs": list(hand_outs),
        "gradings": [
            {
                "graded": one.graded, "submission": one.submission, "fingerprint": one.fingerprint,
                "version": one.version, "scenario": one.scenario, "exercise": one.exercise,
                "variant": one.variant, "learner": one.learner, "state": one.state, "points": one.points,
                "possible": one.possible,
            }
            for one in gradings
        ],
    }  # fmt: skip
