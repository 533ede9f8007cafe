"""Random histories and choices, done with real Git, whose verdict is known by construction.

Texts are made of slots that lie so far apart that each is a hunk of its own. What both sides change conflicts; the
learner's file is put together slot by slot from their choices, so nothing of how the program reads files is used to say
what it must find. `make truth` tries many, the tests a few; both print their seeds.
"""

from __future__ import annotations

import atexit
import json
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

from hypothesis import strategies as st

from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.files.scenarios.scenario_file import load_scenario
from muddled_orchard.vcs.grading import grader
from muddled_orchard.vcs.planting import plant
from tests.conftest import LEARNER
from tests.scenarios import HEADER

WORDS = ("ours", "theirs", "base", "ours+theirs", "theirs+ours", "neither")
CHOICES = (*WORDS, "blend", "markers")
Lines = list[str]


@dataclass
class Slot:
    """A place in a text: what it reads in the base and on each side, and what stands there at last."""

    base: Lines
    ours: Lines
    theirs: Lines
    now: Lines = field(default_factory=list)

    @property
    def conflicts(self) -> bool:
        return self.ours not in (self.base, self.theirs) and self.base != self.theirs

    def kept(self, word: str, label: str = "topic") -> Lines:
        """What stands there when this is chosen."""
        if word == "markers":
            return ["<<<<<<< HEAD", *self.ours, "=======", *self.theirs, f">>>>>>> {label}"]
        sides = {
            "ours": self.ours,
            "theirs": self.theirs,
            "base": self.base,
            "neither": [],
            "blend": ["something else"],
        }
        return [line for part in word.split("+") for line in sides[part]]

    @property
    def merged(self) -> Lines:
        """What Git makes of a slot that does not conflict."""
        return self.theirs if self.ours == self.base else self.ours


def text_of(name: str, contents: Sequence[Lines]) -> str:
    """A text of these slots with lines between that are there once, and others that are there often."""
    lines = [f"{name} begins"]
    for number, content in enumerate(contents):
        lines += [
            f"above {number}",
            "}",
            f"{name} {number}",
            "",
            *content,
            f"below {number}",
            "}",
            f"end {number}",
            "",
        ]
    return "".join(f"{line}\n" for line in lines)


@st.composite
def slots(draw: st.DrawFn, most: int = 4) -> list[Slot]:
    """Slots of which at least one conflicts."""
    kinds = draw(st.lists(st.sampled_from(("both", "ours", "theirs", "same", "none")), max_size=most - 1))
    kinds.insert(draw(st.integers(0, len(kinds))), "both")
    found = []
    for number, kind in enumerate(kinds):
        base, ours, theirs, both = ([f"{word} {number} {n}" for n in range(draw(st.integers(1, 2)))] for word in ("base", "ours", "theirs", "both"))  # fmt: skip
        by_kind = {
            "both": (ours, theirs),
            "ours": (ours, base),
            "theirs": (base, theirs),
            "same": (both, both),
            "none": (base, base),
        }
        found.append(Slot(base, *by_kind[kind]))
    return found


@dataclass
class Expected:
    """What must be found. `share` is that of `resolution`; criteria that aren't named are met or skipped, and those
    that are `open` may be anything."""

    share: Fraction | None = None
    lost: Mapping[str, str] = field(default_factory=dict)
    kept: Sequence[str] = ()
    state: str = "finished"
    open: Sequence[str] = ()


class Story:
    """A scenario in the making, its practice folder, and a learner in it."""

    def __init__(self) -> None:
        self._parts: list[str] = []
        self._start = ""
        self.branch = "main"
        self._begun: set[str] = set()
        self.top = Path(tempfile.mkdtemp(prefix="truth-"))
        # A history that is drawn and thrown away is never assessed.
        atexit.register(shutil.rmtree, self.top, ignore_errors=True)
        self.work = self.top / "planted/work"

    def commit(
        self, branch: str, message: str, files: Mapping[str, str | None], more: str = "", parent: str = "main"
    ) -> None:
        """A commit in the story; None deletes a file."""
        start = f'from = "{parent}"\n' if branch != "main" and branch not in self._begun else ""
        self._begun.add(branch)
        texts = ", ".join(
            f"{json.dumps(name)} = {json.dumps(text)}" for name, text in files.items() if text is not None
        )
        gone = [name for name, text in files.items() if text is None]
        said = f'[[story]]\non = "{branch}"\nby = "{"maren" if branch == "main" else "tobias"}"\nmessage = "{message}"\nlabel = "{message}"\n{start}'
        said += f"write = {{ {texts} }}\n" if texts else ""
        said += f"remove = {json.dumps(gone)}\n" if gone else ""
        self._parts.append(said + more)

    def ask(self, task: str, answers: Sequence[str]) -> None:
        """A task and its answers, as they stand in the file."""
        self._parts += [f"[[task]]\n{task}", *(f"[[answer]]\n{answer}" for answer in answers)]

    def start(self, *, own: bool) -> None:
        """How it is handed out: as the story has it, or not at all."""
        self._start = "[start]\nown = true\n" if own else ""

    def plant(self) -> None:
        file = self.top / "own.toml"
        file.write_text(HEADER.replace("hive-notes", "own") + "\n".join((*self._parts, self._start)), "utf-8")
        self._scenario = load_scenario(file)
        plant(self._scenario, self.top / "planted", "0")

    def git(self, *arguments: str, fails: bool = False, **more: str) -> str:
        env = {**LEARNER, **more}
        done = subprocess.run(
            ["git", *arguments], cwd=self.work, env=env, capture_output=True, text=True, check=False
        )
        assert fails or done.returncode == 0, (arguments, done.stdout, done.stderr)
        return done.stdout

    def write(self, files: Mapping[str, str | None]) -> None:
        for name, text in files.items():
            if text is None:
                (self.work / name).unlink(missing_ok=True)
            else:
                (self.work / name).write_text(text, "utf-8")
        self.git("add", "--all")

    def assessment(self) -> Assessment:
        with grader(lambda _: self._scenario) as grading:
            (found,) = grading.grade([self.top / "planted"])
        shutil.rmtree(self.top)
        return found


def check(story: Story, expected: Expected) -> None:
    """Grade, and compare with what must come out."""
    got = story.assessment()
    verdicts = {c.id: c.outcome.verdict for c in got.criteria if c.outcome.verdict in ("partly", "missed")}
    verdicts = {id_: verdict for id_, verdict in verdicts.items() if id_ not in expected.open}
    told = [f"{c.id}: {c.outcome.because}" for c in got.criteria]
    wanted = dict(expected.lost)
    if expected.share is not None and expected.share < 1:
        wanted["resolution"] = "partly" if expected.share else "missed"
    assert (got.state, verdicts) == (expected.state, wanted), (got.reason, told)
    if expected.share is not None:
        share = next(c.outcome.share for c in got.criteria if c.id == "resolution")
        assert abs(share - float(expected.share)) < 1e-9, told
    if expected.kept:
        assert [hunk.kept for hunk in got.hunks] == list(expected.kept), told


def keep(file: str, words: Sequence[str], more: str = "") -> str:
    return f'file = "{file}"\nkeep = {json.dumps(list(words))}\n{more}'


@dataclass
class Entry:
    """What is right in a hunk: as it stands in the file, how much it counts, and the share that each word earns."""

    toml: str
    earns: Mapping[str, Fraction]
    weight: int = 1


def _entry(draw: st.DrawFn, slot: Slot) -> Entry:
    """A word, several, one that is worth less, one that counts more, or a rule that two of them hold."""
    key, other = draw(st.lists(st.sampled_from(WORDS), min_size=2, max_size=2, unique=True))
    lines = json.dumps([slot.ours[0], slot.theirs[0]])
    return draw(
        st.sampled_from(
            (
                Entry(f'"{key}"', {key: Fraction(1)}),
                Entry(f'"{key}"', {key: Fraction(1)}),
                Entry(f'["{key}", "{other}"]', {key: Fraction(1), other: Fraction(1)}),
                Entry(
                    f'[{{ keep = "{other}", worth = 0.25 }}, "{key}"]',
                    {key: Fraction(1), other: Fraction(1, 4)},
                ),
                Entry(f'{{ keep = "{key}", weight = 3 }}', {key: Fraction(1)}, 3),
                Entry(f"{{ once = {lines} }}", {"ours+theirs": Fraction(1), "theirs+ours": Fraction(1)}),
            )
        )
    )


def _earned(entries: Sequence[Entry], chosen: Sequence[str], lesser: Sequence[str]) -> Fraction:
    """What choices in a file earn, each times its weight: by its answer, or by one of these words for half."""
    whole = sum(e.weight * e.earns.get(word, Fraction(0)) for e, word in zip(entries, chosen, strict=True))
    half = sum(
        e.weight * Fraction(word == less, 2) for e, word, less in zip(entries, chosen, lesser, strict=False)
    )
    return Fraction(max(whole, half))


def _share(pairs: Sequence[tuple[str, str]]) -> Fraction:
    return Fraction(sum(key == chosen for key, chosen in pairs), len(pairs))


def _chosen(draw: st.DrawFn, key: str, among: Sequence[str] = CHOICES) -> str:
    return draw(st.sampled_from((key, key, *among)))


# -- Groups -----------------------------------------------------------------------------------------------


@st.composite
def merge(draw: st.DrawFn) -> tuple[Story, Expected]:
    """One merge: choices in each hunk, markers, edits outside the hunks, modes, and the shape of the history."""
    story, files = Story(), {f"{name}.txt": draw(slots()) for name in ("a", "b")[: draw(st.integers(1, 2))]}
    extra = {"run.sh": "echo\n", "more.txt": "more\n"}

    def texts(part: str) -> dict[str, str | None]:
        return {name: text_of(name, [getattr(slot, part) for slot in own]) for name, own in files.items()}

    story.commit("main", "Begin", {**texts("base"), **extra}, 'executable = ["run.sh"]\n')
    # The first part of it has all that conflicts in one file, so that who merges it first meets that.
    story.commit("topic", "First", {"first.txt": "first\n", "a.txt": texts("theirs")["a.txt"]})
    story.commit("topic", "Theirs", {**texts("theirs"), "last.txt": "last\n"})
    story.commit("main", "Ours", texts("ours"))
    lost: dict[str, str] = {}
    answers, kept = [], []
    earned = possible = Fraction(0)
    for name, own in files.items():
        entries = [_entry(draw, slot) for slot in own if slot.conflicts]
        lesser = [draw(st.sampled_from(WORDS)) for _ in entries] if draw(st.integers(0, 3)) == 0 else []
        weight = draw(st.sampled_from((1, 1, 2)))
        answers.append(f'file = "{name}"\nweight = {weight}\nkeep = [{", ".join(e.toml for e in entries)}]\n')
        answers += [keep(name, lesser, "worth = 0.5\n")] if lesser else []
        wanted = iter(entries)
        picked = []
        for slot in own:
            if slot.conflicts:
                chosen = _chosen(draw, draw(st.sampled_from(sorted(next(wanted).earns))))
                picked.append(chosen)
                kept.append({"markers": "unresolved"}.get(chosen, chosen))
                slot.now = slot.kept(chosen)
                if chosen == "markers":
                    lost["markers"] = "missed"
                continue
            slot.now = slot.merged
            what = draw(st.sampled_from(("as merged",) * 6 + ("undone", "strayed")))
            if what == "undone" and slot.merged != slot.base:
                slot.now, lost["rest"] = slot.base, "missed"
            elif what == "strayed":
                slot.now = ["strayed", *slot.merged]
                lost.setdefault("rest", "partly")
        earned += weight * _earned(entries, picked, lesser)
        possible += weight * sum(entry.weight for entry in entries)
    story.ask('do = "merge"\non = "main"\nbring = "topic"\n', answers)
    story.plant()
    now = {name: text_of(name, [slot.now for slot in own]) for name, own in files.items()}
    _merged(draw, story, now, lost)
    return story, Expected(earned / possible, lost, kept)


SHAPES = ("merge",) * 5 + (
    "parts",
    "squash",
    "reversed",
    "detached",
    "other branch",
    "amended",
    "two commits",
    "older",
    "rebase",
)


def _merged(
    draw: st.DrawFn,
    story: Story,
    now: Mapping[str, str | None],
    lost: dict[str, str],
) -> None:
    """Bring the branch in, in one of many ways."""
    shape = draw(st.sampled_from(SHAPES))
    if shape == "parts":
        story.git("merge", "-q", "--no-commit", "topic~1", fails=True)
        story.write({"a.txt": now["a.txt"]})
        story.git("commit", "-q", "-m", "a part")
    if shape == "detached":
        story.git("checkout", "-q", "--detach")
        lost |= {"history": "partly", "tidy": "partly"}
    if shape == "other branch":
        story.git("checkout", "-qb", "mine")
        lost |= {"history": "partly", "tidy": "partly"}
    if shape == "reversed":
        story.git("checkout", "-q", "topic")
        lost["history"] = "missed"
    options = ["--squash"] if shape == "squash" else ["--no-commit"]
    story.git("merge", "-q", *options, "main" if shape == "reversed" else "topic", fails=True)
    story.write(now)
    if shape == "squash":
        lost["history"] = "missed"
    if draw(st.integers(0, 7)) == 0:
        (story.work / "run.sh").chmod(0o644)
        story.git("add", "run.sh")
        lost.setdefault("rest", "partly")
    story.git("commit", "-q", "--allow-empty", "-m", "merged")
    if shape == "amended":
        story.git("commit", "-q", "--amend", "-m", "said otherwise")
    if shape == "two commits":
        story.git("commit", "-q", "--allow-empty", "-m", "nothing more")


@st.composite
def rebase(draw: st.DrawFn) -> tuple[Story, Expected]:
    """A rebase of several commits, some of which conflict, each in a slot of its own or in the one before's."""
    return _replay(draw, "rebase")


@st.composite
def pick(draw: st.DrawFn) -> tuple[Story, Expected]:
    """The same for cherry-picked commits."""
    return _replay(draw, "cherry-pick")


@st.composite
def mailed(draw: st.DrawFn) -> tuple[Story, Expected]:
    """The same for commits that came as patches."""
    return _replay(draw, "am")


def _topic(
    story: Story, base: Sequence[Lines], follows: Sequence[bool], conflicts: Sequence[bool]
) -> list[tuple[str, int, bool]]:
    """The commits that are to be replayed: what they say, their slot, and whether they conflict by themselves."""
    theirs = [list(lines) for lines in base]
    commits = []
    for number in range(len(base)):
        for word, more in (("Step", ""), ("Then", " again"))[: 1 + follows[number]]:
            theirs[number] = [f"theirs {number}{more}"]
            files = {"a.txt": text_of("a", theirs), f"{word}{number}.txt": f"{number}\n"}
            story.commit("topic", f"{word} {number}", files)
            commits.append((f"{word} {number}", number, conflicts[number] and word == "Step"))
    return commits


def _replay(draw: st.DrawFn, do: str) -> tuple[Story, Expected]:
    story = Story()
    kinds = draw(st.lists(st.sampled_from(("both", "theirs")), min_size=1, max_size=3))
    kinds[draw(st.integers(0, len(kinds) - 1))] = "both"
    base = [[f"base {number}"] for number in range(len(kinds))]
    ours = [[f"ours {n}"] if kind == "both" else list(base[n]) for n, kind in enumerate(kinds)]
    story.commit("main", "Begin", {"a.txt": text_of("a", base)})
    follows = [draw(st.integers(0, 3)) == 0 for _ in kinds]
    commits = _topic(story, base, follows, [kind == "both" for kind in kinds])
    story.commit("main", "Ours", {"a.txt": text_of("a", ours)})
    keys = {n: draw(st.sampled_from(WORDS)) for n, kind in enumerate(kinds) if kind == "both"}
    answers = [keep("a.txt", [key], f'commit = "Step {number}"\n') for number, key in keys.items()]
    # What follows in a slot comes in by itself only where theirs was kept.
    then = {n: draw(st.sampled_from(WORDS[:2])) for n, key in keys.items() if follows[n] and key != "theirs"}
    answers += [keep("a.txt", [key], f'commit = "Then {number}"\n') for number, key in then.items()]
    labels = json.dumps([message for message, _, _ in commits])
    asked = {
        "rebase": 'do = "rebase"\non = "topic"\nonto = "main"\n',
        "cherry-pick": f'do = "cherry-pick"\non = "main"\npick = {labels}\n',
        "am": f'do = "am"\non = "main"\npatches = {labels}\n',
    }[do]
    story.ask(asked, answers)
    story.plant()
    chosen = {number: _chosen(draw, key, WORDS) for number, key in keys.items()}
    now = [list(lines) for lines in ours]
    if do == "rebase":
        story.git("checkout", "-q", "topic")
        story.git("rebase", "main", fails=True)
    elif do == "am":
        story.git("am", "-q", "-3", "../patches.mbox", fails=True)
    else:
        story.git("cherry-pick", *reversed([f"topic~{back}" for back in range(len(commits))]), fails=True)
    head = {"rebase": "REBASE_HEAD", "cherry-pick": "CHERRY_PICK_HEAD"}.get(do, "")
    right = sum(chosen[number] == key for number, key in keys.items())
    for message, number, conflicts in commits:
        first, again = [f"theirs {number}"], [f"theirs {number} again"]
        if conflicts:
            now[number] = Slot([f"base {number}"], [f"ours {number}"], first).kept(chosen[number])
        elif message.startswith("Step"):
            now[number] = first
        elif now[number] == first:
            now[number] = again
            right += number in then  # what an earlier mistake keeps from being met costs nothing
        elif number in then:
            word = _chosen(draw, then[number], WORDS[:2])
            now[number] = again if word == "theirs" else now[number]
            right += word == then[number]
        else:  # the earlier choice makes a further conflict: it brings its change all the same
            now[number] = [*now[number], *again]
        if _at_hand(story, head) == message:
            # Where `git am` lacks what a patch was made from, nothing of it is there.
            more = {f"{message.replace(' ', '')}.txt": f"{number}\n"} if do == "am" else {}
            story.write({"a.txt": text_of("a", now), **more})
            story.git(do, "--continue", fails=True)
    return story, Expected(Fraction(right, len(keys) + len(then)))


def _at_hand(story: Story, head: str) -> str:
    """The subject of the commit that Git has stopped at."""
    if head:
        return story.git("log", "-1", "--format=%s", head, "--", fails=True).strip()
    mail = story.git("am", "--show-current-patch=raw", fails=True)
    return next((line.rpartition("] ")[2] for line in mail.splitlines() if line.startswith("Subject: ")), "")


def _changed(groups: Sequence[Sequence[tuple[str, int]]], dropped: Sequence[int]) -> int:
    """How much a list changes of what Git proposes."""
    words = [word for group in groups for word, _ in group]
    leads = [group[0][1] for group in groups]
    return len(words) - words.count("pick") + len(dropped) + (leads != sorted(leads))


@st.composite
def listed(draw: st.DrawFn) -> tuple[Story, Expected]:
    """An interactive rebase with a list that is carried out, or with one line of it otherwise; one commit conflicts."""
    story, count = Story(), draw(st.integers(3, 5))
    story.commit("main", "Begin", {"a.txt": text_of("a", [["base"]])})
    met = draw(st.integers(0, count - 1))
    for number in range(count):
        more = {"a.txt": text_of("a", [["theirs"]])} if number == met else {}
        story.commit("topic", f"C{number}", {f"f{number}.txt": f"{number}\n", **more})
    story.commit("main", "Ours", {"a.txt": text_of("a", [["ours"]])})
    groups: list[list[tuple[str, int]]] = []
    dropped: list[int] = []
    for number in draw(st.permutations(range(count))):
        words = (
            ["pick", "reword"] + (["squash", "fixup"] if groups else []) + (["drop"] if number != met else [])
        )
        word = draw(st.sampled_from(words))
        if word == "drop":
            dropped.append(number)
        elif word in ("pick", "reword"):
            groups.append([(word, number)])
        else:
            groups[-1].append((word, number))
    key = draw(st.sampled_from(WORDS))
    lines = [line for group in groups for line in group] + [("drop", number) for number in dropped]
    todo = json.dumps([f"{word} C{number}" for word, number in lines])
    story.ask(f'do = "rebase"\non = "topic"\nonto = "main"\ntodo = {todo}\n', [keep("a.txt", [key])])
    story.plant()
    otherwise = draw(
        st.sampled_from(("as asked", "as asked", "order", "kept", "not reworded", "apart", "lost"))
    )
    lost = {"history": "partly"}
    rewords = [n for n, line in enumerate(lines) if line[0] == "reword"]
    parts = [n for n, line in enumerate(lines) if line[0] in ("squash", "fixup")]
    alone = [group[0] for group in groups if len(group) == 1 and group[0][1] != met]
    if otherwise == "order" and len(groups) > 1:
        lines = [line for group in (groups[1], groups[0], *groups[2:]) for line in group]
    elif otherwise == "kept" and dropped:
        lines = [line for line in lines if line[0] != "drop"] + [("pick", dropped[0])]
    elif otherwise == "not reworded" and rewords:
        lines[rewords[0]] = ("pick", lines[rewords[0]][1])
    elif otherwise == "apart" and parts:
        lines[parts[-1]] = ("pick", lines[parts[-1]][1])
    elif otherwise == "lost" and alone and len(groups) > 1:
        lines = [line for line in lines if line != alone[0]]
    else:
        lost = {}
    if lost and _changed(groups, dropped) == 1:
        lost = {"history": "missed"}  # it is the one thing that the list changes, or as much as that
    ids = {
        n: story.git("log", "-1", "--format=%H", "--grep", f"^C{n}$", "topic").strip() for n in range(count)
    }
    (story.top / "planted/list").write_text("".join(f"{word} {ids[number]}\n" for word, number in lines if word != "drop"))  # fmt: skip
    words_for = "; ".join(
        f"1s/^C{number}$/C{number}, said better/" for word, number in lines if word == "reword"
    )
    editors = {
        "GIT_SEQUENCE_EDITOR": "cp ../list",
        "GIT_EDITOR": f"sed -i '{words_for}'" if words_for else ":",
    }
    story.git("checkout", "-q", "topic")
    story.git("rebase", "-i", "main", fails=True, **editors)
    chosen = _chosen(draw, key, WORDS)
    story.write({"a.txt": text_of("a", [Slot(["base"], ["ours"], ["theirs"]).kept(chosen)])})
    story.git("rebase", "--continue", fails=True, **editors)
    return story, Expected(Fraction(chosen == key), lost, [chosen])


@st.composite
def several(draw: st.DrawFn) -> tuple[Story, Expected]:
    """Several merges into one branch, in any order, perhaps not all of them."""
    story, count = Story(), draw(st.integers(2, 3))
    names = [f"b{number}" for number in range(count)]
    base = [[f"base {n}"] for n in range(count)]
    ours = [[f"ours {n}"] for n in range(count)]
    story.commit("main", "Begin", {"a.txt": text_of("a", base)})
    for number, name in enumerate(names):
        theirs = [[f"theirs {n}"] if n == number else lines for n, lines in enumerate(base)]
        story.commit(name, f"On {name}", {"a.txt": text_of("a", theirs)})
    story.commit("main", "Ours", {"a.txt": text_of("a", ours)})
    keys = [draw(st.sampled_from(WORDS)) for _ in names]
    for number, name in enumerate(names):
        story.ask(
            f'do = "merge"\non = "main"\nbring = "{name}"\n',
            [keep("a.txt", [keys[number]], f"task = {number + 1}\n")],
        )
    story.plant()
    order = draw(st.permutations(range(count)))
    done = order[: draw(st.sampled_from((count, count, count - 1)))]
    chosen = {number: _chosen(draw, keys[number], WORDS) for number in done}
    now = [list(lines) for lines in ours]
    for number in done:
        story.git("merge", "-q", names[number], fails=True)
        now[number] = Slot([f"base {number}"], [f"ours {number}"], [f"theirs {number}"]).kept(chosen[number])
        story.write({"a.txt": text_of("a", now)})
        story.git("commit", "-q", "-m", f"merged {names[number]}")
    right = sum(chosen.get(number) == key for number, key in enumerate(keys))
    lost = {}
    if len(done) < count:
        lost = {"finished": "partly", "history": "partly"}
    if list(done) != sorted(done):
        lost["history"] = "partly"
    return story, Expected(Fraction(right, count), lost, state="finished" if len(done) == count else "open")


@st.composite
def paths(draw: st.DrawFn) -> tuple[Story, Expected]:
    """Conflicts of whole paths: deleted here or there, made on both sides, binary; with modes."""
    story = Story()
    kinds = draw(st.lists(st.sampled_from(("gone here", "gone there", "new")), min_size=1, max_size=3))
    start: dict[str, str | None] = {"keep.txt": "keep\n"}
    here: dict[str, str | None] = {"here.txt": "here\n"}
    there: dict[str, str | None] = {"there.txt": "there\n"}
    for number, kind in enumerate(kinds):
        name = f"f{number}.sh"
        if kind != "new":
            start[name] = f"base {number}\n"
        here[name] = None if kind == "gone here" else f"ours {number}\n"
        there[name] = None if kind == "gone there" else f"theirs {number}\n"
    modes = [name for name in start if draw(st.booleans()) and name != "keep.txt"]
    story.commit("main", "Begin", start, f"executable = {json.dumps(modes)}\n" if modes else "")
    story.commit("topic", "Theirs", there)
    story.commit("main", "Ours", here)
    answers, now, right = [], {}, 0
    flip: list[str] = []
    for number, kind in enumerate(kinds):
        name = f"f{number}.sh"
        if kind == "new":
            key = draw(st.sampled_from(WORDS[:2]))
            chosen = _chosen(draw, key, ("ours", "theirs", "blend"))
            answers.append(keep(name, [key]))
            now[name] = {"ours": here[name], "theirs": there[name], "blend": "blend\n"}[chosen]
        else:
            word = "theirs" if kind == "gone here" else "ours"
            key = draw(st.sampled_from((word, "gone")))
            chosen = _chosen(draw, key, (word, "gone", "blend"))
            answers.append(f'file = "{name}"\n' + ("gone = true\n" if key == "gone" else f'side = "{key}"\n'))
            now[name] = {
                word: (there if kind == "gone here" else here)[name],
                "gone": None,
                "blend": "blend\n",
            }[chosen]
            if chosen == word and draw(st.integers(0, 3)) == 0:
                flip.append(name)
                chosen = "another mode"
        right += key == chosen
    story.ask('do = "merge"\non = "main"\nbring = "topic"\n', answers)
    story.plant()
    story.git("merge", "-q", "topic", fails=True)
    story.write(now)
    for name in flip:
        (story.work / name).chmod(0o644 if name in modes else 0o755)
    story.git("add", "--all")
    story.git("commit", "-q", "-m", "merged")
    return story, Expected(Fraction(right, len(kinds)))


GROUPS: dict[str, Callable[[], st.SearchStrategy[tuple[Story, Expected]]]] = {
    "merge": merge, "rebase": rebase, "pick": pick, "mailed": mailed, "listed": listed, "several": several, "paths": paths,
}  # fmt: skip
