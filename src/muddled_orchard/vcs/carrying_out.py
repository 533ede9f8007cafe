"""Carries the tasks of an exercise out with real Git, as it leads: the walkthrough, hand-outs at a step and
acting learners all do."""

from __future__ import annotations

import re
import shlex
from collections.abc import Callable, Iterable, Mapping
from functools import cached_property
from typing import Protocol

from muddled_orchard.core.exercise.arriving import pushes_first
from muddled_orchard.core.exercise.delivering import FORCE, deletions_of, push_of
from muddled_orchard.core.exercise.steps import to_fetch, to_give_up, to_start, to_switch
from muddled_orchard.core.exercise.task import Task
from muddled_orchard.core.exercise.tasks import example_message
from muddled_orchard.core.exercise.todo import todo_of
from muddled_orchard.core.git.commits import Commit, short
from muddled_orchard.core.git.refs import REMOTE
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.vcs.practice_tree import PracticeTree

TODO = "todo"
MESSAGE = "message"

Says = Callable[[Task, Commit | None], str | None]
"""The message for a task (and the commit that is replayed); None: what Git proposes."""

Resolve = Callable[[Step, Iterable[str]], None]
"""Resolves and stages the conflict of a step at these paths, at which Git has stopped."""


class Hands(Protocol):
    """Whoever types in a practice repository."""

    @property
    def tree(self) -> PracticeTree:
        """How the repository stands."""

    def git(self, *words: str, variables: Mapping[str, str] | None = None) -> object:
        """Run Git, which may end in a conflict or refuse."""

    def put_beside(self, name: str, text: str) -> None:
        """Write a file beside the repository, for an editor of Git's to copy."""

    def say(self, text: str) -> None:
        """Explain what comes next."""


class TaskRunner:
    """Carries tasks of a key out by these hands. What is done in a conflict is told by who asks for it."""

    def __init__(self, hands: Hands, key: Key, says: Says = example_message) -> None:
        self.hands = hands
        self.key = key
        self.says = says

    @cached_property
    def labels(self) -> dict[str, str]:
        """The ids of labelled commits."""
        pairs = zip(self.key.history.commits, self.key.ids, strict=True)
        return {commit.label: id_ for commit, id_ in pairs if commit.label}

    # -- The operation --------------------------------------------------------------------------------

    def begin(self, task: Task, *, detached: bool = False) -> None:
        """Check out, fetch and start what is asked; it stops at the first conflict."""
        self.push_first(task)
        for words, _ in (*to_switch(task, self.hands.tree.branch(), detached=detached), *to_fetch(task)):
            self.hands.git(*words)
        self.start(task)

    def push_first(self, task: Task) -> None:
        """Push where a teammate is to be found first: Git refuses it."""
        tasks = self.key.scenario.task
        number = next((n for n, one in enumerate(tasks, start=1) if one is task), 0)
        if not number or not pushes_first(self.key.scenario, self.key.history, number):
            return
        self.hands.say("What is here is ready, and goes to the others:")
        self.hands.git("push", "origin", f"{task.on}:{task.source.removeprefix(REMOTE)}")
        self.hands.say("Git refuses: somebody was first, and what they pushed is not here yet.")

    def start(self, task: Task) -> None:
        """Start the operation alone."""
        ids = {label: short(id_) for label, id_ in self.labels.items()}
        words, _ = to_start(task, ids, self.says(task, None))
        self.hands.git(*words, variables=self._editors(task))

    def give_up(self, task: Task) -> None:
        """Leave the operation that is under way, as Git's own advice says."""
        self.hands.git(*to_give_up(task)[0])

    def go_through(self, number: int, resolve: Resolve) -> bool:
        """Resolve every conflict of the operation of a task (by its number, from 1) that is under way, and
        say whether it came to its end."""
        task, tree = self.key.scenario.task[number - 1], self.hands.tree
        for _ in range(2 * len(self.key.steps) + 2):
            unmerged = tree.unmerged()
            if unmerged or tree.applying():
                step = self.at_hand(number)
                resolve(step, unmerged)
                self.complete(task, step)
            elif task.adds_commits and tree.pending():
                self.hands.say("All that this commit changes is there already, so it is left out.")
                self.hands.git(task.under_way, "--skip")
            elif tree.pending():
                if task.squash:
                    self.hands.say("A squash merge stages what comes in, and leaves the commit to you.")
                self.complete(task, self.at_hand(number))
            else:
                return True
        return False

    def at_hand(self, number: int) -> Step:
        """The step of a task that Git has stopped at."""
        steps = [step for step in self.key.steps if step.task == number]
        tree = self.hands.tree
        if (replayed := tree.replayed()) is not None:
            return next((step for step in steps if step.commit == replayed), steps[-1])
        if tree.applying():
            return steps[min(int(tree.noted("rebase-apply/next") or 1), len(steps)) - 1]
        return steps[0]

    def complete(self, task: Task, step: Step) -> None:
        """Complete the step at hand, of which everything is staged; a replay goes on to its next conflict."""
        hands = self.hands
        said = self._message(task, step)
        emptied = step.becomes_empty(self.key.commits) and not hands.tree.staged()
        variables = self._editors(task)
        for words in task.complete(said, emptied=emptied):
            if words[-1] == "--continue":
                if not hands.tree.pending():
                    continue
                if said is not None and task.rewrites_branch:  # a commit by hand would not keep the author
                    hands.put_beside(MESSAGE, f"{said}\n")
                    variables = {**variables, "GIT_EDITOR": f"cp ../{MESSAGE}"}
            if words[0] == "stash":
                hands.say("Git keeps the stash when its work conflicts. It is of no use any more:")
            hands.git(*words, variables=variables)
        if task.adds_commits and hands.tree.pending() and not hands.tree.unmerged():
            hands.say("Nothing is left of this commit: what it changed is there already, so it is left out.")
            hands.git(task.under_way, "--skip")

    def _message(self, task: Task, step: Step) -> str | None:
        replayed = self.key.commits.get(step.commit or "") if not task.joins else None
        return self.says(task, replayed)

    def _editors(self, task: Task) -> dict[str, str]:
        """Editors that write the list of an interactive rebase, and other words for what it rewords."""
        if task.todo is None:
            return {}
        items = [(item.word, self.key.commits[self.labels[item.label]]) for item in todo_of(task)]
        self.hands.put_beside(
            TODO, "".join(f"{word} {short(commit.id)} {commit.subject}\n" for word, commit in items)
        )
        edits = [
            f"-e {shlex.quote(f'1s/^{_for_sed(commit.subject)}$/&, said better/')}"
            for word, commit in items
            if word == "reword"
        ]
        more = {"GIT_EDITOR": f"sed -E -i.bak {' '.join(edits)}"} if edits else {}
        return {"GIT_SEQUENCE_EDITOR": f"cp ../{TODO}", **more}

    # -- Afterwards -----------------------------------------------------------------------------------

    def say_afterwards(self, number: int) -> None:
        """Write the message where Git has made a commit by itself."""
        task = self.key.scenario.task[number - 1]
        steps = [step for step in self.key.steps if step.task == number]
        if len(steps) != 1 or steps[0].fast_forward or self.hands.tree.pending():
            return
        if steps[0].becomes_empty(self.key.commits):
            return
        if task.says_at_once or (not task.joins and steps[0].commit is None):
            return
        said = self._message(task, steps[0])
        # By another way before, what the key meets as a conflict may not be one.
        if said is not None and self.hands.tree.message().strip() != said.strip():
            self.hands.say("Git did not stop, so the message is written now:")
            self.hands.git("commit", "--amend", "-m", said)

    def deliver(self, number: int) -> None:
        """Push and delete, where a task asks for that."""
        tasks, remote = self.key.scenario.task, self.key.history.remote
        if (push := push_of(tasks, number, remote)) is not None:
            if FORCE in push:
                self.hands.say(
                    f"The remote still has the commits of {push[-1]} as they were, so a plain push would be "
                    "refused. By force they are replaced; with lease, only if nobody has pushed meanwhile."
                )
            self.hands.git(*push)
        for words in deletions_of(tasks, number, remote):
            if words[0] == "branch" and not self.hands.tree.has_branch(words[-1]):
                continue  # it was never here: somebody else of a team has it
            if words[0] == "push":
                self.hands.say("The remote has it as well:")
            self.hands.git(*words)
            if words[0] == "branch" and self.hands.tree.has_branch(words[-1]):
                self.hands.say("Git warns before commits are lost. Here they are not needed any more:")
                self.hands.git("branch", "-D", words[-1])


def _for_sed(text: str) -> str:
    return re.escape(text).replace("/", "\\/")
