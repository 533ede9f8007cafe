"""Give a class passwords: those that are there stay, who has none gets one."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.course.passwords import INSTRUCTOR, GivenPassword, hashed, matches, new_password
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.files.course.host_ledger import HostLedger


def give_passwords(
    ledger: HostLedger, learners: Sequence[Learner], listed: Mapping[str, str], renew: Collection[str]
) -> tuple[list[GivenPassword], int]:
    """Everybody's password, the instructor's first, and how many are new. A password that stands in a list
    and is still right stays; of others only hashes are kept, so they can't be told and are made anew.

    Raises BadInput where somebody of `renew` is not in the course.
    """
    people = [Learner(INSTRUCTOR, "Instructor", {}), *learners]
    ids = [person.id for person in people]
    if wrong := [who for who in renew if who not in ids]:
        raise BadInput([Problem(f'there is no learner "{who}"', likely(who, ids)) for who in wrong])
    kept = ledger.passwords()
    passwords, new = [], {}
    for person in people:
        word = listed.get(person.id)
        known = kept.get(person.id)
        if word is None or known is None or person.id in renew or not matches(word, known):
            word = new_password()
            new[person.id] = hashed(word)
        passwords.append(GivenPassword(person.id, person.name, word))
    if new:
        ledger.set_passwords(new)
    return passwords, len(new)
