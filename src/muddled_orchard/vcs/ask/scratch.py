"""The bare repository in which stories are built and Git is asked what they meet.

What is made goes to `objects`, and from there to the disk when Git is asked something. Git is asked once for
all histories that differ in words alone (`core.merging.equivalence`); the others are told its answer in their
words.
"""

from __future__ import annotations

import functools
from collections.abc import Hashable, Iterable, Mapping, Sequence
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.remembering import remember
from muddled_orchard.core.exercise.history import PlannedCommit
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.git.commits import Commit, Commits
from muddled_orchard.core.git.trees import SUBMODULE, Blob, Files, Tree
from muddled_orchard.core.merging.conflict import MergeResult, relabelled
from muddled_orchard.core.merging.equivalence import HistoryShape, history_shape, translate
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.predict import predict
from muddled_orchard.vcs.ask.written_objects import StoredObjects
from muddled_orchard.vcs.write.build import new_repository
from muddled_orchard.vcs.write.memory import Objects, pack_file

OURS, THEIRS = "0" * 40, "f" * 40
"""How a merge labels its sides, where Git names files that it sets aside after them."""

_SIDES = ("base", "ours", "theirs")

_MOST_ANSWERS = 2_000
_MOST_SHAPES = 256
_MOST_TREES = 10_000
_MOST_HELD = 20_000
_FEW = 100
"""How many objects are sooner written a file each than a process begins that indexes a pack."""


class Question(Struct, frozen=True):
    """What Git makes of two commits, as a question.

    `tips` are ours and theirs, `commits` has all that they grew from, `texts` their contents, `times` their
    dates (see `history_shape`). `base` is the commit that both sides are measured by, None for what they have
    in common. `written` are the tips as the scratch has them, where these are others; `alike` is equal for
    histories that differ in ids alone, None where nothing is known of that.
    """

    tips: tuple[str, str]
    commits: Commits
    texts: Mapping[str, bytes]
    times: Mapping[str, int]
    base: str | None = None
    written: tuple[str, str] | None = None
    alike: Hashable | None = None

    def history_shape(self) -> HistoryShape | None:
        """The history of both."""
        if self.base is None:
            return history_shape(self.commits, self.tips, self.texts, self.times)
        sides = zip(_SIDES, (self.base, *self.tips), strict=True)
        commits = {
            name: Commit(name, () if name == "base" else ("base",), "", name, self.commits[id_].tree)
            for name, id_ in sides
        }
        return history_shape(commits, ("ours", "theirs"), self.texts, {})


class MadeTree(Struct, frozen=True):
    """A tree as it was planned, its id, what it lists, and the contents by blob id."""

    files: Files
    id: str
    tree: Tree
    texts: dict[str, bytes]


class ScratchRepository:
    """A repository of ours for a whole run, in a folder of its own. What it remembers is bounded."""

    def __init__(self, folder: Path) -> None:
        self.gitdir = folder
        new_repository(folder, bare=True)
        self._stored = StoredObjects(folder)
        self.objects = Objects()
        self._variants: dict[str, Variants] = {}
        self._trees: dict[int, MadeTree] = {}
        self._alike: dict[Hashable, MergeResult] = {}
        self._shapes: dict[Hashable, tuple[HistoryShape, MergeResult]] = {}
        self._replays: dict[Hashable, tuple[int, ...]] = {}

    def tree(self, planned: PlannedCommit) -> MadeTree:
        """A planned commit's tree, made once for all variants that have the same."""
        known = self._trees.get(id(planned.tree))
        if known is None or known.files is not planned.tree:
            tree, texts = {}, {}
            for path, file in sorted(planned.tree.items()):
                blob = self.objects.blob(file.data)
                tree[path] = Blob(file.mode, blob)
                texts[blob] = file.data
            id_ = self.objects.tree({path: (blob.mode, blob.id) for path, blob in tree.items()})
            known = MadeTree(planned.tree, id_, tree, texts)
            remember(self._trees, id(planned.tree), known, _MOST_TREES)
        return known

    def know(self, variants: Variants) -> None:
        """Use these variants of their scenario, which hold what was made of them already."""
        self._variants[variants.scenario.id] = variants

    def variants(self, scenario: Scenario) -> Variants:
        """The variants of a scenario, remembered from one call to the next."""
        known = self._variants.get(scenario.id)
        if known is None or known.scenario is not scenario:
            known = self._variants[scenario.id] = Variants(scenario)
        return known

    def flush(self) -> None:
        """Put everything where Git can read it. Call before any `git` process works in it."""
        held = self.objects.held
        if len(held) > _FEW:
            git.index_pack(self.gitdir, pack_file(held.values()))
        else:
            self._stored.add(held)
        held.clear()

    def read_texts(self, texts: dict[str, bytes], merge: MergeResult) -> None:
        """Add the contents of a merge's files that aren't known yet, but for conflicted ones. A submodule has
        none."""
        conflicted = {conflict.path for conflict in merge.conflicts}
        for path, blob in merge.tree.items():
            if blob.mode != SUBMODULE and path not in conflicted and blob.id not in texts:
                texts[blob.id] = self._content(blob.id)

    def _content(self, id_: str) -> bytes:
        held = self.objects.held.get(id_)
        return held[1] if held else self._stored.read(id_)[1]

    # -- Merges -------------------------------------------------------------------------------------

    def merges(self, questions: Sequence[Question]) -> list[MergeResult]:
        """What the commits of each question meet, in order; sides are labelled OURS and THEIRS."""
        asked = [_Asked(question) for question in questions]
        self._recall(asked)
        self._ask({one.kind: one for one in asked if one.merge is None}.values())
        self._recall(asked)
        self._ask([one for one in asked if one.merge is None])  # what can't be told in other words
        if len(self.objects.held) > _MOST_HELD:
            self.flush()
        return [one.merge for one in asked if one.merge is not None]

    def _recall(self, asked: Iterable[_Asked]) -> None:
        """Answer what was answered before, for the same history or one that differs in words alone."""
        for asking in asked:
            if asking.merge is None and asking.question.alike is not None:
                asking.merge = self._alike.get(asking.question.alike)
            if asking.merge is None and asking.kind in self._shapes and asking.history_shape is not None:
                first, merge = self._shapes[asking.kind]
                asking.merge = translate(merge, self._content, first, asking.history_shape, self.objects.blob)
                self._note(asking)

    def _ask(self, asked: Iterable[_Asked]) -> None:
        """Have Git answer."""
        asked = list(asked)
        pairs = [self._pair(one.question) for one in asked]
        if pairs:
            self.flush()
        for one, (ours, theirs), merge in zip(asked, pairs, predict(self._stored, pairs), strict=True):
            one.merge = relabelled(merge, {ours: OURS, theirs: THEIRS})
            self._note(one)
            if one.history_shape is not None:
                remember(self._shapes, one.kind, (one.history_shape, one.merge), _MOST_SHAPES)

    def _pair(self, question: Question) -> tuple[str, str]:
        """The two commits that Git is given: where a base is set, two that have just this one in common."""
        if question.base is None:
            return question.written or question.tips
        made: list[str] = []
        for name, id_ in zip(_SIDES, (question.base, *question.tips), strict=True):
            tree = {path: (blob.mode, blob.id) for path, blob in question.commits[id_].tree.items()}
            who = "Stand-in <stand-in@orchard.example> 0 +0000"
            made.append(self.objects.commit(who, name, self.objects.tree(tree), made[:1]))
        return made[1], made[2]

    def _note(self, asking: _Asked) -> None:
        if asking.question.alike is not None and asking.merge is not None:
            remember(self._alike, asking.question.alike, asking.merge, _MOST_ANSWERS)

    # -- Rebases --------------------------------------------------------------------------------------

    def replayed(self, question: Question) -> list[str]:
        """The commits that Git replays when it rebases theirs onto ours, in order."""
        asking = _Asked(question)
        order = asking.history_shape.commits if asking.history_shape else ()
        if asking.kind not in self._replays:
            self.flush()
            picked = git.commits_to_replay(self.gitdir, *self._pair(question))
            if not asking.history_shape:
                return picked
            remember(self._replays, asking.kind, tuple(map(order.index, picked)), _MOST_SHAPES)
        return [order[place] for place in self._replays[asking.kind]]


class _Asked:
    """A question on its way to its answer."""

    def __init__(self, question: Question) -> None:
        self.question = question
        self.merge: MergeResult | None = None

    @functools.cached_property
    def history_shape(self) -> HistoryShape | None:
        """The history of both sides."""
        return self.question.history_shape()

    @functools.cached_property
    def kind(self) -> Hashable:
        """Equal for questions that one answer may do for."""
        return self.history_shape.shape if self.history_shape else (self.question.alike or self.question.tips)
