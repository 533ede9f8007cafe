"""The walkthrough: its script played with real Git, its steps planted, and what of it earns nothing."""

from __future__ import annotations

import json
import os
import pty
import random
import re
import select
import subprocess
import time
from pathlib import Path

import pytest

from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.files.scenarios.bundled import BUNDLED, bundled_ids
from muddled_orchard.files.scenarios.catalogue import ScenarioLibrary
from muddled_orchard.files.scenarios.sketches import SKETCHES
from muddled_orchard.vcs.ask.keymaking import make_key
from muddled_orchard.vcs.ask.scratch import ScratchRepository
from tests.conftest import LEARNER, PROGRAM, graded, muddled, shell, some
from tests.scenarios import HEADER

# All that files, messages and histories can be like, in one story.
AWKWARD = (
    HEADER
    + r"""
[[story]]
on = "main"
by = "maren"
message = "Begin: it's \"quoted\" & $HOME `date` \\ %s"
publish = ["main"]
[story.write]
"-n.txt" = "one\ntwo\nthree\n"
"a b/it's $x.txt" = "no end"
"Größe.txt" = "EN\nEND\nEND_\ntwo\n"
"crlf.txt" = "one\r\ntwo\r\n"
"run.sh" = "#!/bin/sh\necho $Id$\n"
"empty.txt" = ""
".gitignore" = "*.log\nout/\n"
"a.log" = "kept all the same\n"
[story.binary]
"raw.bin" = "AAEC/w=="
[story.link]
"ln" = "a b/it's $x.txt"

[[story]]
on = "side"
from = "main"
by = "tobias"
label = "side"
message = "A subject\n\n# not a comment\n\n\n  indented, and two blank lines above"
executable = ["run.sh"]
rename = { "crlf.txt" = "deep/er/crlf.txt" }
change = [{ file = "-n.txt", find = "two", put = "2" }]

[[story]]
on = "main"
by = "maren"
message = "Go on"
change = [{ file = "-n.txt", find = "two", put = "zwei" }]
remove = ["empty.txt"]

[[story]]
on = "origin/main"
by = "tobias"
message = "Elsewhere"
write = { "there.txt" = "t\r\n", "out/x.txt" = "x\n" }

[[story]]
on = "main"
by = "maren"
message = "Merge what is here already"
merge = "old"
write = { "more.txt" = "m\n" }
publish = ["main"]

[[story]]
on = "main"
by = "maren"
message = "put aside, with a new file"
stash = true
write = { "new.txt" = "n\n" }

[[task]]
do = "merge"
on = "main"
bring = "side"

[[answer]]
file = "-n.txt"
keep = ["theirs"]
"""
)
AWKWARD = AWKWARD.replace(
    "[[story]]\non = \"main\"\nby = \"maren\"\nmessage = \"Go on\"",
    '[[story]]\non = "old"\nfrom = "main"\nby = "maren"\nmessage = "Old"\nwrite = { "o.txt" = "o\\n" }\n\n'
    '[[story]]\non = "main"\nby = "maren"\nmessage = "Take it"\nmerge = "old"\n\n'
    "[[story]]\non = \"main\"\nby = \"maren\"\nmessage = \"Go on\"",
)  # fmt: skip

FINGERPRINT = """
git rev-parse HEAD; git symbolic-ref -q HEAD || true; git for-each-ref --format='%(refname) %(objectname)'
git ls-files -s -v; git status --porcelain=v2; git diff | sha1sum; cat .git/MERGE_MSG 2>/dev/null || true
ls .git | grep -E 'HEAD|rebase|MERGE_MODE|SQUASH' | grep -v FETCH | grep -v ORIG_HEAD || true
git stash list; find . -path ./.git -prune -o -type f -print0 | sort -z | xargs -0 sha1sum
if [ -d ../origin.git ]; then git -C ../origin.git for-each-ref --format='%(refname) %(objectname)'; fi
"""


def written(scenario: str | Path, file: Path, *more: str) -> Path:
    muddled("walkthrough", scenario, "--to", file, *more)
    return file


def played(script: Path, folder: Path) -> str:
    """Play a script to its end with no terminal, in an environment that would change everything."""
    assert subprocess.run(["bash", "-n", script], check=False).returncode == 0
    wild = {"PATH": os.environ["PATH"], "GIT_AUTHOR_NAME": "Nobody", "GIT_DIR": "/nowhere", "TZ": "Asia/Tokyo", "HOME": str(folder.parent)}  # fmt: skip
    done = subprocess.run(["bash", script, folder], capture_output=True, text=True, check=False, stdin=subprocess.DEVNULL, env=wild)  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


def handed_out(folder: Path) -> set[str]:
    """The ids of all commits of a planted repository, the remote's with them."""
    script = "for r in work origin.git; do [ ! -d $r ] || git -C $r rev-list --all --reflog; done"
    return set(shell(folder, script).split())


@pytest.mark.parametrize("id_", some(bundled_ids(), 3))
def test_the_script_makes_the_planted_ids_and_the_solved_state(id_: str, tmp_path: Path) -> None:
    out = played(written(id_, tmp_path / "play.sh"), tmp_path / "played")
    assert "That was all" in out
    muddled("plant", id_, tmp_path / "planted", "--at", "built", "--quiet")
    objects = shell(
        tmp_path / "played/work", "git cat-file --batch-all-objects --batch-check='%(objectname)'"
    )
    assert handed_out(tmp_path / "planted") - set(objects.split()) == set()
    muddled("plant", id_, tmp_path / "done", "--at", "done", "--quiet")
    assert shell(tmp_path / "played/work", FINGERPRINT) == shell(tmp_path / "done/work", FINGERPRINT)
    scenario = ScenarioLibrary().find(id_)
    assert scenario is not None
    key = make_key(ScratchRepository(tmp_path / "scratch.git"), scenario, PLAIN_VARIANT)
    deleted = {task.delete for task in key.scenario.task}
    for name, tip in key.solved_tips.items():
        made = any(task.makes_own for task in scenario.task)
        if name not in deleted and not made and not (scenario.start.work and name == "main"):
            folder, branch = ("origin.git", name[7:]) if name.startswith("origin/") else ("work", name)
            listed = shell(
                tmp_path / "played" / folder, f"git ls-tree -rz --format='%(objectname) %(path)' {branch}"
            )
            wanted = {f"{blob.id} {path}" for path, blob in key.commits[tip].tree.items()}
            assert set(listed.split("\0")[:-1]) == wanted, name
    (found,) = graded(tmp_path / "played").values()
    own = set(shell(tmp_path / "played/work", "git rev-list --all").split()) - handed_out(
        tmp_path / "planted"
    )
    if own and not scenario.start.stopped:
        assert (found["percent"], found["state"]) == (0, "untouched"), "a demonstration is no submission"
        assert "step done" in str(found["needs_a_look"])


@pytest.mark.parametrize("kind", some(sorted(path.stem for path in SKETCHES.glob("*.toml")), 2))
def test_every_kind_of_sketch_can_be_walked_through(kind: str, tmp_path: Path) -> None:
    muddled("sketch", kind, tmp_path / f"{kind}.toml")
    played(written(tmp_path / f"{kind}.toml", tmp_path / "play.sh"), tmp_path / "played")
    muddled("plant", tmp_path / f"{kind}.toml", tmp_path / "planted", "--at", "built", "--quiet")
    made = set(shell(tmp_path / "played/work", "git cat-file --batch-all-objects --batch-check='%(objectname)'").split())  # fmt: skip
    assert handed_out(tmp_path / "planted") - made == set()


def test_a_story_with_everything_is_built_to_the_same_ids(tmp_path: Path) -> None:
    (tmp_path / "hive-notes.toml").write_text(AWKWARD, "utf-8")
    played(
        written(tmp_path / "hive-notes.toml", tmp_path / "play.sh", "--only", "build"), tmp_path / "played"
    )
    muddled("plant", tmp_path / "hive-notes.toml", tmp_path / "planted", "--at", "built", "--quiet")
    mine, theirs = (shell(tmp_path / name / "work", FINGERPRINT) for name in ("played", "planted"))
    assert mine == theirs
    for form in ("md", "html", "text"):
        assert "Größe.txt" in muddled("walkthrough", tmp_path / "hive-notes.toml", "--form", form).stdout


def test_attributes_of_the_story_do_not_change_its_commits(tmp_path: Path) -> None:
    attributes = AWKWARD.replace(
        '"a.log" =', '".gitattributes" = "*.txt text eol=crlf\\n*.sh ident\\n"\n"a.log" ='
    )
    (tmp_path / "hive-notes.toml").write_text(attributes, "utf-8")
    played(
        written(tmp_path / "hive-notes.toml", tmp_path / "play.sh", "--only", "build"), tmp_path / "played"
    )
    muddled("plant", tmp_path / "hive-notes.toml", tmp_path / "planted", "--at", "built", "--quiet")
    refs = "git show-ref; git -C ../origin.git show-ref; ls .git/info"
    mine, theirs = (shell(tmp_path / name / "work", refs) for name in ("played", "planted"))
    assert mine == theirs


def entry(on: str, message: str, texts: dict[str, str], *more: str) -> str:
    """A commit of a story that writes some files."""
    written = ", ".join(f"{json.dumps(path)} = {json.dumps(text)}" for path, text in texts.items())
    lines = [f'on = "{on}"', 'by = "maren"', f'message = "{message}"', *more]
    lines += [f"write = {{ {written} }}"] if texts else []
    return "\n".join(("[[story]]", *lines, ""))


def random_story(seed: int) -> str:
    """A story of whole files on some branches, with removals, merges, a remote and stashes, and a task."""
    chance = random.Random(seed)
    names = ["a.txt", "b c.txt", "d/e.txt", "d/f/g.txt", "h.sh"]
    has = {"main": set(names)}
    parts = [HEADER, entry("main", "Begin", dict.fromkeys(names, "0\n"), 'publish = ["main"]')]
    for number in range(1, chance.randint(4, 12)):
        branch = chance.choice([*has, "side", "deep/er"])
        others = [name for name in has if name != branch]
        more = ['publish = ["main"]'] if branch == "main" and chance.random() < 0.3 else []
        ends = chance.choice(["", "\n"])
        texts = {name: f"{name} {number}{ends}" for name in chance.sample(names, chance.randint(1, 3))}
        if branch not in has:
            begin = chance.choice([*has])
            has[branch] = set(has[begin])
            more.append(f'from = "{begin}"')
        elif others and chance.random() < 0.3:
            more.append(f'merge = "{chance.choice(others)}"')
            texts = dict.fromkeys(names, f"merged {number}\n")
        elif chance.random() < 0.2 and len(has[branch]) > 1:
            gone = chance.choice(sorted(has[branch]))
            texts.pop(gone, None)
            has[branch].discard(gone)
            more.append(f"remove = [{json.dumps(gone)}]")
        has[branch] |= texts.keys()
        parts.append(entry(branch, f"Step {number}", texts, *more))
        if chance.random() < 0.3:
            parts.append(entry("origin/main", f"There {number}", {"there.txt": str(number)}))
        if chance.random() < 0.2:
            aside = {f"new {number}.txt": "n", "a.txt": f"s{number}"}
            parts.append(entry(branch, f"aside {number}", aside, "stash = true"))
    others = [name for name in has if name != "main"]
    if not others:
        parts.append(entry("side", "At last", {"a.txt": "last\n"}, 'from = "main"'))
    bring = chance.choice(others or ["side"])
    return "\n".join((*parts, f'[[task]]\ndo = "merge"\non = "main"\nbring = "{bring}"\n'))


@pytest.mark.parametrize("seed", range(6))
def test_random_stories_are_built_and_solved_as_planted(seed: int, tmp_path: Path) -> None:
    (tmp_path / "hive-notes.toml").write_text(random_story(seed), "utf-8")
    for half, step in (("build", "built"), (None, "done")):
        only = ["--only", half] if half else []
        played(
            written(tmp_path / "hive-notes.toml", tmp_path / "play.sh", *only), tmp_path / f"played-{step}"
        )
        muddled("plant", tmp_path / "hive-notes.toml", tmp_path / step, "--at", step, "--quiet")
        mine, theirs = (shell(tmp_path / name / "work", FINGERPRINT) for name in (f"played-{step}", step))
        assert mine == theirs, step


def test_a_real_tree_is_shown_where_it_matters(tmp_path: Path) -> None:
    (tmp_path / "tree/src").mkdir(parents=True)
    for number in range(300):
        (tmp_path / f"tree/src/part-{number}.txt").write_text(f"part {number}\n" * 90)
    text = (
        HEADER
        + """
[[story]]
on = "main"
by = "maren"
message = "All of it"
take = "tree"

[[story]]
on = "side"
from = "main"
by = "tobias"
message = "Another part"
write = { "src/part-7.txt" = "seven\\n" }

[[task]]
do = "merge"
on = "main"
bring = "side"
"""
    )
    (tmp_path / "hive-notes.toml").write_text(text)
    said = muddled("walkthrough", tmp_path / "hive-notes.toml", "--form", "md").stdout
    assert "And so on: 294 more files." in said
    assert "... 30 more lines" in said, "a long file is begun"
    assert re.search(r"\.\.\. \d+ more lines\n create mode", said), "so is a long answer"
    assert len(said) < 40_000
    played(written(tmp_path / "hive-notes.toml", tmp_path / "play.sh"), tmp_path / "played")
    muddled("plant", tmp_path / "hive-notes.toml", tmp_path / "done", "--at", "done", "--quiet")
    mine, theirs = (shell(tmp_path / name / "work", FINGERPRINT) for name in ("played", "done"))
    assert mine == theirs, "the script has all of it"


STEPWISE = ("press-limit", "rebase-four", "pull-by-rebase", "stash-back", "tidy-before-sharing", "would-be-overwritten", "squash-the-notes", "patches-by-mail", "left-in-a-rebase", "there-and-back", "safety-net", "undo-the-price")  # fmt: skip


@pytest.mark.parametrize("id_", STEPWISE)
def test_a_planted_step_is_what_the_walkthrough_leaves_there(id_: str, tmp_path: Path) -> None:
    script = written(id_, tmp_path / "play.sh", "--short").read_text("utf-8")
    begin, *steps = re.split(r"(?m)^(?=step ')", script)
    names = [re.findall(r"^step '(\d+) .*\(([^ ]+)\)'$", step.split("\n")[0])[0] for step in steps]
    look = '(cd "$top/work" && {{ {}\n}}) > "$top/../{}"\n'
    parts = [step + look.format(FINGERPRINT, number) for step, (number, _) in zip(steps, names, strict=True)]
    (tmp_path / "looking.sh").write_text(begin + "".join(parts), "utf-8")
    played(tmp_path / "looking.sh", tmp_path / "played")
    turn = STEPWISE.index(id_)
    for count, (number, name) in enumerate(names, start=1):
        if (count + turn) % 3 and count < len(names):
            continue  # each kind of step comes in its turn with another scenario
        muddled("plant", id_, tmp_path / f"at-{number}", "--at", number if count % 2 else name, "--quiet")
        found = shell(tmp_path / f"at-{number}/work", FINGERPRINT)
        assert found == (tmp_path / number).read_text("utf-8"), name


# Where it was handed out, what was done then, and what comes of it.
GIVEN = {
    "nothing was done": ("press-limit", "resolved", "true", 0, "untouched"),
    "all was given": ("press-limit", "done", "true", 0, "untouched"),
    "all was given, and the mark taken out": ("press-limit", "done", "rm -r .git/muddled", 0, "untouched"),
    "one more commit does not help": ("press-limit", "done", "git commit -q --allow-empty -m More", 0, "untouched"),
    "the rest was done": ("press-limit", "conflict", "git checkout -q --theirs press.toml; sed -i 's/Apples are washed twice, pears once/Everything is washed twice/; s/wash_pears = 1/wash_pears = 2/' press.toml; git commit -qa --no-edit", 100, "finished"),
    "only the commit was left": ("press-limit", "staged", "git commit -q --no-edit", 100, "finished"),
    "the second conflict was done": ("rebase-four", "conflict:2", "sed -i '/^<<<<<<<\\|^=======\\|^>>>>>>>/d' plan.txt; git add plan.txt; git rebase --continue >/dev/null", None, "finished"),
    "what it names is no step": ("press-limit", "conflict", "sed -i 's/\"conflict\"/\"nonsense\"/' .git/muddled/asked.json; git merge --abort", 0, "untouched"),
}  # fmt: skip


@pytest.mark.parametrize("name", GIVEN)
def test_what_was_given_earns_nothing(name: str, tmp_path: Path) -> None:
    id_, step, script, percent, state = GIVEN[name]
    muddled("plant", id_, tmp_path / "ilse", "--at", step, "--quiet")
    shell(tmp_path / "ilse/work", script)
    (found,) = graded(tmp_path / "ilse").values()
    assert found["state"] == state
    if percent is not None:
        assert found["percent"] == percent
    told = f"handed out at the step {step}" in str(found["needs_a_look"])
    assert told == (name != "what it names is no step")
    muddled("plant", id_, tmp_path / "plain", "--quiet")
    (plain,) = graded(tmp_path / "plain").values()
    if state == "finished":
        assert found["possible"] < plain["possible"], "what was given can't be earned any more"


def test_what_a_step_gives_is_known_from_another_variant(tmp_path: Path) -> None:
    dated = "export GIT_AUTHOR_DATE='2031-05-01T08:00:00Z' GIT_COMMITTER_DATE='2031-05-01T08:00:00Z'"
    kept = f"{dated}; git checkout -q --ours press.toml; git commit -qa --no-edit"
    forgot = 'sed -i \'/"given"/d; s/"conflict",/"conflict"/\' .git/muddled/asked.json'
    for name, variant, script in (("a", "1", "true"), ("b", "2", kept), ("c", "2", f"{kept}; {forgot}"), ("d", "3", "true")):  # fmt: skip
        muddled("plant", "press-limit", tmp_path / name, "--at", "conflict", "--variant", variant, "--quiet")
        shell(tmp_path / name / "work", script)
    found = graded(tmp_path)
    assert [found[name]["state"] for name in "abcd"] == ["untouched", "finished", "finished", "untouched"]
    assert found["b"]["criteria"] == found["c"]["criteria"], (
        "one says which work was given, of one it is made"
    )


def test_the_same_bytes_wherever_it_is_walked(tmp_path: Path) -> None:
    (tmp_path / ".gitconfig").write_text(
        "[user]\nname = X\n[merge]\nconflictStyle = diff3\n[core]\nautocrlf = true\n"
    )
    wild = {"HOME": str(tmp_path), "TZ": "Pacific/Chatham", "LC_ALL": "tr_TR.UTF-8", "PYTHONHASHSEED": "7", "GIT_AUTHOR_DATE": "1999-01-01T00:00:00", "COLUMNS": "50"}  # fmt: skip
    for id_ in ("pull-by-merge",):
        for form in ("html", "sh"):
            one = muddled("walkthrough", id_, "--form", form).stdout
            assert muddled("walkthrough", id_, "--form", form, more=wild).stdout == one


def test_without_the_key_no_form_has_it() -> None:
    for id_ in ("press-limit", "three-knots", "frost-table", "gone-price-list", "quiet-breakage"):
        text = (BUNDLED / f"{id_}.toml").read_text("utf-8")
        whys = [" ".join(why.split()) for why in re.findall(r'(?m)^why = "([^"]{12,})', text)]
        for form in ("text", "md", "html", "sh"):
            said = " ".join(muddled("walkthrough", id_, "--without-key", "--form", form).stdout.split())
            assert "Now it is yours" in said
            assert "The right resolution" not in said
            assert not [why for why in whys if why[:40] in said]
            assert "✗" not in said, "no choice is judged"
    assert "Everything is as it was before" in muddled("walkthrough", "safety-net", "--without-key").stdout


def test_halves_and_a_short_form_keep_the_numbers_of_the_whole() -> None:
    steps = re.compile(r"(?m)^(\d+)  .*  ([a-z:0-9]+)$")
    whole = dict(steps.findall(muddled("walkthrough", "press-limit").stdout))
    assert [*whole.values()] == ["commit:1", "commit:2", "commit:3", "commit:4", "commit:5", "built", "ready", "conflict", "file", "changes", "abort", "ours", "theirs", "both", "tool", "resolved", "staged", "done"]  # fmt: skip
    for options, left in (
        (["--only", "build"], 6), (["--only", "task"], 12), (["--short"], 13), (["--only", "task", "--short"], 7),
    ):  # fmt: skip
        found = dict(steps.findall(muddled("walkthrough", "press-limit", *options).stdout))
        assert found.items() <= whole.items()
        assert len(found) == left
    listed = muddled("plant", "press-limit", "--at", "list").stdout
    assert re.findall(r"(?m)^ ?(\d+)  ([a-z:0-9]+) ", listed) == [*whole.items()]


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["plant", "press-limit", "new", "--at", "konflict"], 'no step "konflict"\n  Did you mean "conflict"?'),
        (["plant", "press-limit", "new", "--at", "99"], 'no step "99"\n  There are steps 1 to 18'),
        (["plant", "press-limit", "new", "--at", "conflict:2"], 'no step "conflict:2"'),
        (["plant", "press-limit", "full", "--at", "conflict"], "not an empty folder"),
        (["plant", "press-limit", "--at", "conflict"], "DIR is missing"),
        (["walkthrough", "press-limit", "--to", "x.doc"], '"x.doc" does not say in which form'),
        (["walkthrough", "press-limit", "--step"], "can't wait for keys"),
        (["walkthrough", "press-limit", "--step", "--to", "x.md"], "Leave --to and --form out"),
        (["walkthrough", "broken.toml"], 'broken.toml:20: task[1].bring: there is no branch "sied"'),
        (["walkthrough", "broken.toml", "--to", "x.html"], "there is no branch"),
        (["plant", "broken.toml", "new", "--at", "done"], "there is no branch"),
        (["walkthrough", "press-limit", "--variant", ".."], "variant"),
        (["walkthrough", "press-limit", "--to", "full", "--form", "md"], "this is a folder"),
    ],
)  # fmt: skip
def test_wrong_use_says_what_and_leaves_nothing(arguments: list[str], says: str, tmp_path: Path) -> None:
    (tmp_path / "full").mkdir()
    (tmp_path / "full/mine").write_text("mine")
    broken = HEADER + '\n[[story]]\non = "main"\nby = "maren"\nmessage = "A"\nwrite = { "a" = "1\\n" }\n\n[[task]]\ndo = "merge"\non = "main"\nbring = "sied"\n'  # fmt: skip
    (tmp_path / "broken.toml").write_text(broken)
    done = muddled(*arguments, folder=tmp_path, code=2)
    assert says in done.stderr
    assert len(done.stderr.splitlines()) <= 3
    assert sorted(path.name for path in tmp_path.iterdir()) == ["broken.toml", "full"]


@pytest.mark.parametrize("asks", ['do = "merge", bring = "side"', 'do = "rebase", onto = "side"', 'do = "cherry-pick", pick = ["hot"]', 'do = "revert", undo = "cold"'])  # fmt: skip
def test_what_is_to_be_given_up_is_compared_as_what_is_carried_out(asks: str, tmp_path: Path) -> None:
    story = """id = "hours"
story = [
    { on = "main", write = { "a.txt" = "limit = 70\\n" } },
    { on = "side", from = "main", write = { "a.txt" = "limit = 80\\n" }, label = "hot" },
    { on = "main", write = { "a.txt" = "limit = 60\\n" }, label = "cold" },
    { on = "main", write = { "a.txt" = "limit = 50\\n" } },
]
"""
    (tmp_path / "kept.toml").write_text(f"{story}task = [{{ {asks} }}]\n")
    (tmp_path / "left.toml").write_text(f"{story}task = [{{ {asks}, abort = true }}]\n")
    shown = [
        muddled("walkthrough", tmp_path / name, "--to", "-").stdout for name in ("kept.toml", "left.toml")
    ]
    kept, left = (re.findall(r"Git stops.*?(?=─\n10 )", text, re.DOTALL) for text in shown)
    assert len(kept) == len(left) == 1
    assert kept == left
    assert kept[0].count("diff --git") == 2


def test_a_value_that_spoils_a_step_is_named(tmp_path: Path) -> None:
    story = """
values.size = { choose = ["80", "90"] }
task = [{ do = "merge", bring = "side" }]
answer = [{ file = "a.txt", keep = ["theirs"] }]
story = [
    { on = "main", write = { "a.txt" = "limit = 70\\n" } },
    { on = "side", from = "main", write = { "a.txt" = "limit = @{size}\\n" } },
    { on = "main", write = { "a.txt" = "limit = 90\\n" } },
]
"""
    (tmp_path / "my-own.toml").write_text(story)
    seen = set()
    for code in map(str, range(4)):
        for command in (["walkthrough", "my-own.toml", "--form", "sh"], ["plant", "my-own.toml", f"p{code}", "--at", "conflict", "--quiet"]):  # fmt: skip
            done = subprocess.run([*PROGRAM, *command, "--variant", code], cwd=tmp_path, capture_output=True, text=True, check=False)  # fmt: skip
            seen.add((done.returncode, done.stderr))
    assert {code for code, _ in seen} == {0, 2}, "one of the values is sound"
    (told,) = {text for code, text in seen if code}
    assert 'my-own.toml:4: answer[1].file: with size = "90": a.txt does not conflict' in told
    assert len(told.splitlines()) <= 3


class Terminal:
    """A terminal in which the program runs, and what stands on it."""

    def __init__(self, *arguments: str) -> None:
        self.pid, self.descriptor = pty.fork()
        if self.pid == 0:
            os.execvpe(PROGRAM[0], [*PROGRAM, *arguments], {**os.environ, "TERM": "xterm", "LINES": "24", "COLUMNS": "80"})  # noqa: S606  # fmt: skip

    def until(self, text: str, press: str = "") -> str:
        """Press a key, and wait for a text."""
        os.write(self.descriptor, press.encode())
        seen, end = "", time.monotonic() + 20
        while text not in seen and time.monotonic() < end:
            if select.select([self.descriptor], [], [], 0.2)[0]:
                try:
                    seen += os.read(self.descriptor, 65536).decode("utf-8", "replace")
                except OSError:
                    break
        assert text in seen, seen[-2000:]
        return seen


def test_one_step_at_a_time_on_and_back() -> None:
    terminal = Terminal("walkthrough", "press-limit", "--step", "--only", "task")
    terminal.until("Step 7 of 18")
    terminal.until("Step 8 of 18", " ")
    terminal.until("Step 9 of 18", " ")
    terminal.until("Step 10 of 18, 1 of 3", "n")
    terminal.until("Step 10 of 18, 2 of 3", "\x1b[C")
    terminal.until("Step 10 of 18, 1 of 3", "b")
    terminal.until("Step 9 of 18", "\x7f")
    terminal.until("Step 8 of 18", "\x1b[5~")
    terminal.until("Step 7 of 18", "\x1b[D")
    terminal.until("Step 7 of 18", "b")  # there is nothing before
    terminal.until("\x1b[?1049l", "q")
    assert os.waitpid(terminal.pid, 0)[1] == 0


def test_a_learner_can_follow_by_hand(tmp_path: Path) -> None:
    """The commands of the Markdown, typed as they stand there, lead to the same files."""
    text = written("press-limit", tmp_path / "steps.md", "--short").read_text("utf-8")
    shell(tmp_path, "mkdir played")
    muddled("plant", "press-limit", tmp_path / "practice", "--quiet")
    work = tmp_path / "practice/work"
    commands = re.findall(r"(?m)^\$ (git (?:merge|add|commit|switch) .*)$", text[text.index("## 7.") :])
    assert commands == ["git merge night-shift", "git add press.toml", "git commit --no-edit"]
    shell(work, f"{commands[0]} || true")
    edit = text[text.index("## 16.") :].split("```diff\n")[1].split("```")[0]
    wanted = [line[1:] for line in edit.splitlines() if line[:1] in "+ "]
    taken = {line[1:] for line in edit.splitlines() if line.startswith("-")}
    lines = (work / "press.toml").read_text("utf-8").splitlines()
    (work / "press.toml").write_text("\n".join(line for line in lines if line not in taken and not line.startswith(("<<<<<<< ", ">>>>>>> "))) + "\n")  # fmt: skip
    assert all(line in (work / "press.toml").read_text("utf-8") for line in wanted)
    for command in commands[1:]:
        subprocess.run(["bash", "-c", command], cwd=work, env=LEARNER, check=True, capture_output=True)
    (found,) = graded(tmp_path / "practice").values()
    assert found["percent"] == 100
