"""Did somebody attempt a task? What they made must bring in a part of what was asked.

A commit that has nothing to do with the task, or another message for an old one, is none.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

from muddled_orchard.core.git.commits import Commit, Commits, ancestry, contains
from muddled_orchard.core.git.lines import by_lines, lines_of
from muddled_orchard.core.git.trees import Tree
from muddled_orchard.core.grading.locating.matching import Patch, commit_patch, patch
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.merging.conflict import MergeResult
from muddled_orchard.core.submission.status import tracked
from muddled_orchard.core.submission.submission import Submission


def brings_part(
    commits: Commits, texts: Mapping[str, bytes], steps: Sequence[Step], before: Tree, after: Tree
) -> bool:
    """Whether something of what a task asks came in between two trees. `steps` are those of the task."""
    made = patch(texts, before, after)
    return bool(made) and any(_meet(part, made) for part in _parts(commits, texts, steps))


def brings_only_conflicts(merge: MergeResult, ours: Tree, texts: Mapping[str, bytes]) -> bool:
    """Whether nothing comes in where ours is kept in each conflict."""
    for path in {*ours, *merge.tree}:
        before = ours.get(path)
        if before == merge.tree.get(path):
            continue
        conflict = merge.conflict(path)
        if conflict is None:
            return False
        if conflict.merged is not None:
            kept = conflict.merged.resolved([hunk.ours for hunk in conflict.merged.hunks])
            if kept != lines_of(texts.get(before.id, b"") if before else b""):
                return False
    return True


def _meet(part: Patch, made: Patch) -> bool:
    return any(line for _, _, line in part & made)


def _parts(commits: Commits, texts: Mapping[str, bytes], steps: Sequence[Step]) -> Iterator[Patch]:
    """What a task brings in, step by step: what the other side changed, and what a resolution replaces."""
    task = steps[0].operation
    if task.replays_own:
        # It is the new base that a rebase brings to the branch.
        onto = commits[steps[0].ours].tree
        yield patch(texts, commits[steps[0].base or ""].tree if steps[0].base in commits else {}, onto)
        return
    for step in steps:
        yield from step_parts(commits, texts, step)


def step_parts(commits: Commits, texts: Mapping[str, bytes], step: Step) -> Iterator[Patch]:
    """What one step brings in: by the key, as Git merges it, as the other side made it, and the lines that
    whoever resolves it otherwise takes out."""
    ours = commits[step.ours].tree
    yield patch(texts, ours, step.solved)
    # A file that conflicts reads in the merge as no side has it.
    yield patch(
        texts,
        *(
            {p: blob for p, blob in tree.items() if step.merge.conflict(p) is None}
            for tree in (ours, step.merge.tree)
        ),
    )
    yield _change(commits, texts, step)
    yield _replaced(texts, step)


def uncommitted_step(submission: Submission, steps: Sequence[Step]) -> Step | None:
    """The first of these steps of which a part lies in the working tree or the index, and in no commit, while
    nothing is under way: it was carried out with `--no-commit` or by hand, or its operation was left with
    `--quit`."""
    evidence, texts = submission.evidence, submission.texts
    changed = submission.changed_paths
    if evidence.pending is not None or not changed:
        return None
    now = tracked(evidence)
    before, after = (
        {path: blob for path, blob in tree.items() if path in changed} for tree in (submission.head_tree, now)
    )
    made = patch(texts, before, after)
    for step in steps:
        if any(_meet(part, made) for part in step_parts(submission.commits, texts, step)):
            return step
    return None


def squashed_into(
    commits: Commits,
    texts: Mapping[str, bytes],
    step: Step,
    holder: Step,
    made: Commit,
    later: Sequence[Step] = (),
) -> bool:
    """Whether a commit that replays one step also has a part of what another one brings. `later` are the
    steps after it up to the holder, where the holder comes after it."""
    beyond = commit_patch(commits, texts, made)
    own = [
        patch(texts, commits[holder.ours].tree, holder.solved),
        _change(commits, texts, holder),
        _replaced(texts, holder),
    ]
    if _same_place(commits, texts, step, later):
        # Who skipped the step meets its conflict at the holder, and takes the same lines of ours out there.
        own.append(_replaced(texts, step))
    for part in own:
        beyond = beyond - part
    return any(_meet(part, beyond) for part in step_parts(commits, texts, step))


def _same_place(commits: Commits, texts: Mapping[str, bytes], step: Step, later: Sequence[Step]) -> bool:
    """Whether the last of these steps changes the lines again that a step conflicts about, or what steps
    between them made of those."""
    lines = {
        (conflict.path, line.strip())
        for conflict in step.merge.conflicts
        if conflict.merged is not None
        for hunk in conflict.merged.hunks
        for line in (*hunk.base, *hunk.ours, *hunk.theirs)
    }
    again = False
    for other in later:
        changed = _change(commits, texts, other)
        again = any(sign == "-" and (path, line) in lines for path, sign, line in changed)
        if again:
            lines |= {(path, line) for path, sign, line in changed if sign == "+"}
    return again


def _change(commits: Commits, texts: Mapping[str, bytes], step: Step) -> Patch:
    """What the other side of a step changes."""
    base = _base(commits, step)
    return patch(texts, commits[base].tree if base else {}, commits[step.theirs].tree)


def _base(commits: Commits, step: Step) -> str:
    """The commit from which the change of a step is taken; empty where there is none."""
    if not step.operation.joins:
        return step.base if step.base is not None and step.base in commits else ""
    return next(
        (commit.id for commit in ancestry(commits, step.ours) if contains(commits, step.theirs, commit.id)),
        "",
    )


def _replaced(texts: Mapping[str, bytes], step: Step) -> Patch:
    """The lines of ours that whoever resolves a conflict otherwise takes out."""
    found: Patch = Counter()
    for conflict in step.merge.conflicts:
        if conflict.merged is not None:
            for hunk in conflict.merged.hunks:
                gone = Counter(hunk.ours) - Counter(hunk.theirs)
                found.update({(conflict.path, "-", line.strip()): count for line, count in gone.items()})
        elif (ours := conflict.stages.get(2)) is not None:
            data = texts.get(ours.id, b"")
            lines = [line.strip() for line in lines_of(data)] if by_lines(data) else [ours.id]
            found.update({(conflict.path, "-", line): 1 for line in lines})
    return found
