"""Random conflicts of a learner's own whose verdict is known by construction: made by every operation, avoided in every
way, one after the other on one branch."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from fractions import Fraction

from hypothesis import strategies as st

from tests.truth import WORDS, Expected, Lines, Slot, Story, text_of

CONFLICTING = ("merge", "rebase", "cherry-pick", "revert")
WITHOUT_ONE = ("clean", "edited", "moved on", "-s ours", "-X theirs", "given up")
PLACES = 4


class _Round:
    """One time that something is brought into main: the places that both sides change, that only one of them does, and
    what was chosen in the first."""

    def __init__(self, draw: st.DrawFn, number: int, how: str, now: Sequence[Lines], *, last: bool) -> None:
        self.number, self.how = number, how
        conflict = how not in ("clean", "edited", "moved on")
        first = draw(st.integers(0, PLACES - 1))
        kinds = [draw(st.sampled_from(("both", "ours", "theirs", "none"))) for _ in now]
        kinds = [kind if conflict or kind != "both" else "none" for kind in kinds]
        kinds[first] = "both" if conflict else "theirs"
        if not conflict:
            kinds[(first + 1) % PLACES] = "ours"
        if how == "moved on":
            kinds = ["none" if kind == "ours" else kind for kind in kinds]
        ours, theirs = [f"ours {number}"], [f"theirs {number}"]
        sides = {"both": (ours, theirs), "ours": (ours, None), "theirs": (None, theirs), "none": (None, None)}
        self.slots = [
            Slot(base, *(base if side is None else side for side in sides[kind]))
            for base, kind in zip(now, kinds, strict=True)
        ]
        self.words: list[str] = []
        self.reworded = draw(st.booleans())
        for slot in self.slots:
            slot.now = slot.merged
            if slot.conflicts:
                # What is empty in a later round could be called by several words.
                words = [word for word in (*WORDS, "blend") if last or word != "neither"]
                self.words.append(draw(st.sampled_from(words)))
                slot.now = self._kept(slot, self.words[-1])

    def _kept(self, slot: Slot, word: str) -> Lines:
        return [f"blend {self.number}"] if word == "blend" else slot.kept(word)

    def taken_back(self) -> None:
        """The same places for a revert: the commit that is undone has made the base of what was theirs."""
        words = iter(self.words)
        for slot in self.slots:
            if slot.conflicts:
                slot.base, slot.theirs = slot.theirs, slot.base
                slot.now = self._kept(slot, next(words))
            elif slot.theirs != slot.base:
                slot.base, slot.ours, slot.theirs = slot.theirs, slot.theirs, slot.base
                slot.now = slot.theirs

    def text(self, part: str) -> str:
        return text_of("a", [getattr(slot, part) for slot in self.slots])

    def carry_out(self, story: Story) -> list[Lines]:
        """What stands in the places then."""
        side, extra = f"side-{self.number}", f"f{self.number}.txt"
        if self.how == "revert":
            # What the commit made of a place is its base then, and what stood there before is theirs.
            self._commit(story, "base", {extra: "new\n"})
            self._commit(story, "ours", {})
            story.git("revert", "--no-edit", "HEAD~1", fails=True)
            return self._resolved(story, "revert", "--continue", gone=extra)
        story.git("switch", "-qc", side)
        self._commit(story, "theirs", {extra: "new\n"})
        story.git("switch", "-q", story.branch)
        if self.how == "moved on":
            story.git("merge", "-q", side)
            return [slot.theirs for slot in self.slots]
        self._commit(story, "ours", {f"main-{extra}": "new\n"})
        if self.how == "rebase":
            story.git("switch", "-q", side)
            story.git("rebase", story.branch, fails=True)
            now = self._resolved(story, "rebase", "--continue")
            story.git("switch", "-q", story.branch)
            story.git("merge", "-q", "--ff-only", side)
            return now
        if self.how == "cherry-pick":
            story.git("cherry-pick", "-x", side, fails=True)
            return self._resolved(story, "cherry-pick", "--continue")
        if self.how == "-s ours":
            story.git("merge", "-q", "--no-edit", "-s", "ours", side)
            return [slot.ours for slot in self.slots]
        if self.how == "-X theirs":
            story.git("merge", "-q", "--no-edit", "-X", "theirs", side)
            return [slot.theirs if slot.conflicts else slot.merged for slot in self.slots]
        story.git("merge", "--no-edit", *(["--no-commit"] if self.how == "edited" else []), side, fails=True)
        if self.how == "given up":
            story.git("merge", "--abort")
            return [slot.ours for slot in self.slots]
        if self.how == "edited":
            self.slots[0].now = [f"edited {self.number}"]
        return self._resolved(story, "commit", "--no-edit") if self.how != "clean" else self._now()

    def _now(self) -> list[Lines]:
        return [slot.now for slot in self.slots]

    def _commit(self, story: Story, part: str, more: dict[str, str | None]) -> None:
        story.write({"a.txt": self.text(part), **more})
        story.git("commit", "-q", "--allow-empty", "-m", f"{part.title()} {self.number}")

    def _resolved(self, story: Story, *going_on: str, gone: str | None = None) -> list[Lines]:
        story.write({"a.txt": self.text("now"), **({gone: None} if gone else {})})
        if self.how == "rebase" and self.reworded:  # as who commits at a stop does
            story.git("commit", "-q", "-m", f"Say it otherwise {self.number}")
        story.git("-c", "core.editor=true", *going_on)
        return self._now()


def _begin(story: Story, branch: str, now: Sequence[Lines]) -> None:
    """A repository of the learner's own, with commits before and after the example's first one."""
    story.git("init", "-q", "-b", branch)
    story.branch = branch
    story.write({"b.txt": "Something first\n"})
    story.git("commit", "-q", "-m", "First of all")
    story.write({"a.txt": text_of("a", now)})
    story.git("commit", "-q", "-m", "Lines")


@st.composite
def own(draw: st.DrawFn) -> tuple[Story, Expected]:
    """Conflicts made and avoided; what counts is asked in words of the operations, how many, and what may be kept."""
    story = Story()
    by = draw(st.lists(st.sampled_from(CONFLICTING), min_size=1, unique=True))
    asked, fine = draw(st.integers(1, 4)), draw(st.lists(st.sampled_from(WORDS), unique=True, max_size=3))
    now: list[Lines] = [[f"base {n}"] for n in range(PLACES)]
    story.commit("main", "Begin", {"a.txt": text_of("a", now)})
    begins = draw(st.booleans())
    kept = f"kept = {json.dumps(fine)}\n" if fine else ""
    story.ask(f'do = "own-conflict"\non = "main"\nby = {json.dumps(by)}\nconflicts = {asked}\n{kept}', [])
    story.start(own=begins)
    story.plant()
    if begins:
        _begin(story, draw(st.sampled_from(("main", "master"))), now)
    made, words = 0, list[str]()
    hows = [
        draw(st.sampled_from(CONFLICTING)),
        *draw(st.lists(st.sampled_from((*CONFLICTING, *WITHOUT_ONE)), max_size=3)),
    ]
    for number, how in enumerate(draw(st.permutations(hows))):
        one = _Round(draw, number, how, now, last=number == len(hows) - 1)
        if how == "revert":
            one.taken_back()
        now = one.carry_out(story)
        if how in CONFLICTING:
            words += one.words
            made += len(one.words) if how in by else 0
    lost = {} if made >= asked else {"made": "partly" if made else "missed"}
    share = Fraction(sum(word in fine for word in words), len(words)) if fine else None
    return story, Expected(share, lost, words)


OWN_GROUPS: dict[str, Callable[[], st.SearchStrategy[tuple[Story, Expected]]]] = {"own": own}
