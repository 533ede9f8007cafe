"""How the branches of a repository that several share stand to each other: who is ahead and behind, and
whether Git could merge them now."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping

from msgspec import Struct

from muddled_orchard.commands.host.git_service import GitService
from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.git.refs import BRANCHES, branch_ref

MOST = 8
"""So many branches are compared, in the order of their names."""


class BranchBeside(Struct, frozen=True):
    """A branch beside the one that counts: how many commits each has that the other lacks, and the files that
    would conflict in a merge (None: that is not known)."""

    name: str
    beside: str
    ahead: int
    behind: int
    conflicts: tuple[str, ...] | None

    @property
    def said(self) -> str:
        """All of that in a sentence."""
        if not self.ahead:
            return f"{self.name} is in {self.beside}."
        where = f"{self.name} has {counted(self.ahead, 'commit')} that {self.beside} lacks"
        where += f", and lacks {counted(self.behind, 'commit')} of it" if self.behind else ""
        if not self.behind:
            return f"{where}: {self.beside} would only be moved on."
        if self.conflicts is None:
            return f"{where}."
        if not self.conflicts:
            return f"{where}: they would merge."
        return f"{where}: they would conflict in {listed(self.conflicts, 4)}."


class Branches:
    """Knows how the branches of repositories stand, as long as their refs are the same."""

    def __init__(self, git: GitService) -> None:
        self._git = git
        self._known: dict[str, tuple[dict[str, str], list[BranchBeside]]] = {}

    async def of(self, who: str, place: str, refs: Mapping[str, str], main: str) -> list[BranchBeside]:
        """The branches of a repository beside its `main` one, by their names; `who` waits for it."""
        tips = {name: id_ for name, id_ in refs.items() if name.startswith(BRANCHES)}
        known = self._known.get(place)
        if known is not None and known[0] == tips:
            return known[1]
        here = tips.pop(branch_ref(main), None)
        found = []
        for name, tip in sorted(tips.items())[:MOST] if here is not None else ():
            one = await self._beside(who, place, name.removeprefix(BRANCHES), main, (str(here), tip))
            if one is not None:
                found.append(one)
        self._known[place] = ({name: id_ for name, id_ in refs.items() if name.startswith(BRANCHES)}, found)
        return found

    async def _beside(
        self, who: str, place: str, name: str, main: str, tips: tuple[str, str]
    ) -> BranchBeside | None:
        counts = await self._git.asked(who, place, ("rev-list", "--left-right", "--count", "...".join(tips)))
        parts = (counts or b"").split()
        if len(parts) != 2:
            return None
        behind, ahead = map(int, parts)
        conflicts: tuple[str, ...] | None = ()
        if ahead and behind:
            with tempfile.TemporaryDirectory() as objects:  # what the merge makes is nobody's
                words = ("merge-tree", "--write-tree", "--name-only", "--no-messages", "-z", *tips)
                told = await self._git.asked(who, place, words, objects=objects)
            files = (told or b"").split(b"\0")[1:]
            conflicts = tuple(file.decode("utf-8", "replace") for file in files if file) if told else None
        return BranchBeside(name, main, ahead, behind, conflicts)
