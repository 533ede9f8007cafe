"""Clones of what was handed out, as other programs make them: graded by what they hold.

A clone has the other branches as those of its remote alone, and continuous integration checks out a commit
and no branch at all. A branch that only the remote has is not deleted.
"""

from __future__ import annotations

from msgspec.structs import replace

from muddled_orchard.core.git.refs import BRANCHES, TRACKING, branch_ref
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.submission.evidence import Evidence


def as_handed_out(evidence: Evidence, key: Key) -> Evidence:
    """The evidence with the handed-out branches where a clone has them. What an exercise with a remote of its
    own has from there stays what it is, as long as there is any branch; where nothing was pushed to that
    remote, and it is all there is, the learner's own branches stand where they did."""
    own = {name for name in evidence.refs if name.startswith(BRANCHES)}
    if _is_untouched_remote(evidence, key):
        on = key.history.checked_out
        return replace(evidence, refs=dict(key.refs), head=on, head_commit=key.refs[branch_ref(on)])
    if own and key.history.remote:
        return evidence
    missing = {
        name: evidence.refs[tracked]
        for name in key.refs
        if name.startswith(BRANCHES)
        and name not in own
        and (tracked := TRACKING + name.removeprefix(BRANCHES)) in evidence.refs
    }
    if not missing:
        return evidence
    head = evidence.head
    if head is None and not own:  # nobody who works there detached it
        held = (name for name, id_ in missing.items() if id_ == evidence.head_commit)
        wanted = f"{BRANCHES}{key.scenario.task[-1].on}"
        found = sorted(held, key=lambda name: name != wanted)
        head = found[0].removeprefix(BRANCHES) if found else None
    return replace(evidence, refs={**evidence.refs, **missing}, head=head)


def _is_untouched_remote(evidence: Evidence, key: Key) -> bool:
    """Whether a bare repository is the exercise's remote as it was handed out."""
    history = key.history
    remote = {branch_ref(branch): key.ids[number] for branch, number in history.remote.items()}
    return bool(remote) and evidence.working is None and dict(evidence.refs) == remote
