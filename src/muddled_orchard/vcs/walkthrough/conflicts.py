"""One conflict shown: what Git says, the file and its parts, what each side changed, choices, the answer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from muddled_orchard.core.base.phrases import counted, listed
from muddled_orchard.core.exercise.planned import Replay
from muddled_orchard.core.git.lines import alike, lines_of
from muddled_orchard.core.git.trees import PLAIN_FILE
from muddled_orchard.core.key.answer_key import Step
from muddled_orchard.core.merging.conflict import STAGE, Conflict
from muddled_orchard.core.merging.keep import lines_kept
from muddled_orchard.core.walkthrough.marked import marked
from muddled_orchard.core.walkthrough.moved import MovedLine, moved_lines
from muddled_orchard.core.walkthrough.step_names import TOOL, step_name
from muddled_orchard.core.walkthrough.words import (
    BOTH_TOLD,
    TOOL_CLOSED,
    TOOL_DELETED,
    TOOL_SAVED,
    kind_told,
    moved_told,
    one_side_told,
    resolution_told,
    sides_told,
    tool_told,
)
from muddled_orchard.vcs.walkthrough.recorder import Recorder

_MOST_FILES = 3


class ConflictShown:
    """The conflict with this number (from 1, in the whole walkthrough), at which Git has stopped."""

    def __init__(self, recorder: Recorder, step: Step, number: int, unmerged: Sequence[str]) -> None:
        self.recorder = recorder
        self.step = step = step.given_up or step
        self.number = number
        self.unmerged = unmerged
        self.ours, self.theirs = step.ours_name, step.theirs_name
        known = [step.merge.conflict(path) for path in unmerged]
        self.conflicts: list[Conflict] = [conflict for conflict in known if conflict is not None]

    def _name(self, kind: str) -> str:
        return step_name(kind, self.number)

    def meet(self) -> None:
        """What Git says, the file with its markers, and what each side changed."""
        self.recorder.on_conflict(self.step, self.unmerged)
        recorder = self.recorder
        about = self.recorder.key.commits.get(self.step.commit or "")
        at = (
            f', at "{about.subject}"'
            if about is not None and not self.step.operation.stays_uncommitted
            else ""
        )
        where = f": {listed(self.unmerged)}" if self.unmerged else ""
        recorder.call_step(self._name("conflict"), f"Git stops{at}{where}")
        recorder.say(
            "Read the message aloud: what could Git not do, and in which files? What does it propose?"
        )
        recorder.look("status")
        self._files()
        self._changes()

    def _files(self) -> None:
        recorder = self.recorder
        recorder.step("task", self._name("file"), "What stands in the files now")
        recorder.say(sides_told(self.step.operation, self.ours, self.theirs))
        for conflict in self.conflicts[:_MOST_FILES]:
            content = recorder.content(conflict.path)
            if conflict.merged is None or content is None:
                recorder.say(kind_told(conflict))
                continue
            hunks = len(conflict.merged.hunks)
            shown = marked(conflict.path, content, conflict.merged, self.ours, self.theirs)
            recorder.say(
                f"{conflict.path} has {counted(hunks, 'conflict')}. "
                "Git has merged what stands outside the markers."
            )
            if shown is not None:
                recorder.add(shown)
            else:
                recorder.view(conflict.path)
        if any(conflict.merged is None for conflict in self.conflicts):
            recorder.look("ls-files", "--unmerged")
        if len(self.conflicts) > _MOST_FILES:
            recorder.say(f"And so on in {counted(len(self.conflicts) - _MOST_FILES, 'more file')}.")

    def _changes(self) -> None:
        recorder, step = self.recorder, self.step
        recorder.step("task", self._name("changes"), "What each side changed since the base")
        paths = [conflict.path for conflict in self.conflicts[:_MOST_FILES]]
        replay = Replay(step.base or "", step.theirs, step.commit or step.theirs)
        for told, looks in step.operation.compare((self.ours, self.theirs), replay):
            recorder.say(told)
            for words in looks:
                recorder.look(*words, *(("--", *paths) if words[0] == "diff" else ()))
        for conflict in self.conflicts[:_MOST_FILES]:
            into: dict[tuple[str, str], list[MovedLine]] = {}
            for moved in moved_lines(recorder.key, step, conflict):
                into.setdefault((moved.side, moved.path), []).append(moved)
            for (side, _), lines in into.items():
                recorder.say(moved_told(lines, self.ours if side == "ours" else self.theirs))

    # -- Choices --------------------------------------------------------------------------------------

    def try_choices(self, *, with_key: bool) -> None:
        """One side, the other and both, each in the first file that has markers, and each undone again.
        With the key those that it accepts are no wrong turn, and left for the resolution."""
        conflict = next((one for one in self.conflicts if one.merged is not None), None)
        if conflict is None or conflict.merged is None:
            return
        names = {"ours": self.ours, "theirs": self.theirs}
        for word, away in (("ours", "theirs"), ("theirs", "ours")):
            text = lines_of(self._version(conflict, word))
            if with_key and self._accepts(conflict, text):
                continue
            self._try(word, f"Tried: all of {names[word]}")
            if self.recorder.looking:
                self.recorder.git("checkout", f"--{word}", "--", conflict.path)
                self.recorder.view(
                    conflict.path, self._version(conflict, "theirs" if word == "ours" else "ours")
                )
                self.recorder.say(one_side_told(conflict, word, names[away], text), wrong=with_key)
                self._undo(conflict.path)
        both = conflict.merged.resolved([lines_kept(hunk, "ours+theirs") for hunk in conflict.merged.hunks])
        if not (with_key and self._accepts(conflict, both)):
            self._try("both", "Tried: both, with only the markers taken out")
            if self.recorder.looking:
                data = "".join(both).encode("utf-8", "surrogateescape")
                self.recorder.edit(conflict.path, data, self._mode(conflict.path))
                self.recorder.say(BOTH_TOLD, wrong=with_key)
                self._undo(conflict.path)

    def _version(self, conflict: Conflict, word: str) -> bytes:
        return self.recorder.key.texts[conflict.stages[STAGE[word]].id]

    def _try(self, kind: str, title: str) -> None:
        self.recorder.step("task", self._name(kind), title, wrong_turn=True)

    def _undo(self, path: str) -> None:
        recorder = self.recorder
        recorder.say(
            "Undo it: the conflict comes back as it was (behind the markers it says ours and theirs now)."
        )
        recorder.git("checkout", "--merge", "--", path)

    def _accepts(self, conflict: Conflict, text: Sequence[str]) -> bool:
        form = alike(self.recorder.key.scenario.spacing)
        ways = self.step.accepted.get(conflict.path, ())
        return not ways or any(
            not way.gone and not way.whole and form(way.text) == form(text) for way in ways
        )

    def _mode(self, path: str) -> int:
        blob = self.step.merge.tree.get(path)
        return blob.mode if blob else PLAIN_FILE

    # -- A merge tool ---------------------------------------------------------------------------------

    def in_a_tool(self) -> None:
        """What `git mergetool` asks and does, closed without saving and with it; all of it undone again. A
        prepared command stands for the learner's own tool."""
        conflict = next((one for one in self.conflicts if one.merged is not None), None)
        deleted = next((one for one in self.conflicts if one.kind == "modify/delete"), None)
        if conflict is None and deleted is None:
            return
        recorder = self.recorder
        recorder.step("task", self._name(TOOL), "In a merge tool", wrong_turn=True)
        if not recorder.looking:
            return
        for told in tool_told(self.ours, self.theirs):
            recorder.say(told)
        if conflict is not None:
            self._saved_or_not(conflict.path)
        if deleted is not None:
            recorder.say(TOOL_DELETED)
            self._open("true", deleted.path, "a")

    def _saved_or_not(self, path: str) -> None:
        recorder = self.recorder
        self._open("true", path, "n")
        recorder.say(TOOL_CLOSED)
        self._open('cat "$LOCAL" > "$MERGED"', path)
        recorder.say(TOOL_SAVED)
        recorder.look("status", "--short")
        backup = f"{path}.orig"
        if recorder.content(backup) is not None:
            recorder.edit(backup, None, PLAIN_FILE)
        self._undo(path)

    def _open(self, tool: str, path: str, *typed_lines: str) -> None:
        """Run `git mergetool` with this command as the tool."""
        settings = ("-c", "merge.tool=mine", "-c", f"mergetool.mine.cmd={tool}")
        self.recorder.git(*settings, "mergetool", "--", path, typed_lines=typed_lines)

    # -- The resolution -------------------------------------------------------------------------------

    def resolve(self, contents: Mapping[str, bytes | None]) -> None:
        """Make the files what the key wants, and stage them."""
        recorder, step = self.recorder, self.step
        recorder.step("task", self._name("resolved"), "The right resolution")
        for conflict in step.merge.conflicts:
            ways = step.accepted.get(conflict.path, ())
            recorder.say(resolution_told(step, conflict.path, ways))
            for why in dict.fromkeys(" ".join(way.why.split()) for way in ways if way.why):
                recorder.say(f"Why: {why}")
        for path in step.clean_merge_fixes:
            recorder.say(f"{path} did not conflict, and is to be changed all the same.")
        for path, data in contents.items():
            mode = step.solved[path].mode if path in step.solved else PLAIN_FILE
            if recorder.content(path) != data or path in self.unmerged:
                recorder.edit(path, data, mode)
        recorder.look("diff")
        recorder.step("task", self._name("staged"), "Stage it: that says to Git, this is resolved")
        gone = [path for path, data in contents.items() if data is None]
        named = [path for path in contents if not path.startswith(("-", ":"))]
        recorder.git("add", *(["--all"] if gone or len(named) < len(contents) or len(named) > 4 else named))
        recorder.look("status")
        recorder.look("diff", "--staged")
