"""What Git will make of a merge, asked of Git itself: `git merge-tree`, many merges in one process.

The answer is read in both conflict styles, with markers of 40 signs, since the hunks of the default
style are what a learner sees and only diff3 shows the base.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from msgspec import Struct, field

from muddled_orchard.core.git.lines import by_lines
from muddled_orchard.core.git.stored_objects import stored_tree
from muddled_orchard.core.git.trees import FOLDER, SUBMODULE, Blob, Tree
from muddled_orchard.core.merging.conflict import MARKER_ATTRIBUTES, Conflict, MergeResult, merged_text
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.written_objects import StoredObjects

MOST_LISTED = 200_000


class ToldMerge(Struct):
    """One merge as `git merge-tree -z` tells it: the tree that comes out, what the index would hold of paths
    that conflict, and Git's word for each."""

    tree: str
    stages: dict[str, dict[int, Blob]] = field(default_factory=dict)
    kinds: dict[str, str] = field(default_factory=dict)


def predict(objects: StoredObjects, pairs: Sequence[tuple[str, str]]) -> list[MergeResult]:
    """The merge of each pair (ours, theirs) of commits, in order.

    The repository must be one of ours: marker sizes are set in it, and objects are added to it.
    """
    if not pairs:
        return []
    gitdir = objects.gitdir
    attributes = gitdir / "info" / "attributes"
    if not attributes.exists():
        attributes.write_text(MARKER_ATTRIBUTES, encoding="utf-8")
    shown, based = map(told_merges, git.merge_trees(gitdir, pairs))
    return [_merge_result(objects, told, other) for told, other in zip(shown, based, strict=True)]


def told_merges(output: bytes) -> Iterator[ToldMerge]:
    """Read the -z format of git-merge-tree(1): a status, then its three sections, for every merge."""
    parts = iter(output.split(b"\0"))
    for status in parts:
        if not status:
            continue  # an empty part stands between two merges
        told = ToldMerge(next(parts).decode())
        while entry := next(parts):
            about, _, name = entry.partition(b"\t")
            mode, id_, stage = about.decode().split()
            told.stages.setdefault(_name(name), {})[int(stage)] = Blob(int(mode, 8), id_)
        while count := next(parts):
            if not count.isdigit():
                break  # advice on submodules, in the place of the empty part that ends the section
            paths = [_name(next(parts)) for _ in range(int(count))]
            kind = next(parts).decode()
            next(parts)  # the message for people
            if kind.startswith("CONFLICT"):
                for path in paths:
                    told.kinds.setdefault(path, kind.removeprefix("CONFLICT (").removesuffix(")"))
        yield told


def _name(path: bytes) -> str:
    return path.decode("utf-8", "surrogateescape")


def _merge_result(objects: StoredObjects, shown: ToldMerge, based: ToldMerge) -> MergeResult:
    tree = listing(objects, shown.tree)
    tree_with_base = listing(objects, based.tree) if shown.stages else tree
    conflicts = []
    for path, stages in shown.stages.items():
        texts = None
        if path in tree and tree[path].mode != SUBMODULE:
            texts = objects.read(tree[path].id)[1], objects.read(tree_with_base[path].id)[1]
        conflicts.append(conflict_at(path, shown, stages, texts))
    return MergeResult(tree, tuple(conflicts))


def conflict_at(
    path: str, told: ToldMerge, stages: Mapping[int, Blob], texts: tuple[bytes, bytes] | None
) -> Conflict:
    """The conflict at a path; `texts` is what Git wrote there in both styles, None where nothing is."""
    merged = None
    if texts is not None and 2 in stages and 3 in stages and by_lines(texts[0]):
        merged = merged_text(*texts)
    if merged is not None and not merged.hunks:
        merged = None
    return Conflict(path, told.kinds.get(path, "contents"), stages, merged)


def listing(objects: StoredObjects, id_: str, most: int = MOST_LISTED) -> Tree:
    """Everything below a tree, by path. Submodules are listed, not entered. Raises ValueError where that is
    more than `most` entries: a few small trees can be made to list billions."""
    found: dict[str, Blob] = {}
    seen = 0
    stack = [("", id_)]
    while stack:
        prefix, folder = stack.pop()
        for mode, name, entry in stored_tree(objects.read(folder)[1]):
            seen += 1
            if seen > most:
                raise ValueError(f"one of its commits lists more than {most:,} files")
            if mode == FOLDER:
                stack.append((f"{prefix}{name}/", entry))
            else:
                found[prefix + name] = Blob(mode, entry)
    return dict(sorted(found.items()))
