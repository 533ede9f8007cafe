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
        "learners": [
            {"id": learner.id, "name": learner.name, **learner.more} for learner in learners.values()
        ],
        "hand_outs": list(hand_outs),
        "gradings": [
            {
                "graded": grading.graded,
                "submission": grading.submission,
                "fingerprint": grading.fingerprint,
                "version": grading.version,
                "scenario": grading.scenario,
                "exercise": grading.exercise,
                "variant": grading.variant,
                "learner": grading.learner,
                "state": grading.state,
                "points": grading.points,
                "possible": grading.possible,
            }
            for grading in gradings
        ],
    }
