"""Clones of what was handed out, as other programs make them: graded by what they hold.

A clone has the other branches as those of its remote alone, and continuous integration checks out a commit
and no branch at all. A branch that only the remote has is not deleted.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping

from msgspec.structs import replace

from muddled_orchard.core.git.refs import BRANCHES, TRACKING, branch_ref
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.submission.evidence import Evidence


def as_handed_out(evidence: Evidence, key: Key) -> Evidence:
    """The evidence with the handed-out branches where a clone has them. What an exercise with a remote of its
    own has from there stays what it is, as long as there is any branch; where nothing was pushed to that
    remote, and it is all there is, the learner's own branches stand where they did."""
    if evidence.is_remote and key.history.remote and evidence.remote is None:
        evidence = _as_pushed(evidence, key)
    own = {name for name in evidence.refs if name.startswith(BRANCHES)}
    if _is_untouched_remote(evidence, key):
        on = key.history.checked_out
        return replace(evidence, refs=dict(key.refs), head=on, head_commit=key.refs[branch_ref(on)])
    if own and key.history.remote:
        return evidence
    if evidence.reflog and evidence.reflog[0].what.startswith("clone:") and own:
        # A clone of one branch alone never had the others: nobody has deleted them.
        to_go = {branch_ref(task.delete) for task in key.scenario.task if task.delete}
        never = {
            name: id_
            for name, id_ in key.refs.items()
            if name.startswith(BRANCHES)
            and name not in own | to_go
            and TRACKING + name.removeprefix(BRANCHES) not in evidence.refs
        }
        evidence = replace(evidence, refs={**evidence.refs, **never})
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


def _as_pushed(evidence: Evidence, key: Key) -> Evidence:
    """A repository to which a learner pushes, of an exercise with a remote of its own: it is that remote, and
    tells what the learner had as far as that was pushed."""
    there = {
        name.removeprefix(BRANCHES): id_ for name, id_ in evidence.refs.items() if name.startswith(BRANCHES)
    }
    before = {branch: key.ids[number] for branch, number in key.history.remote.items()}
    handed_out = {
        name.removeprefix(BRANCHES): id_ for name, id_ in key.refs.items() if name.startswith(BRANCHES)
    }
    to_go = {task.delete for task in key.scenario.task if task.delete}
    refs = own_refs(handed_out, before, there, to_go)
    on = key.history.checked_out
    heads = sorted(name.removeprefix(BRANCHES) for name in refs if name.startswith(BRANCHES))
    head = on if branch_ref(on) in refs or not heads else heads[0]
    return replace(evidence, refs=refs, head=head, head_commit=refs.get(branch_ref(head)), remote=there)


def own_refs(
    handed_out: Mapping[str, str], before: Mapping[str, str], there: Mapping[str, str], to_go: Collection[str]
) -> dict[str, str]:
    """The learner's refs as far as a push tells them: a branch is where it was pushed to, else where it was
    handed out, and the remote's branches are as the push left them. `before` and `there` are those of the
    remote, by name; of those that a task wants gone (`to_go`) none is left once anything was pushed."""
    moved = {branch: id_ for branch, id_ in there.items() if before.get(branch) != id_}
    own = {**handed_out, **moved}
    if moved or before.keys() - there.keys():
        own = {branch: id_ for branch, id_ in own.items() if branch not in to_go or branch in moved}
    refs = {branch_ref(branch): id_ for branch, id_ in own.items()}
    return refs | {TRACKING + branch: id_ for branch, id_ in there.items()}


def _is_untouched_remote(evidence: Evidence, key: Key) -> bool:
    """Whether a bare repository is the exercise's remote as it was handed out."""
    history = key.history
    remote = {branch_ref(branch): key.ids[number] for branch, number in history.remote.items()}
    return bool(remote) and evidence.working is None and dict(evidence.refs) == remote
