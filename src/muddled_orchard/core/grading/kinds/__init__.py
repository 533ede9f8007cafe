"""Everything that can be found: one class a kind, with the values that go with it and its sentence.

A module a criterion: `finished`, `markers`, `history` and `replays`, `work`, `message`, `resolution`,
`rest`, `rules`, `bystanders`, `tidy`, `delivered`, `made`; and what else is told: `attempted` (what was
done at all), `doubts` (why a person should look), `worked` (how somebody worked), `roles` (who of a team
did what), `pile` (what many submissions show). `wording` has words that they share. Lists of names are
`names`, as many as anybody reads, with `count`, how many there are.

To add a kind, write its class; the test of sentences asks for samples. Its name and fields are stored in
ledgers: they stay, and are written down in docs/schemas/findings.json (`scripts/schema`).
"""

from __future__ import annotations

import msgspec

from muddled_orchard.core.grading.finding import KINDS, Finding, Kind
from muddled_orchard.core.grading.kinds import (  # noqa: F401 - each fills KINDS
    attempted,
    bystanders,
    delivered,
    doubts,
    finished,
    history,
    made,
    markers,
    message,
    pile,
    replays,
    resolution,
    rest,
    roles,
    rules,
    tidy,
    work,
    worked,
)


def restored(finding: Finding) -> Kind:
    """A kept finding as data of its kind again. Raises KeyError or msgspec.ValidationError where it is of
    none."""
    return msgspec.convert(finding.values, KINDS[finding.kind])
