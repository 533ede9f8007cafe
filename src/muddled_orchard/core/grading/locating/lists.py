"""Where the results of an interactive rebase lie: its list says which commits are left, in which order."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec.structs import replace

from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.todo import todo_of
from muddled_orchard.core.git.commits import Commit, Commits, ancestors, contains
from muddled_orchard.core.git.refs import BRANCHES
from muddled_orchard.core.grading.locating.gone import last_places
from muddled_orchard.core.grading.locating.matching import Matches, matched
from muddled_orchard.core.grading.locating.results import Result, Shape
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.submission.submission import Submission


def locate_todo(submission: Submission, steps: Sequence[Step], on_tip: str) -> list[Result]:
    """The result of each step; `on_tip` is where the branch stood before. Commits that are a part of another
    one have that one's."""
    evidence, commits, task = submission.evidence, submission.commits, steps[0].operation
    under_way = evidence.pending is not None and evidence.pending.kind == task.under_way
    base = steps[0].ours
    places: list[tuple[str | None, str | None]] = [(task.on, evidence.head_commit)]
    if (gone := next(last_places(submission, task.on), None)) is not None:
        places = [(task.on, gone)]
    elif not under_way:
        heads = {
            name.removeprefix(BRANCHES): id_
            for name, id_ in evidence.refs.items()
            if name.startswith(BRANCHES)
        }
        places = [(task.on, evidence.branch(task.on)), (evidence.head, evidence.head_commit), *heads.items()]
    for branch, tip in places:
        if tip is None or tip not in commits:
            continue
        own, base_commit = _own(commits, tip, base)
        later = any(one.task > steps[0].task and one.operation.on == task.on for one in submission.key.steps)
        if later:  # what a later task merged, and made on top of that, is not the list's
            merges = (place for place, commit in enumerate(own) if len(commit.parents) > 1)
            own = own[: next(merges, len(own))]
        merged = contains(commits, tip, on_tip) and contains(commits, tip, base) and tip in evidence.commits
        if not under_way and merged and not contains(commits, on_tip, base):
            return [_result("other", step, branch, base_commit) for step in steps]
        mine = any(commit.id in evidence.commits for commit in own)
        if branch == task.on and any(item.word == "drop" for item in todo_of(task)):
            mine = mine or contains(commits, on_tip, tip)  # where only the last ones are dropped, none is new
        # Nothing may be left of what the list picks: then the branch just stands on its new base.
        mine = mine or (branch == task.on and tip == base and not contains(commits, on_tip, base))
        begun = _is_attempt(commits, own, tip, on_tip, steps)
        if under_way or (mine and (begun or (later and _drops(submission, task, own, tip, on_tip)))):
            return list(_placed(submission, steps, own, base_commit, branch, under_way=under_way))
    return [_result("none", step, task.on, on_tip) for step in steps]


def _placed(
    submission: Submission,
    steps: Sequence[Step],
    own: Sequence[Commit],
    base_commit: str,
    branch: str | None,
    *,
    under_way: bool,
) -> Iterator[Result]:
    evidence = submission.evidence
    matches = _matched(submission, steps, own)
    last, tip = _last(own, matches), own[-1].id if own else base_commit
    pending = evidence.pending
    now = pending.brings[0] if under_way and pending and pending.brings else None
    reached, before = True, base_commit
    ends = [place for place, step in enumerate(steps) if matches.made.get(step.into or step.commit or "")]
    for place, step in enumerate(steps):
        made = matches.made.get(step.into or step.commit or "")
        plain = replace(_result("skipped", step, branch, base_commit), matches=matches)
        stops_here = reached and under_way and (step.commit == now or (made is None and now is None))
        if stops_here:
            reached = False
            kind = pending.kind if pending else ""
            ours = tip if step.into is None else step.ours
            if made is None and now is None and not submission.changed_paths:
                yield replace(plain, shape="not reached")
            else:
                yield replace(plain, shape="pending", ours=ours, pending=kind)
        elif not reached:
            yield replace(plain, shape="not reached")
        elif made is not None:
            judged = tip if made.id == last and not under_way else made.id
            ours = made.parents[0] if step.into is None and made.parents else step.ours
            before = made.id
            yield replace(plain, shape="replayed", ours=ours, result_commit=made.id, judged_commit=judged)
        else:  # what it brought may be in the commit before it
            after_all = not under_way and place > max(ends, default=-1)
            yield replace(plain, ours=before, judged_commit=tip if after_all else before)


def _drops(submission: Submission, task: Task, own: Sequence[Commit], tip: str, on_tip: str) -> bool:
    """Whether the commits that a list drops are gone, also from the files: a later task may have made as many
    others."""
    key, commits = submission.key, submission.commits
    labels = [item.label for item in todo_of(task) if item.word == "drop"]
    dropped = [commits[key.ids[key.history.labelled(label)]] for label in labels]
    kept = (
        (commit.author, commit.subject) == (other.author, other.subject) or commit.tree == other.tree
        for commit in own
        for other in dropped
    )
    return bool(dropped) and not contains(commits, tip, on_tip) and not any(kept)


def _is_attempt(
    commits: Commits, own: Sequence[Commit], tip: str, on_tip: str, steps: Sequence[Step]
) -> bool:
    """Whether a branch was rewritten: it stands on the new base, or has other commits than before. One other
    message alone is no attempt, unless that was asked for and the branch stood on its base already."""
    if tip == on_tip or contains(commits, tip, on_tip):
        return False
    base = steps[0].ours
    if contains(commits, tip, base) and not contains(commits, on_tip, base):
        return True
    before, _ = _own(commits, on_tip, base)
    if len(before) != len(own):
        return bool(own)
    in_place = contains(commits, on_tip, base)
    labels = {item.label for item in todo_of(steps[0].operation) if item.word == "reword"}
    reworded = {commits[step.commit].subject for step in steps if step.commit and step.label in labels}
    others = [
        old
        for old, new in zip(before, own, strict=True)
        if (old.author, old.subject) != (new.author, new.subject)
    ]
    return len(others) > 1 or (in_place and any(old.subject in reworded for old in others))


def _own(commits: Commits, tip: str, base: str) -> tuple[list[Commit], str]:
    """The commits between the base and a tip, by first parents, the oldest first, and what they stand on.
    Commits that were not touched are among them, as they were handed out."""
    below = ancestors(commits, base)
    own: list[Commit] = []
    at: str | None = tip
    while at is not None and at not in below and at in commits:
        own.append(commits[at])
        at = commits[at].parents[0] if commits[at].parents else None
    return own[::-1], at or tip


def _matched(submission: Submission, steps: Sequence[Step], own: Sequence[Commit]) -> Matches:
    """Which commit is which line's: by message and patch, alone or with what was to become a part of it. What
    neither tells is told by the order."""
    commits, texts = submission.commits, submission.texts
    alone = [step for step in steps if step.into is None]
    ends_with = {step.into or step.commit: step.solved for step in steps}
    made = dict(matched(commits, texts, alone, own).made)
    whole = [replace(step, solved=ends_with[step.commit]) for step in alone]
    # All at once, where patches are much alike; then each for itself, by whatever they share.
    may_be_gone = {step.commit for step in alone if step.becomes_empty(commits)}
    for leads in (whole, *([step] for step in whole if step.commit not in may_be_gone)):
        used = {commit.id for commit in made.values() if commit}
        free = [commit for commit in own if commit.id not in used]
        open_leads = [step for step in leads if made[step.commit or ""] is None]
        if free and open_leads:
            made |= {id_: c for id_, c in matched(commits, texts, open_leads, free).made.items() if c}
    used = {commit.id for commit in made.values() if commit}
    lacking = [id_ for id_, commit in made.items() if commit is None and id_ not in may_be_gone]
    free = [commit for commit in own if commit.id not in used]
    if len(lacking) == len(free):
        made |= dict(zip(lacking, free, strict=True))
    places = [own.index(commit) for commit in made.values() if commit]
    return Matches(made, {}, (), (), places != sorted(places))


def _last(own: Sequence[Commit], matches: Matches) -> str | None:
    made = {commit.id for commit in matches.made.values() if commit}
    return next((commit.id for commit in reversed(own) if commit.id in made), None)


def _result(shape: Shape, step: Step, branch: str | None, base_commit: str) -> Result:
    return Result(shape=shape, ours=step.ours, theirs=step.theirs, branch=branch, base_commit=base_commit)
