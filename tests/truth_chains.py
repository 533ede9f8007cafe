"""More random histories whose verdict is known by construction: operations that leave no commit or undo one, what
lies uncommitted, what was squashed unasked, and tasks in chains."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from fractions import Fraction

from hypothesis import strategies as st

from tests.truth import WORDS, Expected, Lines, Slot, Story, keep, text_of

OPEN = {"finished": "missed", "history": "missed"}


def _slots(draw: st.DrawFn, most: int = 3) -> list[Slot]:
    return [Slot([f"base {n}"], [f"ours {n}"], [f"theirs {n}"]) for n in range(draw(st.integers(1, most)))]


def _texts(slots: list[Slot], part: str) -> dict[str, str | None]:
    return {"a.txt": text_of("a", [getattr(slot, part) for slot in slots])}


def _choose(draw: st.DrawFn, slots: list[Slot]) -> tuple[list[str], list[str]]:
    """The key's word in each slot and the one that is chosen, which is written down in the slots."""
    keys = [draw(st.sampled_from(WORDS)) for _ in slots]
    chosen = [draw(st.sampled_from((key, key, *WORDS))) for key in keys]
    for slot, word in zip(slots, chosen, strict=True):
        slot.now = slot.kept(word)
    return keys, chosen


def _share(keys: list[str], chosen: list[str]) -> Fraction:
    return Fraction(sum(key == word for key, word in zip(keys, chosen, strict=True)), len(keys))


def _diverged(draw: st.DrawFn, *, onto: str = "topic") -> tuple[Story, list[Slot], list[str], list[str]]:
    """A story whose two branches conflict in every slot, with the key's words and those that are chosen."""
    story, slots = Story(), _slots(draw)
    keys, chosen = _choose(draw, slots)
    story.commit("main", "Begin", _texts(slots, "base"))
    story.commit(onto, "Theirs", {**_texts(slots, "theirs"), "more.txt": "more\n"})
    story.commit("main", "Ours", _texts(slots, "ours"))
    return story, slots, keys, chosen


@st.composite
def reverted(draw: st.DrawFn) -> tuple[Story, Expected]:
    """A commit undone whose lines were changed again since, perhaps not committed, or without Git's words."""
    story, slots = Story(), _slots(draw)
    keys, chosen = _choose(draw, slots)
    # In a revert theirs is what stood there before the commit, and base what the commit made of it.
    story.commit("main", "Before", _texts(slots, "theirs"))
    story.commit("main", "Change", {**_texts(slots, "base"), "new.txt": "new\n"})
    story.commit("main", "Since", _texts(slots, "ours"))
    story.ask('do = "revert"\non = "main"\nundo = "Change"\n', [keep("a.txt", keys)])
    story.plant()
    how = draw(st.sampled_from(("continued", "committed", "--quit", "-n")))
    story.git("revert", *(["-n"] if how == "-n" else ["--no-edit"]), "main~1", fails=True)
    story.write({**_texts(slots, "now"), "new.txt": None})
    if how == "continued":
        story.git("-c", "core.editor=:", "revert", "--continue", fails=True)
    elif how == "committed":
        story.git("commit", "-q", "--allow-empty", "-m", "Take it back")
    else:
        story.git("revert", "--quit")
        return story, Expected(_share(keys, chosen), OPEN, chosen, "open")
    return story, Expected(_share(keys, chosen), {}, chosen)


@st.composite
def uncommitted(draw: st.DrawFn) -> tuple[Story, Expected]:
    """A merge, a pick or a rebase that is resolved, left, and in no commit; or thrown away again."""
    story, slots, keys, chosen = _diverged(draw)
    do = draw(st.sampled_from(("merge", "cherry-pick", "rebase")))
    asked = {
        "merge": 'do = "merge"\non = "main"\nbring = "topic"\n',
        "cherry-pick": 'do = "cherry-pick"\non = "main"\npick = ["Theirs"]\n',
        "rebase": 'do = "rebase"\non = "topic"\nonto = "main"\n',
    }[do]
    story.ask(asked, [keep("a.txt", keys)])
    story.plant()
    if do == "rebase":
        story.git("checkout", "-q", "topic")
    given_up = draw(st.booleans())
    story.git(do, "main" if do == "rebase" else "topic", fails=True)
    if given_up:
        story.git(do, "--abort")
        nothing = dict.fromkeys(("finished", "markers", "history", "rest", "bystanders", "tidy"), "missed")
        return story, Expected(Fraction(0), nothing, state="untouched")
    story.write(_texts(slots, "now"))
    if draw(st.booleans()):
        story.git(do, "--quit")
        if do == "rebase":
            return story, Expected(_share(keys, chosen), {**OPEN, "tidy": "partly"}, chosen, "open")
    return story, Expected(_share(keys, chosen), OPEN, chosen, "open")


@st.composite
def stashed(draw: st.DrawFn) -> tuple[Story, Expected]:
    """Work that was put aside, popped and resolved; or thrown away."""
    story, slots = Story(), _slots(draw)
    keys, chosen = _choose(draw, slots)
    story.commit("main", "Begin", {**_texts(slots, "base"), "b.txt": "b\n"})
    story.commit("main", "Work", {**_texts(slots, "theirs"), "b.txt": "mine\n"}, "stash = true\n")
    story.commit("main", "Ours", _texts(slots, "ours"))
    story.ask('do = "stash-pop"\non = "main"\n', [keep("a.txt", keys)])
    story.plant()
    if draw(st.integers(0, 3)) == 0:
        story.git("stash", "drop", "-q")
        nothing = dict.fromkeys(("finished", "markers", "rest", "bystanders", "tidy"), "missed")
        return story, Expected(Fraction(0), nothing, state="open")
    story.git("stash", "pop", fails=True)
    story.write({**_texts(slots, "now"), "b.txt": "mine\n"})
    story.git("stash", "drop", "-q")
    if draw(st.booleans()):
        story.git("commit", "-qm", "My work")
    return story, Expected(_share(keys, chosen), {}, chosen)


@st.composite
def pulled(draw: st.DrawFn) -> tuple[Story, Expected]:
    """A branch of the remote that has moved on, brought in by merge or rebase and pushed, or not pushed."""
    story, slots = Story(), _slots(draw)
    keys, chosen = _choose(draw, slots)
    by = draw(st.sampled_from(("merge", "rebase")))
    mine, others = ("theirs", "ours") if by == "rebase" else ("ours", "theirs")
    story.commit("main", "Begin", _texts(slots, "base"), 'publish = ["main"]\n')
    story.commit("origin/main", "Others", _texts(slots, others), parent="main")
    story.commit("main", "Mine", _texts(slots, mine))
    story.ask(f'do = "pull"\non = "main"\nfrom = "main"\nby = "{by}"\npush = true\n', [keep("a.txt", keys)])
    story.plant()
    story.git("pull", "-q", "--no-edit", "--no-rebase" if by == "merge" else "--rebase", fails=True)
    story.write(_texts(slots, "now"))
    if by == "merge":
        story.git("commit", "-q", "--no-edit")
    elif story.git("diff", "--cached", "--name-only"):
        story.git("-c", "core.editor=:", "rebase", "--continue")
    else:
        story.git("rebase", "--skip")  # nothing is left of it
    lost: dict[str, str] = {}
    if draw(st.integers(0, 3)):
        story.git("push", "-q", "origin", "main")
    elif story.git("rev-parse", "main") != story.git("rev-parse", "origin/main"):
        lost["delivered"] = "missed"
    return story, Expected(_share(keys, chosen), lost, chosen)


@st.composite
def squashed(draw: st.DrawFn) -> tuple[Story, Expected]:
    """A rebase in which a commit is squashed into the one before, though nobody asked for it."""
    story, count = Story(), draw(st.integers(2, 4))
    met = [draw(st.booleans()) for _ in range(count)]
    met[draw(st.integers(0, count - 1))] = True
    base = [[f"base {n}"] for n in range(count)]
    story.commit("main", "Begin", {"a.txt": text_of("a", base)})
    for number in range(count):
        theirs: list[Lines] = [[f"theirs {n}"] if n <= number else base[n] for n in range(count)]
        story.commit("topic", f"C{number}", {"a.txt": text_of("a", theirs), f"f{number}.txt": f"{number}\n"})
    ours = [[f"ours {n}"] if met[n] else base[n] for n in range(count)]
    story.commit("main", "Ours", {"a.txt": text_of("a", ours)})
    keys = {n: draw(st.sampled_from(WORDS)) for n in range(count) if met[n]}
    chosen = {n: draw(st.sampled_from((key, key, *WORDS))) for n, key in keys.items()}
    answers = [keep("a.txt", [key], f'commit = "C{n}"\n') for n, key in keys.items()]
    story.ask('do = "rebase"\non = "topic"\nonto = "main"\n', answers)
    story.plant()
    line, word = draw(st.integers(2, count)), draw(st.sampled_from(("squash", "fixup")))
    editors = {"GIT_SEQUENCE_EDITOR": f"sed -i {line}s/pick/{word}/", "GIT_EDITOR": ":"}
    story.git("checkout", "-q", "topic")
    story.git("rebase", "-i", "main", fails=True, **editors)
    now = [list(lines) for lines in ours]
    for number in range(count):
        slot = Slot(base[number], ours[number], [f"theirs {number}"])
        now[number] = slot.kept(chosen[number]) if met[number] else slot.theirs
        if met[number]:
            story.write({"a.txt": text_of("a", now)})
            story.git("rebase", "--continue", fails=True, **editors)
    right = sum(chosen[n] == key for n, key in keys.items())
    return story, Expected(Fraction(right, len(keys)), {"history": "partly"})


@st.composite
def chained(draw: st.DrawFn) -> tuple[Story, Expected]:
    """A fast-forward, then a merge of the branch that was moved on; perhaps squashed, deleted or the wrong way
    round."""
    story, slots = Story(), _slots(draw)
    keys, chosen = _choose(draw, slots)
    last = draw(st.sampled_from(("merge", "squash", "delete")))
    more = {"squash": "squash = true\n", "delete": 'delete = "lens"\n'}.get(last, "")
    story.commit("main", "Begin", _texts(slots, "base"))
    story.commit("rota", "Ours", _texts(slots, "ours"))
    story.commit("lens", "Theirs", {**_texts(slots, "theirs"), "more.txt": "more\n"})
    story.ask('do = "merge"\non = "main"\nbring = "lens"\n', [])
    story.ask(f'do = "merge"\non = "rota"\nbring = "main"\n{more}', [keep("a.txt", keys)])
    story.plant()
    story.git("merge", "-q", "lens")
    turned = last == "merge" and draw(st.integers(0, 3)) == 0
    story.git("checkout", "-q", "main" if turned else "rota")
    story.git("merge", *(["--squash"] if last == "squash" else []), "rota" if turned else "main", fails=True)
    story.write(_texts(slots, "now"))
    story.git("commit", "-q", "--allow-empty", "-m", "merged")
    lost: Mapping[str, str] = {"history": "partly"} if turned else {}
    if last == "delete":
        story.git("branch", "-D", "lens")
    return story, Expected(_share(keys, chosen), lost, chosen)


@st.composite
def set_back(draw: st.DrawFn) -> tuple[Story, Expected]:
    """A branch set back to an earlier commit, or undone by another one, or set somewhere else."""
    story, count = Story(), draw(st.integers(2, 4))
    for number in range(count + 1):
        story.commit("main", f"C{number}", {"a.txt": f"{number}\n", f"f{number}.txt": "x\n"})
    to = draw(st.integers(0, count - 1))
    story.ask(f'do = "reset"\non = "main"\nto = "C{to}"\n', [])
    story.plant()
    how = draw(st.sampled_from(("set back", "set back", "undone", "elsewhere")))
    if how == "undone":
        story.git("revert", "--no-edit", f"HEAD~{count - to}..HEAD")
        return story, Expected(None, {"history": "missed"})
    at = to if how == "set back" else draw(st.integers(0, count - 1))
    story.git("reset", "-q", "--hard", f"HEAD~{count - at}")
    return story, Expected(None, {} if at == to else {"history": "missed"})


CONFLICT = re.compile(r"<<<<<<< .*\n((?:.*\n)*?)=======\n((?:.*\n)*?)>>>>>>> .*\n")


@st.composite
def replayed(draw: st.DrawFn) -> tuple[Story, Expected]:
    """A rebase or pull of several commits that often change the same lines; conflicts are resolved anyhow, skipped
    or committed by hand. Nothing outside of them is touched, so only the choices and what was skipped cost."""
    story, count, places = Story(), draw(st.integers(2, 6)), draw(st.integers(1, 3))
    base = [[f"base {n}"] for n in range(places)]
    ours = [[f"ours {n}"] if n == 0 or draw(st.booleans()) else base[n] for n in range(places)]
    pulled = draw(st.booleans())
    upstream, mine = ("origin/main", "main") if pulled else ("main", "topic")
    story.commit("main", "Begin", {"a.txt": text_of("a", base)}, 'publish = ["main"]\n' if pulled else "")
    theirs, now = [list(lines) for lines in base], [list(lines) for lines in ours]
    answers: list[str] = []
    asked_of: set[str] = set()
    for number in range(count):
        place = draw(st.integers(0, places - 1))
        before, theirs[place] = theirs[place], [f"theirs {number}"]
        story.commit(mine, f"C{number}", {"a.txt": text_of("a", theirs), f"f{number}.txt": f"{number}\n"})
        if now[place] == before:
            now[place] = theirs[place]
            continue
        word = draw(st.sampled_from(WORDS[:2]))
        asked_of.add(f"C{number}")
        answers.append(keep("a.txt", [word], f'commit = "C{number}"\n'))
        now[place] = theirs[place] if word == "theirs" else now[place]
    story.commit(upstream, "Ours", {"a.txt": text_of("a", ours), "more.txt": "more\n"}, parent="Begin")
    asked = 'do = "pull"\non = "main"\nfrom = "main"\nby = "rebase"\n' if pulled else 'do = "rebase"\non = "topic"\nonto = "main"\n'  # fmt: skip
    story.ask(asked, answers)
    story.plant()
    if pulled:
        story.git("pull", "-q", "--rebase", fails=True)
    else:
        story.git("checkout", "-q", "topic")
        story.git("rebase", "main", fails=True)
    costs = ["resolution"]
    while (story.work / ".git/rebase-merge").exists():
        how = draw(st.sampled_from(("continue", "continue", "continue", "commit", "skip")))
        costs = costs if how == "continue" else ["resolution", "history"]
        if how == "skip":
            story.git("rebase", "--skip", fails=True)
            continue
        # In a conflict that only an earlier choice made, their own change must not be thrown away.
        met = story.git("log", "-1", "--format=%s", "REBASE_HEAD").strip() in asked_of
        kept = draw(st.sampled_from((r"\2", r"\1\2", *((r"\1", "else\\n") if met else ()))))
        text = (story.work / "a.txt").read_text()
        story.write({"a.txt": CONFLICT.sub(kept, text)})
        if how == "commit" and story.git("status", "--porcelain"):
            story.git("commit", "-qm", "By hand")
        story.git("-c", "core.editor=:", "rebase", "--continue", fails=True)
    return story, Expected(open=costs)


MORE_GROUPS: dict[str, Callable[[], st.SearchStrategy[tuple[Story, Expected]]]] = {
    "reverted": reverted,
    "uncommitted": uncommitted,
    "stashed": stashed,
    "pulled": pulled,
    "squashed": squashed,
    "replayed": replayed,
    "chained": chained,
    "set back": set_back,
}
