"""Random scenarios over the whole language of scenario files, each held against itself.

What is drawn is a story and one to four tasks in a chain; the answers are filled in as their conflicts are met.
Then whoever carries a scenario out must agree with whoever grades it: the walkthrough comes to its end, what it
leaves and what the right learner leaves earns everything, and peek says of both that nothing is left, and of what
was handed out, and of all but the last task, that something is. `make wild` tries many; each is drawn from a seed of
its own, which is printed where something is wrong.
"""

from __future__ import annotations

import argparse
import json
import random
import sys
import tempfile
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.steps import under_way_of
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.survey import survey
from muddled_orchard.core.merging.conflict import Conflict
from muddled_orchard.files.scenarios.scenario_file import load_scenario
from muddled_orchard.rehearsal.proving import prove
from muddled_orchard.rehearsal.session import LearnerSession, solve
from muddled_orchard.system.workers import Machines
from muddled_orchard.vcs.ask.git import GitFailed
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from muddled_orchard.vcs.grading import Grader
from muddled_orchard.vcs.peeking import peek_at
from muddled_orchard.vcs.planting import plant, write_files
from muddled_orchard.vcs.walkthrough.walking import practice_at, walk_through

NO_EXERCISE = ["no exercise"]
NAMES = ("night", "cellar", "yard")
FILES = ("book.txt", "plan/list.txt", "notes.md")
CAST = (
    '[cast]\nmaren = "Maren Quill <maren@orchard.example>"\ntobias = "Tobias Fenn <tobias@orchard.example>"\n'
)


class Drawn:
    """A scenario in the making: what its branches hold as it goes on, so that what is drawn makes sense."""

    def __init__(self, seed: int, *, reviews: bool) -> None:
        self.chance = random.Random(seed)
        self.reviews = reviews
        self.entries: list[str] = []
        self.labels: dict[str, list[str]] = {"main": []}
        self.own: dict[str, set[str]] = {"main": set()}
        self.tasks: list[str] = []
        self.texts = {file: [f"{file} {n}" for n in range(5)] for file in FILES[: self.chance.randint(1, 3)]}
        self.now: dict[str, dict[str, list[str]]] = {"main": {k: list(v) for k, v in self.texts.items()}}
        self.remote = self.chance.random() < 0.4
        self.published: dict[str, dict[str, list[str]]] = {}
        self.gone: set[str] = set()
        self.touched: set[str] = set()
        self.number = 0
        self.value = self.chance.random() < 0.2

    def maybe(self, share: float) -> bool:
        return self.chance.random() < share

    def text(self, file: str, branch: str) -> str:
        # Far apart, so that most lines are hunks of their own; some are neighbours.
        gap = "\n\n---\n\n" if file != "notes.md" else "\n"
        return gap.join(self.now[branch][file]) + "\n"

    def commit(self, branch: str, *, start: str = "", publish: bool | None = None) -> str:
        """A commit that changes, adds or deletes something."""
        self.number += 1
        label = f"c{self.number}"
        chance, lines = self.chance, self.now[branch]
        parts = [
            f'[[story]]\non = "{branch}"\nby = "{chance.choice(("maren", "tobias"))}"\nlabel = "{label}"'
        ]
        parts.append(f'message = "Say {self.number} on {branch}"')
        if start:
            parts.append(f'from = "{start}"')
        written: dict[str, str] = {}
        removed: list[str] = []
        for _ in range(chance.choice((1, 1, 2))):
            what = chance.random()
            files = sorted(lines)
            if what < 0.75 and files:
                file = chance.choice(files)
                at = chance.randrange(len(lines[file]))
                value = "@{size}" if self.value and branch != "main" and at == 0 else str(self.number)
                lines[file][at] = f"{file} {at} is {value} on {branch}"
                written[file] = self.text(file, branch)
            elif what < 0.9 or len(files) < 2:
                name = f"new{chance.choice((self.number, 1))}.txt"
                lines[name] = [f"{name} by {branch} {self.number}"]
                written[name] = self.text(name, branch)
            elif not written:
                file = chance.choice(files[1:])
                del lines[file]
                removed.append(file)
        self.own.setdefault(branch, set()).update(written)
        if written:
            parts.append(
                "write = { "
                + ", ".join(f"{json.dumps(k)} = {json.dumps(v)}" for k, v in written.items())
                + " }"
            )
        if removed:
            parts.append(f"remove = {json.dumps(removed)}")
        if publish or (publish is None and self.remote and self.maybe(0.3)):
            self.publish(branch)
            parts.append(f'publish = ["{branch}"]')
        self.entries.append("\n".join(parts))
        self.labels.setdefault(branch, []).append(label)
        return label

    def publish(self, branch: str) -> None:
        self.published[branch] = {file: list(lines) for file, lines in self.now[branch].items()}

    def somebody_else(self) -> None:
        """A commit that somebody else has pushed meanwhile, on what was published last."""
        lines = self.published["main"]
        file = self.chance.choice(sorted(lines))
        self.number += 1
        lines[file][self.chance.randrange(len(lines[file]))] = f"{file} is {self.number} at origin"
        gap = "\n\n---\n\n" if file != "notes.md" else "\n"
        text = json.dumps(gap.join(lines[file]) + "\n")
        about = f'message = "Pushed meanwhile"\nwrite = {{ {json.dumps(file)} = {text} }}'
        self.entries.append(f'[[story]]\non = "origin/main"\nby = "tobias"\n{about}')

    def story(self) -> None:
        parts = ['[[story]]\non = "main"\nby = "maren"\nmessage = "Begin"\nlabel = "begin"']
        written = {file: self.text(file, "main") for file in self.texts}
        parts.append(
            "write = { " + ", ".join(f"{json.dumps(k)} = {json.dumps(v)}" for k, v in written.items()) + " }"
        )
        if self.remote:
            self.publish("main")
            parts.append('publish = ["main"]')
        self.entries.append("\n".join(parts))
        self.labels["main"].append("begin")
        for name in NAMES[: self.chance.randint(1, 3)]:
            start = self.chance.choice(sorted(self.now)) if self.maybe(0.2) else "main"
            self.now[name] = {file: list(lines) for file, lines in self.now[start].items()}
            self.labels[name] = []
            for count in range(self.chance.randint(1, 3)):
                self.commit(name, start=start if not count else "")
            if self.maybe(0.7):
                self.commit("main")
        if self.maybe(0.5):
            self.commit("main", publish=False)
        if self.remote and self.maybe(0.5):
            self.somebody_else()
            if self.maybe(0.7):
                self.commit("main", publish=False)

    # -- Tasks ----------------------------------------------------------------------------------------

    def branches(self) -> list[str]:
        return sorted(self.now.keys() - self.gone)

    def chain(self) -> None:
        for _ in range(self.chance.choice((1, 1, 2, 2, 3, 4))):
            kinds = [
                self.merge,
                self.merge,
                self.merge,
                self.rebase,
                self.pick,
                self.revert,
                self.reset,
                self.listed,
            ]
            if self.remote:
                kinds += [self.pull, *((self.propose, self.accept) if self.reviews else ())]
            if not self.tasks:
                kinds += [self.stash]
            made = self.chance.choice(kinds)()
            if made:
                self.tasks.append(f"[[task]]\n{made}")

    def after(self, on: str, other: str, task: str, *, push: bool = True) -> str:
        """What may follow on a task: a push, a deletion, a message."""
        if push and self.remote and on in self.published and self.maybe(0.35):
            task += "push = true\n"
        if other in self.now and other not in (on, "main") and other not in self.touched and self.maybe(0.25):
            task += f'delete = "{other}"\n'
            self.gone.add(other)
        return task

    def two(self) -> tuple[str, str] | None:
        names = self.branches()
        if len(names) < 2:
            return None
        on, other = self.chance.sample(names, 2)
        return on, other

    def message(self, share: float = 0.15) -> str:
        if not self.maybe(share):
            return ""
        return self.chance.choice(('message = "own"\n', 'message = { has = "crates" }\n'))

    def merge(self) -> str | None:
        two = self.two()
        if two is None:
            return None
        on, other = two
        task = f'do = "merge"\non = "{on}"\nbring = "{other}"\n'
        how = self.chance.random()
        if how < 0.1:
            return task + "abort = true\n"
        task += 'fast_forward = "never"\n' if how < 0.3 else "squash = true\n" if how < 0.45 else ""
        return self.after(on, other, task + self.message())

    def propose(self) -> str | None:
        two = self.two()
        if two is None or two[0] == "main":
            return None
        by = self.chance.choice(('by = "merge"\n', 'by = "rebase"\n', ""))
        return f'do = "propose"\non = "{two[0]}"\nto = "{two[1]}"\n{by}' + self.message()

    def accept(self) -> str | None:
        two = self.two()
        if two is None or two[1] == "main" or two[1] in self.touched:
            return None
        self.gone.add(two[1])
        return f'do = "accept"\non = "{two[0]}"\nbring = "{two[1]}"\n' + self.message()

    def rebase(self) -> str | None:
        two = self.two()
        if two is None or two[0] == "main":
            return None
        task = f'do = "rebase"\non = "{two[0]}"\nonto = "{two[1]}"\n'
        if self.maybe(0.15):
            return task + "abort = true\n"
        return self.after(two[0], two[1], task + self.message())

    def listed(self) -> str | None:
        two = self.two()
        if two is None or self.touched or self.tasks or two[0] == "main" or len(self.labels[two[0]]) < 2:
            return None
        labels = list(self.labels[two[0]])
        if self.maybe(0.4):
            self.chance.shuffle(labels)
        words = [
            "pick",
            *(self.chance.choice(("pick", "reword", "squash", "fixup", "drop")) for _ in labels[1:]),
        ]
        lines = json.dumps([f"{word} {label}" for word, label in zip(words, labels, strict=True)])
        return f'do = "rebase"\non = "{two[0]}"\nonto = "{two[1]}"\ntodo = {lines}\n'

    def pick(self) -> str | None:
        two = self.two()
        if two is None or not self.labels[two[1]]:
            return None
        labels = self.labels[two[1]][: self.chance.randint(1, 2)]
        task = f'do = "cherry-pick"\non = "{two[0]}"\npick = {json.dumps(labels)}\n'
        if self.maybe(0.1):
            return task + "abort = true\n"
        return self.after(two[0], "", task + self.message(0.3))

    def revert(self) -> str | None:
        on = self.chance.choice(self.branches())
        labels = [label for label in self.labels[on] if label != "begin"]
        if not labels:
            return None
        task = f'do = "revert"\non = "{on}"\nundo = "{self.chance.choice(labels)}"\n'
        return self.after(on, "", task + self.message(0.3))

    def reset(self) -> str | None:
        on = self.chance.choice(self.branches())
        if self.tasks or len(self.labels[on]) < 2:
            return None
        return f'do = "reset"\non = "{on}"\nto = "{self.chance.choice(self.labels[on][:-1])}"\n'

    def pull(self) -> str | None:
        there = sorted(self.published.keys() - self.gone)
        on = self.chance.choice(there)
        task = f'do = "pull"\non = "{on}"\nfrom = "{on}"\nby = "{self.chance.choice(("merge", "rebase"))}"\n'
        return self.after(on, "", task + self.message())

    def stash(self) -> str | None:
        self.number += 1
        lines = {file: list(own) for file, own in self.now["main"].items()}
        file = self.chance.choice(sorted(lines))
        lines[file][0] = f"put aside {self.number}"
        gap = "\n\n---\n\n" if file != "notes.md" else "\n"
        text = json.dumps(gap.join(lines[file]) + "\n")
        self.entries.append(
            f'[[story]]\non = "main"\nstash = true\nmessage = "wip"\nwrite = {{ {json.dumps(file)} = {text} }}'
        )
        self.commit("main", publish=False)
        return 'do = "stash-pop"\non = "main"\n'

    def begin(self) -> str:
        """Work in the way, or being at the conflict when it begins."""
        if not self.maybe(0.15) or "stash-pop" in "".join(self.tasks):
            return ""
        rebased = [name for name in self.now if f'do = "rebase"\non = "{name}"' in "".join(self.tasks)]
        names = [name for name in self.branches() if name not in rebased]
        if not names:
            return ""
        on = self.chance.choice(names)
        file = self.chance.choice(sorted(self.now[on]))
        text = json.dumps("my own notes\n" + self.text(file, on))
        return f'[start]\non = "{on}"\nwrite = {{ {json.dumps(file)} = {text} }}\n'

    def toml(self, answers: Sequence[str] = ()) -> str:
        head = f'format = 1\nid = "wild"\ntitle = "Drawn"\nbrief = "Do it."\nstarts = 2031-05-01T08:00:00+02:00\n{CAST}'
        values = "[values]\nsize = { between = [31, 45] }\n" if self.value else ""
        start = self.started
        return "\n".join((head, values, *self.entries, start, *self.tasks, *answers))

    def draw(self) -> None:
        self.story()
        while not self.tasks:
            self.chain()
        self.started = self.begin()


def _answer(chance: random.Random, step: Step, conflict: Conflict) -> str:
    """An answer for a conflict that has none, in one of the ways that are fine there."""
    where = f'[[answer]]\nfile = "{conflict.path}"\ntask = {step.task}\n'
    if step.label:
        where += f'commit = "{step.label}"\n'
    if conflict.merged is None:
        sides = [word for word, stage in (("ours", 2), ("theirs", 3)) if stage in conflict.stages]
        return where + (
            f'side = "{chance.choice(sides)}"\n' if sides and chance.random() < 0.8 else "gone = true\n"
        )
    words = [
        chance.choice(("ours", "theirs", "ours+theirs", "theirs+ours", "base")) for _ in conflict.merged.hunks
    ]
    entries: list[object] = []
    for word in words:
        entries.append(word if chance.random() < 0.8 else [word, chance.choice(("ours", "theirs"))])
    return where + f"keep = {json.dumps(entries)}\n"


def drawn(seed: int, folder: Path, *, reviews: bool) -> tuple[Scenario, Key] | None:
    """A scenario with all its answers, and its key; None where what was drawn can't be an exercise."""
    made = Drawn(seed, reviews=reviews)
    made.draw()
    answers: list[str] = []
    file = folder / "wild.toml"
    scratch = ScratchRepository(folder / "scratch.git")
    for _ in range(40):
        file.write_text(made.toml(answers), "utf-8")
        try:
            scenario = load_scenario(file)
            key = make_key(scratch, scenario, "0")
        except BadInput:
            return None
        lacking = next(
            (
                (step, one)
                for step in key.steps
                for one in step.merge.conflicts
                if not step.accepted.get(one.path)
            ),
            None,
        )
        if lacking is None:
            return scenario, key
        answers.append(_answer(made.chance, *lacking))
    return None


def faults(seed: int, *, reviews: bool = False) -> list[str]:
    """What is wrong with a scenario that is drawn from a seed, in short sentences; none where all is well, and
    `no exercise` alone where it can't be one. With `reviews` branches are proposed and accepted, too: a seed draws
    something else then."""
    with tempfile.TemporaryDirectory(prefix="wild-") as room:
        folder = Path(room)
        found = drawn(seed, folder, reviews=reviews)
        if found is None:
            return NO_EXERCISE
        scenario, key = found
        surveyed = survey(key)
        if surveyed.errors:
            return NO_EXERCISE
        return list(_held_against_itself(scenario, key, folder))


def _held_against_itself(scenario: Scenario, key: Key, folder: Path) -> Iterator[str]:
    plant(scenario, folder / "handed-out", "0")
    if peek_at(folder / "handed-out")[0].done and _is_work(key):
        yield "peek says of what was handed out that nothing is left"
    try:
        walk_through(scenario, "0")
        practice, _ = practice_at(scenario, "0", "done")
        write_files(folder / "walked", practice.files)
        yield from _is_done(scenario, folder / "walked", "after the walkthrough")
    except BadInput as bad:
        yield f"the walkthrough does not come to its end: {bad.problems[0].what}"
    (proof,) = prove([scenario], "0", Machines(1))
    # What would empty a commit may be drawn among the alternatives; nobody could see that it was done.
    yield from (
        f"proof: {fault.what}" for fault in proof.faults if ": then nothing is left of" not in fault.what
    )
    plant(scenario, folder / "learner", "0")
    session = LearnerSession(folder / "learner" / "work", key, "ilse")
    session.commit_work()
    session.carry_out()
    yield from _is_done(scenario, folder / "learner", "of the right learner")
    if not any(task.message or task.todo for task in scenario.task):  # peek knows neither words nor lists
        for way in ("led", "quit", "reset"):
            plant(scenario, folder / way, "0")
            session = LearnerSession(folder / way / "work", key, "ilse")
            astray = way == "led" or _goes_astray(session, way)
            if astray:
                yield from (f"{way}: {fault}" for fault in _led_by_peek(session))
                yield from _is_done(scenario, folder / way, f"who does what peek says ({way})")
    if len(scenario.task) > 1:
        plant(scenario, folder / "half", "0")
        half = LearnerSession(folder / "half" / "work", key, "ilse")
        half.commit_work()
        _all_but_the_last(half)
        if peek_at(folder / "half")[0].done and _last_is_work(key):
            yield "peek says before the last task that nothing is left"


def _all_but_the_last(session: LearnerSession) -> None:
    for number, task in enumerate(session.scenario.task[:-1], start=1):
        session.begin(task)
        if task.abort:
            session.give_up(task)
        else:
            session.go_through(number)
        session.deliver(task)


def _goes_astray(session: LearnerSession, way: str) -> bool:
    """Begin the first task, and leave its first conflict by `--quit` or a plain reset; False where there is
    none to leave."""
    task = session.scenario.task[0]
    if session.scenario.start.work or session.scenario.start.stopped or task.abort:
        return False
    session.begin(task)
    kind = under_way_of(task)
    if not session.unmerged() or kind in ("squash", "stash-pop"):
        return False
    session.git(*((kind, "--quit") if way == "quit" else ("reset", "-q")))
    # A reset may leave the file as ours has it, and nobody sees that there was a conflict.
    return way == "quit" or bool(session.git("status", "--porcelain"))


def _led_by_peek(session: LearnerSession) -> Iterator[str]:
    """Paste what peek says, and resolve as the key does where Git has stopped, until nothing is left."""
    for _ in range(60):
        found = peek_at(session.work)[0]
        if found.done:
            return
        if any(item.command[:2] in (("git", "add"), ("git", "rm")) for item in found.commands) and (
            session.unmerged() or session.tree.pending()
        ):
            solve(session, _step_at_hand(session))
            session.git("add", "--all")
            found = peek_at(session.work)[0]
        for item in found.commands:
            if item.instead or not item.command:
                continue
            try:
                # Whoever is asked for a message by an editor writes one, if there is none.
                session.git(*item.command[1:], variables={"GIT_EDITOR": "sed -i '1s/^$/What I did/'"})
            except GitFailed as failed:
                if not session.unmerged() and not session.tree.pending():
                    yield f"what peek says fails: {' '.join(item.command)}: {failed.said}"
                    return
                break
    yield f"peek leads round and round: {[' '.join(item.command) for item in found.commands]}"


def _step_at_hand(session: LearnerSession) -> Step:
    """The step of a conflict: that of the commit that is replayed, or of the branch that is merged."""
    steps, tree = session.key.steps, session.tree
    if tree.applying():
        return steps[int(tree.noted("rebase-apply/next") or 1) - 1]
    if (replayed := tree.replayed()) is not None:
        picks = tree.noted("CHERRY_PICK_HEAD") is not None and "cherry-pick"
        kind = "rebase" if tree.branch() is None else picks or "revert"
        own = [step for step in steps if step.commit == replayed and under_way_of(step.operation) == kind]
        return next((step for step in own if step.operation.on == tree.branch()), own[0])
    squash = tree.noted("MERGE_HEAD") is None
    met = set(session.unmerged())
    return max(
        (
            one
            for one in steps
            if one.commit is None and not one.given_up and one.operation.on == tree.branch()
        ),
        key=lambda step: (
            bool(step.operation.squash) == squash,
            {one.path for one in step.merge.conflicts} == met,
            step.operation.source == _named(session, tree.noted("MERGE_HEAD")),
            step.theirs == tree.noted("MERGE_HEAD"),
            step.task,
        ),
    )


def _named(session: LearnerSession, id_: str | None) -> str | None:
    branches = session.tree.repository.branches
    return next((name for name in branches if id_ and str(branches[name].target) == id_), None)


def _is_work(key: Key) -> bool:
    return any(_changes(key, step) for step in key.steps)


def _last_is_work(key: Key) -> bool:
    last = [step for step in key.steps if step.task == len(key.scenario.task)]
    task = last[0].operation if last else None
    if task is not None and (task.push or task.delete or task.squash or task.message):
        return False  # what of it is left peek can't always know
    return any(_changes(key, step) for step in last)


def _changes(key: Key, step: Step) -> bool:
    return step.given_up is not None or step.solved != key.commits[step.ours].tree


def _is_done(scenario: Scenario, folder: Path, whose: str) -> Iterator[str]:
    found = _graded(scenario, folder)
    lacking = [
        f"{one.id}: {one.outcome.because}"
        for one in found.criteria
        if one.outcome.verdict in ("partly", "missed")
    ]
    if lacking or found.state != "finished":
        yield f"{whose}: {found.state}, {found.percent} %; {found.reason} {'; '.join(lacking)}"
    if found.doubts:
        yield f"{whose}: {'; '.join(found.needs_a_look)}"
    peek = peek_at(folder)[0]
    if not peek.done:
        yield f"{whose} peek says: {'; '.join(f'{item.where} {item.what}' for item in peek.left if item.work)}"


def _graded(scenario: Scenario, folder: Path) -> Assessment:
    with tempfile.TemporaryDirectory(prefix="wild-") as room:
        (found,) = Grader(Path(room), lambda _: scenario, tells_given=False).grade([folder])
        return found


def _told(seed: int) -> tuple[int, list[str]]:
    try:
        return seed, faults(seed, reviews=True)
    except Exception as error:
        return seed, [f"{type(error).__name__}: {error}"]


def main() -> int:
    options = argparse.ArgumentParser(prog="python -m tests.wild")
    options.add_argument("--count", type=int, default=300)
    options.add_argument("--seed", type=int, default=random.randrange(10**6))
    options.add_argument("--show", action="store_true", help="write the scenario of --seed to stdout")
    asked = options.parse_args()
    if asked.show:
        with tempfile.TemporaryDirectory() as room:
            drawn(asked.seed, Path(room), reviews=True)
            sys.stdout.write((Path(room) / "wild.toml").read_text("utf-8"))
        return 0
    tried = wrong = 0
    with ProcessPoolExecutor() as pool:
        for seed, found in pool.map(_told, range(asked.seed, asked.seed + 10 * asked.count)):
            if found == NO_EXERCISE:
                continue
            tried += 1
            if found:
                wrong += 1
                print(f"seed {seed}:", *found, sep="\n  ", flush=True)
            if tried == asked.count:
                pool.shutdown(wait=False, cancel_futures=True)
                break
    print(f"{tried} scenarios from seed {asked.seed}: {wrong} with a fault")
    return 1 if wrong else 0


if __name__ == "__main__":
    raise SystemExit(main())
