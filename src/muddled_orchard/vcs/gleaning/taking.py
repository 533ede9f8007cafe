"""An exercise of one operation of a history: its trees cut down to what it needs, and Git asked whether the
same conflicts are met in them."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence

from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.copies import copied_from
from muddled_orchard.core.git.trees import PLAIN_FILE, SUBMODULE, Blob, File, Files, Tree, bad_path
from muddled_orchard.core.gleaning.conflicts_met import LARGEST
from muddled_orchard.core.gleaning.exercise import Side, SideCommits, TakenExercise, side_name, story_of
from muddled_orchard.core.gleaning.redone import (
    PastCommit,
    Redone,
    copy_again,
    merge_again,
    rebased_pairs,
)
from muddled_orchard.core.merging.conflict import Conflict
from muddled_orchard.vcs.gleaning.asking import merges_of, pair_of, parted_commits, tree_of
from muddled_orchard.vcs.gleaning.found import conflicts_of
from muddled_orchard.vcs.gleaning.past import commit_named, commits_of
from muddled_orchard.vcs.gleaning.source import History, Missing
from muddled_orchard.vcs.gleaning.trees import Trees

_MOST_CHANGED = 400
"""So many files that a side changed are taken where those that conflict are not enough."""

_MOST_COMMITS = 60
"""So many commits of a side are looked at one by one."""

MAIN = "main"
_NEUTRAL = "README.md"
_NEUTRAL_TEXT = b"What is made here begins with this file.\n"
_MARKER = b"<<<<<<< "


class _Sides(Struct, frozen=True):
    """The trees of an operation, by path; `result` is None where there is none."""

    base: Tree
    ours: Tree
    theirs: Tree
    result: Tree | None

    def cut(self, paths: Collection[str]) -> _Sides:
        """The same with these paths alone."""

        def of(tree: Tree) -> Tree:
            return {path: blob for path, blob in tree.items() if path in paths}

        result = None if self.result is None else of(self.result)
        return _Sides(of(self.base), of(self.ours), of(self.theirs), result)


def operation_at(history: History, name: str) -> Redone:
    """What a commit did that can be asked again. Raises BadInput where that can't be told."""
    commit = commit_named(history, name)
    if (merge := merge_again(commit)) is not None:
        return merge
    if len(commit.parents) > 2:
        what = f"{short(commit.id)} merges {len(commit.parents) - 1} branches at once (an octopus)"
        raise BadInput(Problem(what, "An exercise is made of a merge of two."))
    if (copied := copied_from(commit.message)) is not None:
        how, id_ = copied
        try:
            again = copy_again(commit, how, commit_named(history, id_))
        except BadInput:
            again = None
        if again is not None:
            return again
        what = f"{short(commit.id)} is a {how} of {short(id_)}, which can't be asked again"
        raise BadInput(Problem(what, "Its commit is not here, or has no parent that it is measured by."))
    tips = list(dict.fromkeys([*history.refs.values(), *history.remembered]))
    others = [one for one in commits_of(history, ["--max-parents=1"], tips) if one.written == commit.written]
    old = next((old for new, old in rebased_pairs(others) if new.id == commit.id), None)
    if old is not None and old.parents and commit.parents:
        return Redone(commit, "rebase", commit.parents[0], old.id, old.parents[0])
    what = f"{short(commit.id)} is no merge, and says of no other commit that it copies it or takes it back"
    raise BadInput(Problem(what, "muddled glean REPOSITORY lists what can be taken."))


def taken(history: History, redone: Redone, *, whole: bool, commits: SideCommits | None) -> TakenExercise:
    """The exercise of an operation that conflicted. Raises BadInput where none can be made of it."""
    trees = Trees(history)
    commit = redone.commit
    try:
        base = _base(history, redone)
        sides = _sides(history, trees, redone, base, commit.tree)
        cut, conflicts = _cut(history, trees, redone, sides, whole=whole)
        files = _Reading(history)
        result = files.of(cut.result or {})
        if redone.how != "merge" and cut.result == cut.ours:
            raise Missing("nothing of it was kept, so that no commit comes of it")
        if any(_MARKER in result[path].data for path in conflicts if path in result):
            raise Missing("its resolution has conflict markers in it")
        ours, theirs = _both_sides(history, trees, redone, base, cut, files)
        back = redone.how == "revert"
        begun = _commit(history, redone.theirs if back else base)
        before = files.of(cut.theirs if back else cut.base)
        story = story_of(redone.how, (begun, before), ours, theirs, commits)
        on, source = ours.branch, theirs.branch
        if redone.how == "rebase":
            on, source = source, on
        what = f"{redone.how} {short(commit.id)}"
        return TakenExercise(redone.how, on, source, story, result, what)
    except Missing as why:
        raise _refused(str(why), commit) from None


def taken_branches(
    history: History, ours: str, theirs: str, *, whole: bool, commits: SideCommits | None
) -> TakenExercise:
    """The exercise of two branches that were never merged: theirs into ours. Raises BadInput where none can
    be made of them."""
    mine, other = commit_named(history, ours), commit_named(history, theirs)
    redone = Redone(mine, "merge", mine.id, other.id)
    trees = Trees(history)
    try:
        base = _base(history, redone)
        if base in (mine.id, other.id):
            what = f"{theirs} has all of {ours}" if base == mine.id else f"{ours} has all of {theirs}"
            raise BadInput(Problem(f"{what}, so nothing can conflict", "Name branches that have parted."))
        cut, _ = _cut(history, trees, redone, _sides(history, trees, redone, base), whole=whole)
        files = _Reading(history)
        names = _branch(ours, MAIN), _branch(theirs, "side")
        both = _both_sides(history, trees, redone, base, cut, files, names)
        begun = _commit(history, base)
        story = story_of("merge", (begun, files.of(cut.base)), *both, commits or "keep")
        return TakenExercise("merge", both[0].branch, both[1].branch, story, None, f"{ours} and {theirs}")
    except Missing as why:
        raise _refused(str(why), mine) from None


def _branch(name: str, otherwise: str) -> str:
    """A name of a branch that a scenario may have."""
    plain = name.removeprefix("refs/heads/").removeprefix("origin/")
    return otherwise if plain.isupper() or any(sign in plain for sign in "~^:") else plain


def _refused(why: str, commit: PastCommit) -> BadInput:
    what = f"of {short(commit.id)} no exercise can be made: {why}"
    return BadInput(Problem(what, "muddled glean REPOSITORY lists others."))


def _commit(history: History, id_: str) -> PastCommit:
    return next(commits_of(history, ["--no-walk"], [id_]))


def _sides(history: History, trees: Trees, redone: Redone, base: str, result: str = "") -> _Sides:
    """The whole trees; `result` is that of the real result (empty: there is none). Raises Missing."""
    base_tree, ours, theirs = (
        trees.whole(tree_of(history, id_)) for id_ in (base, redone.ours, redone.theirs)
    )
    return _Sides(base_tree, ours, theirs, trees.whole(result) if result else None)


def _base(history: History, redone: Redone) -> str:
    """The commit that both sides are measured by. Raises Missing where there is none, or several."""
    if redone.base is not None:
        return redone.base
    output, _ = history.ask(["merge-base", "--all", redone.ours, redone.theirs])
    bases = output.decode("ascii", "replace").split()
    if len(bases) != 1:
        several = "its sides have several bases (criss-cross)"
        raise Missing(several if bases else "its sides have nothing in common")
    return bases[0]


def _cut(
    history: History, trees: Trees, redone: Redone, sides: _Sides, *, whole: bool
) -> tuple[_Sides, list[str]]:
    """The trees with what conflicts and what the result needs, in which Git meets the same conflicts, and the
    paths of these. Raises Missing."""
    pair = pair_of(history, redone)
    history.flush()
    met, shown_tree, kinds = _asked(history, trees, pair)
    if not met:
        raise Missing("it does not conflict when it is merged again")
    needed = {*(conflict.path for conflict in met), *kinds}
    if sides.result is not None:
        needed |= set(trees.different(shown_tree, redone.commit.tree))
    changed = {
        path
        for tree in (sides.ours, sides.theirs)
        for path in {*sides.base, *tree}
        if sides.base.get(path) != tree.get(path)
    }
    needed |= set(_other_names(met, sides, changed))
    everything = {*sides.base, *sides.ours, *sides.theirs, *(sides.result or {})}
    choices: list[Collection[str]] = [] if whole else [needed]
    if not whole and len(changed) <= _MOST_CHANGED:
        choices.append(needed | changed)
    for paths in (*choices, everything):
        cut = _with_something(sides, sides.cut(paths), history)
        if _same_conflicts(met, _asked(history, trees, _written(history, cut))[0]):
            _refuse_odd(history, cut)
            return cut, [conflict.path for conflict in met]
    raise Missing("its trees alone do not meet the same conflicts")


def _asked(
    history: History, trees: Trees, pair: tuple[str, str]
) -> tuple[Sequence[Conflict], str, Collection[str]]:
    """The conflicts of two commits, the tree that Git makes of them, and the paths that its words are about.
    Raises Missing."""
    (shown,), (based,) = (merges_of(history, [pair], diff3=diff3) for diff3 in (False, True))
    if shown is None or based is None:
        raise Missing("Git can't merge it")
    asked = conflicts_of(history, trees, shown, based)
    if asked.problem:
        raise Missing(asked.problem)
    return asked.conflicts, shown.tree, shown.kinds.keys()


def _same_conflicts(met: Sequence[Conflict], other: Sequence[Conflict]) -> bool:
    return _told(met) == _told(other)


def _told(conflicts: Sequence[Conflict]) -> dict[tuple[str, str], object]:
    return {
        (one.path.partition("~")[0], one.kind): (dict(one.stages), one.merged.hunks if one.merged else None)
        for one in conflicts
    }


def _other_names(met: Sequence[Conflict], sides: _Sides, changed: Collection[str]) -> Iterator[str]:
    """The names that files of conflicts have on a side: Git finds renames by what lies there."""
    of = {1: sides.base, 2: sides.ours, 3: sides.theirs}
    wanted = {(stage, blob.id) for conflict in met for stage, blob in conflict.stages.items()}
    for stage, tree in of.items():
        yield from (path for path in changed if path in tree and (stage, tree[path].id) in wanted)


def _with_something(sides: _Sides, cut: _Sides, history: History) -> _Sides:
    """Trees with a file that all of them have: a story begins with a commit of something."""
    if cut.base:
        return cut
    everywhere = [
        path
        for path, blob in sides.base.items()
        if sides.ours.get(path) == sides.theirs.get(path) == blob and blob.mode == PLAIN_FILE
    ]
    if everywhere:
        path = min(everywhere, key=lambda one: (len(history.read(sides.base[one].id)[1]), one))
        blob = sides.base[path]
    else:
        path, blob = _NEUTRAL, Blob(PLAIN_FILE, history.made.blob(_NEUTRAL_TEXT))
    more = {path: blob}
    result = None if cut.result is None else {**more, **cut.result}
    return _Sides(more, {**more, **cut.ours}, {**more, **cut.theirs}, result)


def _written(history: History, sides: _Sides) -> tuple[str, str]:
    """Commits of these trees, of which two have the third in common."""
    base, ours, theirs = (
        history.made.tree({path: (blob.mode, blob.id) for path, blob in tree.items()})
        for tree in (sides.base, sides.ours, sides.theirs)
    )
    parted = parted_commits(history, base, ours, theirs)
    history.flush()
    return parted


def _refuse_odd(history: History, sides: _Sides) -> None:
    for tree in (sides.base, sides.ours, sides.theirs, sides.result or {}):
        for path, blob in tree.items():
            if blob.mode == SUBMODULE:
                raise Missing(f"{path} is a submodule")
            if why := bad_path(path):
                raise Missing(f'a file is called "{path}": {why}')
            if len(history.read(blob.id)[1]) > LARGEST:
                raise Missing(f"{path} is large")


class _Reading:
    """Files with their contents; what several trees have is held once."""

    def __init__(self, history: History) -> None:
        self._history = history
        self._held: dict[Blob, File] = {}

    def of(self, tree: Tree) -> Files:
        for blob in tree.values():
            if blob not in self._held:
                self._held[blob] = File(blob.mode, self._history.read(blob.id)[1])
        return {path: self._held[blob] for path, blob in tree.items()}


def _both_sides(
    history: History,
    trees: Trees,
    redone: Redone,
    base: str,
    cut: _Sides,
    files: _Reading,
    names: tuple[str, str] | None = None,
) -> tuple[Side, Side]:
    """Both sides with their commits since they parted."""
    paths = {*cut.base, *cut.ours, *cut.theirs}
    neutral = {path: blob for path, blob in cut.base.items() if path == _NEUTRAL}

    def at(commit: PastCommit) -> Files:
        found: Mapping[str, Blob | None] = {path: trees.at(commit.tree, path) for path in paths}
        return files.of(neutral | {path: blob for path, blob in found.items() if blob is not None})

    def since(tip: str) -> list[tuple[PastCommit, Files]]:
        if redone.base is not None:
            return [(_commit(history, tip), {})]
        words = ["--first-parent", f"--max-count={_MOST_COMMITS}"]
        found = list(commits_of(history, words, [tip, f"^{base}"]))
        return [(commit, at(commit)) for commit in reversed(found)]

    main, side = names or (MAIN, side_name(redone.commit.message, MAIN))
    ours, theirs = since(redone.ours), since(redone.theirs)
    if redone.base is not None:
        back = redone.how == "revert"
        source = _commit(history, base) if back else theirs[0][0]
        return (
            Side(main, [(ours[0][0], files.of(cut.ours))]),
            Side(side, [(source, files.of(cut.base if back else cut.theirs))]),
        )
    _last(ours, files.of(cut.ours))
    _last(theirs, files.of(cut.theirs))
    return Side(main, ours), Side(side, theirs)


def _last(commits: list[tuple[PastCommit, Files]], files: Files) -> None:
    """A side ends as it was merged."""
    commits[-1] = (commits[-1][0], files)
