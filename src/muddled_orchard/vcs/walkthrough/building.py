"""The story built by hand: each commit as edit, add and commit, with what to point at."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

from muddled_orchard.core.base.phrases import listed
from muddled_orchard.core.exercise.history import History, PlannedCommit
from muddled_orchard.core.exercise.operations.am import MAILBOX
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.git.commits import short
from muddled_orchard.core.git.refs import REMOTE, is_on_remote
from muddled_orchard.core.git.trees import PLAIN_FILE, Files
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.walkthrough.walkthrough import (
    COLLEAGUE,
    ORIGIN,
    WORK,
    Identity,
    WalkthroughStep,
)
from muddled_orchard.vcs.walkthrough.recorder import Recorder

BUILT, UNCOMMITTED = "built", "work"
"""The names of the steps after the last commit: all stands; and work that is not committed is there, too."""


def build_steps(scenario: Scenario, history: History) -> list[WalkthroughStep]:
    """The steps in which the story is built, in order, with their names and titles alone."""
    named = [(_commit_name(number, commit), _title(commit)) for number, commit in enumerate(history.commits)]
    named += [(UNCOMMITTED, _title_of_work(scenario))] if scenario.start.work else []
    named.append((BUILT, _BUILT_TITLE))
    return [
        WalkthroughStep(number=number, name=name, title=title, half="build")
        for number, (name, title) in enumerate(named, start=1)
    ]


def _commit_name(number: int, commit: PlannedCommit) -> str:
    """`commit:limit` of a labelled commit, else `commit:2`, by its place in the story."""
    return f"commit:{commit.label or number + 1}"


def _title(commit: PlannedCommit) -> str:
    subject = commit.message.split("\n", 1)[0]
    return f"{commit.author.name}, on {commit.branch}: {subject}"


def _title_of_work(scenario: Scenario) -> str:
    return f"Work in {listed(sorted(scenario.start.work))} that is not committed"


_BUILT_TITLE = "The graph so far"


def build(recorder: Recorder, mailbox: bytes | None = None) -> None:
    """Build the whole story in an empty folder; `mailbox` are the patches that lie beside the repository."""
    _Building(recorder).run(mailbox)


class _Building:
    """The story as far as it is built."""

    def __init__(self, recorder: Recorder) -> None:
        self.recorder = recorder
        self.key: Key = recorder.key
        self.history = recorder.key.history
        self.tips: dict[str, int] = {}
        self.published: dict[str, int] = {}

    def run(self, mailbox: bytes | None) -> None:
        recorder = self.recorder
        handed_out = {*self.history.tips, *self.history.tracked}
        for number, commit in enumerate(self.history.commits):
            recorder.step("build", _commit_name(number, commit), _title(commit))
            recorder.who = Identity(commit.author.name, commit.author.email, commit.time, commit.offset)
            if commit.stash:
                self._stash(commit)
            elif is_on_remote(commit.branch):
                self._elsewhere(number, commit)
            elif commit.branch in handed_out:
                self._commit(number, commit)
            else:
                self._patch(number, commit)
            if self.key.scenario.story[number].publish:
                self._publish(number)
        self._uncommitted()
        recorder.step("build", BUILT, _BUILT_TITLE)
        if mailbox is not None:
            recorder.say("What was sent by mail lies beside the repository, one patch behind the other.")
            recorder.edit(MAILBOX, mailbox, PLAIN_FILE, folder=".")
        checked_out = self.history.checked_out
        if recorder.tree.branch() != checked_out:
            recorder.git("switch", checked_out)
        if self._has_attributes:
            recorder.edit(_ATTRIBUTES, None, PLAIN_FILE)
        if config := self.key.scenario.start.config:
            recorder.say("What this repository has of Git's settings:")
            for name, value in config.items():
                recorder.git("config", name, value)
        recorder.say(self._told())
        recorder.look("log", "--oneline", "--graph", "--decorate", "--all")

    def _told(self) -> str:
        names = [name for name in self.history.tips if name in self.tips]
        grown_from = {name: self.history.ancestors(self.tips[name]) for name in names}
        if len(names) > 1 and all(
            self.tips[one] in grown_from[other] or self.tips[other] in grown_from[one]
            for one, other in combinations(names, 2)
        ):
            return f"{listed(names, 6)} lie on one line: none has gone a way of its own."
        if len(names) < 2 and self.history.remote != self.history.tracked:
            return (
                "What is here stands on one branch. The remote has gone on, and nobody here knows of it yet."
            )
        if len(names) < 2:
            return "Everything so far stands on one branch."
        return (
            f"{listed(names, 6)} have gone their own ways. Read "
            "the graph from the bottom: where do they part?"
        )

    # -- A commit -------------------------------------------------------------------------------------

    def _commit(self, number: int, commit: PlannedCommit) -> None:
        recorder = self.recorder
        if not self.tips:
            self._begin(commit.branch)
        elif commit.branch not in self.tips:
            self._new_branch(number, commit)
        elif recorder.tree.branch() != commit.branch:
            recorder.git("switch", commit.branch)
            self._point_at_what_is_not_here(commit)
        if len(commit.parents) > 1:
            self._merge(commit)
        else:
            parent = self.history.commits[commit.parents[0]].tree if commit.parents else {}
            _add(recorder, _edit(recorder, parent, commit.tree))
            self._commit_message(commit.message)
        self.tips[commit.branch] = number

    def _begin(self, branch: str) -> None:
        recorder = self.recorder
        if self.history.remote:
            recorder.git("init", "-q", "--bare", "-b", self._head_of_remote(), ORIGIN, folder=".")
        recorder.git("init", "-q", "-b", branch, WORK, folder=".")
        if self.history.remote:
            recorder.git("remote", "add", "origin", f"../{ORIGIN}")
        self._take_as_they_are(WORK)

    def _take_as_they_are(self, folder: str) -> None:
        """Keep attributes of the story's own from changing what goes into its commits."""
        if self._has_attributes:
            self.recorder.say("Files go into commits byte for byte, whatever attributes they have:")
            self.recorder.edit(_ATTRIBUTES, _AS_THEY_ARE, PLAIN_FILE, folder)

    @property
    def _has_attributes(self) -> bool:
        paths = {path for commit in self.history.commits for path in commit.tree}
        return any(path.rsplit("/", 1)[-1] == ".gitattributes" for path in paths)

    def _head_of_remote(self) -> str:
        names = [
            name for name in (self.history.checked_out, *self.history.remote) if name in self.history.remote
        ]
        deleted = {task.delete for task in self.key.scenario.task}
        return next((name for name in names if name not in deleted), names[0])

    def _new_branch(self, number: int, commit: PlannedCommit) -> None:
        recorder = self.recorder
        grown_from = self.key.scenario.story[number].from_
        at = self.history.commits[commit.parents[0]].branch
        start = grown_from if grown_from in self.tips else at
        if self.tips.get(start) != commit.parents[0]:
            start = short(self.key.ids[commit.parents[0]])
        recorder.git("switch", "-c", commit.branch, *([] if recorder.tree.branch() == start else [start]))
        recorder.say(f"{commit.branch} begins where {start} stands; from here on it goes its own way.")

    def _point_at_what_is_not_here(self, commit: PlannedCommit) -> None:
        """Show a file that was just changed on the other branch: the change is not here."""
        recorder = self.recorder
        last = self.history.commits[max(self.tips.values())]
        if last.branch == commit.branch or not last.parents:
            return
        here = self.history.commits[self.tips[commit.branch]].tree
        before = self.history.commits[last.parents[0]].tree
        changed = [path for path in last.tree if last.tree[path] != before.get(path) and path in here]
        shown = next((path for path in changed if here[path] != last.tree[path]), None)
        if shown is not None:
            recorder.say(f"What {last.author.name} changed in {shown} on {last.branch} is not here:")
            recorder.view(shown, last.tree[shown].data)

    def _merge(self, commit: PlannedCommit) -> None:
        """A merge that belongs to the story. What porcelain can't make is made of its pieces."""
        recorder = self.recorder
        own, other = commit.parents
        source = self.history.commits[other].branch
        if self.tips.get(source) != other:
            source = short(self.key.ids[other])
        if own not in self.history.ancestors(other) and other in self.history.ancestors(own):
            self._from_pieces(commit, [self.key.ids[own], self.key.ids[other]])
            return
        recorder.git("merge", "--no-ff", "--no-commit", source)
        paths = _edit(recorder, recorder.files(), commit.tree)
        if paths or recorder.tree.unmerged():
            _add(recorder, paths, whole=True)
        self._commit_message(commit.message)

    def _from_pieces(self, commit: PlannedCommit, parents: Sequence[str]) -> None:
        recorder = self.recorder
        _add(recorder, _edit(recorder, recorder.files(), commit.tree), whole=True)
        recorder.git("write-tree", keeps="tree")
        named = [word for parent in parents for word in ("-p", parent)]
        recorder.git("commit-tree", "$tree", *named, *_message(commit.message), keeps="made")
        recorder.git("reset", "-q", "--hard", "$made")

    def _commit_message(self, message: str, folder: str = WORK, *more: str) -> None:
        """Commit with this message, byte for byte."""
        self.recorder.git("commit", *more, *_message(message), folder=folder)

    # -- Other kinds ----------------------------------------------------------------------------------

    def _stash(self, commit: PlannedCommit) -> None:
        recorder = self.recorder
        if recorder.tree.branch() != commit.branch:
            recorder.git("switch", commit.branch)
        before = self.history.commits[commit.parents[0]].tree
        _edit(recorder, before, commit.tree)
        new = [path for path in commit.tree if path not in before]
        recorder.say("The work is not finished, so it is put aside and not committed.")
        if new:
            _add(recorder, new)
        recorder.git("stash", "push", "-m", commit.message.splitlines()[0])

    def _elsewhere(self, number: int, commit: PlannedCommit) -> None:
        """Somebody else commits and pushes, in a clone of their own."""
        recorder = self.recorder
        branch = commit.branch.removeprefix(REMOTE)
        recorder.say(
            f"Meanwhile {commit.author.name} works in another clone, and pushes. Nobody here knows of it yet."
        )
        if not (recorder.room / COLLEAGUE).is_dir():
            later = ["--no-checkout"] if self._has_attributes else []
            recorder.git("clone", "-q", *later, ORIGIN, COLLEAGUE, folder=".")
            self._take_as_they_are(COLLEAGUE)
        else:
            recorder.git("fetch", "-q", folder=COLLEAGUE)
        recorder.git("switch", "-q", "-C", branch, f"origin/{branch}", folder=COLLEAGUE)
        paths = _edit(recorder, self.history.commits[commit.parents[0]].tree, commit.tree, COLLEAGUE)
        _add(recorder, paths, COLLEAGUE)
        self._commit_message(commit.message, COLLEAGUE)
        recorder.git("push", "-q", "origin", branch, folder=COLLEAGUE)
        self.published[branch] = number

    def _patch(self, number: int, commit: PlannedCommit) -> None:
        """Somebody sends a commit by mail."""
        recorder = self.recorder
        recorder.say(
            f"{commit.author.name} has no access to this "
            "repository, and sends the commit by mail, as a patch."
        )
        self.tips[commit.branch] = number

    def _publish(self, number: int) -> None:
        for branch in self.key.scenario.story[number].publish:
            behind = self.published.get(branch)
            diverged = behind is not None and behind not in self.history.ancestors(self.tips[branch])
            self.recorder.git("push", *(["--force"] if diverged else []), "-u", "origin", branch)
            self.published[branch] = self.tips[branch]

    def _uncommitted(self) -> None:
        """Work that is there at the start and not committed."""
        start = self.key.scenario.start
        if not start.work:
            return
        recorder = self.recorder
        recorder.step("build", UNCOMMITTED, _title_of_work(self.key.scenario))
        if recorder.tree.branch() != self.history.checked_out:
            recorder.git("switch", self.history.checked_out)
        tree = self.history.commits[self.history.tips[self.history.checked_out]].tree
        for texts, staged in ((start.stage, True), (start.write, False)):
            for path, text in texts.items():
                mode = tree[path].mode if path in tree else PLAIN_FILE
                recorder.edit(path, text.encode(), mode)
            if staged and texts:
                recorder.git("add", *texts)
        recorder.look("status")


def _edit(recorder: Recorder, before: Files, after: Files, folder: str = WORK) -> list[str]:
    """Make the files of one tree those of another; returns the paths that changed."""
    gone = [path for path in before if path not in after]
    made = [path for path, file in after.items() if before.get(path) != file]
    for path in gone:
        recorder.edit(path, None, PLAIN_FILE, folder)
    for path in made:
        recorder.edit(path, after[path].data, after[path].mode, folder)
    return [*gone, *made]


_MOST_NAMED = 4
_ATTRIBUTES = ".git/info/attributes"
_AS_THEY_ARE = b"* -text -ident -filter -working-tree-encoding\n"


def _add(recorder: Recorder, paths: Sequence[str], folder: str = WORK, *, whole: bool = False) -> None:
    """Stage files: a few by their names, many or the whole tree all at once; ignored ones with force."""
    named = not whole and len(paths) <= _MOST_NAMED and not any(path.startswith(("-", ":")) for path in paths)
    force = ["--force"] if recorder.ignored(paths, folder) else []
    recorder.git("add", *force, *(paths if named else ["--all"]), folder=folder)


def _message(message: str) -> list[str]:
    """A message as options, so that Git keeps it as it is."""
    paragraphs = message.removesuffix("\n").split("\n\n")
    plain = all(
        paragraph.strip("\n") == paragraph and paragraph and line == line.rstrip()
        for paragraph in paragraphs
        for line in paragraph.split("\n")
    )
    if plain and "\n".join(message.splitlines()) + "\n" == message:
        return [word for paragraph in paragraphs for word in ("-m", paragraph)]
    return ["--cleanup=verbatim", "-m", message.removesuffix("\n")]
