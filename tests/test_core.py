"""Grading on plain data: no repository, no file, no process."""

from __future__ import annotations

from typing import Any

import pytest
from msgspec.structs import replace

from muddled_orchard.core.base.problems import BadInput, likely
from muddled_orchard.core.course.changes import MarkChange, in_order_of_size
from muddled_orchard.core.exercise.file_rules import broken
from muddled_orchard.core.exercise.scenario import Answer, Rule, Scenario
from muddled_orchard.core.exercise.story import is_branch_name, unroll
from muddled_orchard.core.exercise.values import variant_of
from muddled_orchard.core.git.commits import Commit
from muddled_orchard.core.git.lines import lines_of
from muddled_orchard.core.git.pkt_lines import packets
from muddled_orchard.core.git.trees import Blob, bad_path
from muddled_orchard.core.grading.assess import assess
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.locating.locate import locate
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.core.key.answers import accepted_for
from muddled_orchard.core.merging.conflict import Conflict, Hunk, MergedText, MergeResult
from muddled_orchard.core.merging.markers import judged
from muddled_orchard.core.submission.evidence import Evidence, IndexEntry, Move, Pending
from muddled_orchard.core.submission.identity import work_id
from muddled_orchard.core.submission.status import is_backup
from muddled_orchard.core.submission.submission import Submission
from muddled_orchard.files.scenarios.scenario_file import read_scenario
from tests.scenarios import HEADER

PLAIN_VARIANT = 0o100644
BASE, OURS, THEIRS = "a\nlimit 1\nb\nkeep 1\n", "a\nlimit 2\nb\nkeep 1\n", "a\nlimit 3\nb\nkeep 9\n"
MERGED = "a\nlimit 3\nb\nkeep 9\n"
STORY = f"""
[[story]]
on = "main"
by = "maren"
message = "Begin"
write = {{ "f" = {BASE!r} }}
[[story]]
on = "side"
from = "main"
by = "tobias"
message = "Theirs"
change = [{{ file = "f", find = "limit 1", put = "limit 3" }}, {{ file = "f", find = "keep 1", put = "keep 9" }}]
[[story]]
on = "main"
by = "maren"
message = "Ours"
change = [{{ file = "f", find = "limit 1", put = "limit 2" }}]
[[task]]
do = "merge"
on = "main"
bring = "side"
[[answer]]
file = "f"
keep = ["theirs"]
[points]
rest = 4
""".replace("'", '"')


def scenario() -> Scenario:
    found, problems = read_scenario(HEADER + STORY)
    assert found is not None, problems
    return found


def blob(text: str) -> Blob:
    return Blob(PLAIN_VARIANT, f"blob of {text!r}")


def key() -> Key:
    """The key as `vcs.ask.keymaking` would make it, with ids that can be read."""
    commits = {
        "base": Commit("base", (), "Maren", "Begin", {"f": blob(BASE)}),
        "theirs": Commit("theirs", ("base",), "Tobias", "Theirs", {"f": blob(THEIRS)}),
        "ours": Commit("ours", ("base",), "Maren", "Ours", {"f": blob(OURS)}),
    }
    hunk = Hunk(("limit 2\n",), ("limit 3\n",), ("limit 1\n",))
    merged = MergedText((("a\n",), hunk, ("b\n", "keep 9\n")))
    conflict = Conflict("f", "contents", {1: blob(BASE), 2: blob(OURS), 3: blob(THEIRS)}, merged)
    written = scenario()
    step = Step(
        task=1,
        operation=written.task[0],
        ours="ours",
        theirs="theirs",
        ours_name="ours (main)",
        theirs_name="theirs (side)",
        merge=MergeResult({"f": blob("with markers")}, (conflict,)),
        accepted={"f": accepted_for(conflict, written, 1)[0]},
        solved={"f": blob(MERGED)},
    )
    return Key(
        scenario=written,
        variant="0",
        history=unroll(written, "0"),
        ids=("base", "theirs", "ours"),
        solved_tips={"main": "solved", "side": "theirs"},
        handed_out=frozenset(commits),
        commits=commits,
        refs={"refs/heads/main": "ours", "refs/heads/side": "theirs"},
        steps=(step,),
        texts={blob(text).id: text.encode() for text in (BASE, OURS, THEIRS, MERGED)},
    )


def submitted(text: str = MERGED, parents: tuple[str, ...] = ("ours", "theirs"), **more: Any) -> Evidence:
    """A merge commit on main that leaves `text`; anything else can be said differently."""
    commit = Commit("merge", parents, "Ilse", "Merge", {"f": blob(text)})
    plain = Evidence(
        head="main",
        head_commit="merge",
        refs={"refs/heads/main": "merge", "refs/heads/side": "theirs"},
        commits={"merge": commit},
        texts={blob(text).id: text.encode()},
        index=(IndexEntry("f", 0, blob(text)),),
        working={"f": blob(text)},
    )
    return replace(plain, **more)


def lacking(assessment: Assessment) -> dict[str, str]:
    return {
        result.id: result.outcome.verdict
        for result in assessment.criteria
        if result.outcome.verdict not in ("met", "skipped")
    }


HANDED_OUT = {"refs/heads/main": "ours", "refs/heads/side": "theirs"}
AS_GIVEN: dict[str, Any] = {
    "refs": HANDED_OUT, "head_commit": "ours", "commits": {}, "index": (IndexEntry("f", 0, blob(OURS)),), "working": {"f": blob(OURS)},
}  # fmt: skip


@pytest.mark.parametrize(
    ("evidence", "state", "expected", "points"),
    [
        (submitted(), "finished", {}, 26),
        (submitted(OURS), "finished", {"resolution": "missed", "rest": "missed"}, 8),
        (submitted(OURS.replace("keep 1", "keep 9")), "finished", {"resolution": "missed"}, 12),
        (submitted(MERGED + "c\n"), "finished", {"rest": "partly"}, 24),
        (submitted(MERGED.replace("\n", "  \r\n")), "finished", {}, 26),
        (submitted(parents=("ours",)), "finished", {"history": "missed"}, 24),
        (submitted(parents=("theirs", "ours")), "finished", {"history": "missed"}, 24),
        (submitted(parents=("ours", "theirs"), head=None), "finished", {"tidy": "partly"}, 25.5),
        (submitted(refs={**HANDED_OUT, "refs/heads/main": "merge", "refs/heads/side": "merge"}), "finished", {"bystanders": "partly"}, 25.5),
        (submitted(working={"f": blob(MERGED), "f.orig": blob("x")}), "finished", {"tidy": "partly"}, 25.5),
        (submitted(stashes=1), "finished", {"tidy": "partly"}, 25.5),
        (submitted(working=None, index=()), "finished", {}, 26),
        (submitted(**AS_GIVEN), "untouched", dict.fromkeys(("finished", "markers", "history", "resolution", "rest", "bystanders", "tidy"), "missed"), 0),
        (submitted(**{**AS_GIVEN, "pending": Pending("merge", ("theirs",)), "working": {"f": blob(MERGED)}}), "open", {"finished": "missed", "history": "missed"}, 22),
    ],
)  # fmt: skip
def test_a_merge(evidence: Evidence, state: str, expected: dict[str, str], points: float) -> None:
    found = assess(Submission(evidence, key()))
    assert (found.state, lacking(found), found.points, found.possible) == (state, expected, points, 26)


def test_what_was_kept_is_named_with_its_branch() -> None:
    (hunk,) = assess(Submission(submitted(OURS), key())).hunks
    assert (hunk.kept, hunk.accepted, hunk.outcome, hunk.line) == ("ours", ("theirs",), "missed", 2)
    assert (hunk.ours_name, hunk.theirs_name) == ("ours (main)", "theirs (side)")
    assert (hunk.base, hunk.left, hunk.wanted) == ("limit 1\n", "limit 2\n", "limit 3\n")


def with_answers(*answers: Answer) -> Key:
    """The same key with other answers."""
    written = replace(scenario(), answer=answers)
    step = key().steps[0]
    accepted = {"f": accepted_for(step.merge.conflicts[0], written, 1)[0]}
    return replace(key(), scenario=written, steps=(replace(step, accepted=accepted),))


UNMERGED = (IndexEntry("f", 2, blob(OURS)), IndexEntry("f", 3, blob(THEIRS)))
DOUBTS: dict[str, tuple[Evidence, Key, str]] = {
    "nothing": (submitted(), key(), ""),
    "the key is silent": (submitted(), with_answers(), "f conflicts, and the key has no answer for it"),
    "a blank line more": (submitted(MERGED.replace("limit 3\n", "\nlimit 3\n")), key(), "f: hunk 1 differs from the key in blank lines alone"),
    "perhaps a marker": (submitted(MERGED.replace("limit 3\n", "limit 3\nHEAD\n")), key(), "f, line 3: this may be the name that stood behind a conflict marker (HEAD)"),
    "a merge of nothing": (submitted(**{**AS_GIVEN, "pending": Pending("merge", ("nowhere",))}), key(), "a merge of nowhere is under way, but there is no such commit"),
    "a rebase on a branch": (submitted(**{**AS_GIVEN, "pending": Pending("rebase", ("ours",))}), key(), "a rebase is under way, though HEAD is on main and not detached"),
    "HEAD on nothing": (submitted(head="new", head_commit=None), key(), "HEAD is on new, which has no commit"),
}  # fmt: skip


@pytest.mark.parametrize("name", DOUBTS)
def test_doubts_ask_for_a_look(name: str) -> None:
    evidence, graded_by, says = DOUBTS[name]
    found = assess(Submission(evidence, graded_by))
    assert found.needs_a_look == ((says,) if says else ())
    if name == "the key is silent":
        assert found.possible == 12
    if name == "a blank line more":
        assert found.percent == 100


def test_what_the_key_wants_outside_a_hunk_is_told_apart() -> None:
    wanted = with_answers(Answer(file="f", text=MERGED.replace("b\n", "B\n")))
    assert assess(Submission(submitted(MERGED.replace("b\n", "B\n")), wanted)).percent == 100
    found = assess(Submission(submitted(), wanted))
    assert lacking(found) == {"rest": "missed"}
    (rest,) = (criterion for criterion in found.criteria if criterion.id == "rest")
    assert rest.outcome.because.startswith(
        "Here more than the hunk had to be changed, and that was not: f, line 3"
    )


def test_an_aborted_merge_is_told_from_one_that_was_never_begun() -> None:
    moved = submitted(**AS_GIVEN, reflog=(Move("ours", "ours", "reset: moving to HEAD"),))
    assert (
        "as git merge --abort and git stash do"
        in assess(Submission(moved, key())).criteria[0].outcome.because
    )


@pytest.mark.parametrize(
    ("commits", "refs", "shape", "branch"),
    [
        ({"m": ("ours", "theirs")}, {"main": "m"}, "merge", "main"),
        ({"m": ("theirs", "ours")}, {"main": "m"}, "reversed", "main"),
        ({"m": ("theirs", "ours")}, {"side": "m"}, "reversed", "side"),
        ({"x": ("ours",), "m": ("x", "theirs")}, {"main": "m"}, "merge", "main"),
        ({"m": ("ours", "theirs"), "x": ("m",)}, {"main": "x"}, "merge", "main"),
        ({"m": ("ours", "theirs")}, {"try": "m"}, "merge", "try"),
        ({"m": ("ours",)}, {"main": "m"}, "squash", "main"),
        ({"Theirs": ("ours",)}, {"main": "Theirs"}, "rebase", "main"),
        ({}, {"side": "ours"}, "none", "main"),
        ({}, {}, "none", "main"),
    ],
)
def test_where_a_result_lies(
    commits: dict[str, tuple[str, ...]], refs: dict[str, str], shape: str, branch: str
) -> None:
    own = {id_: Commit(id_, parents, "Tobias", id_, {"f": blob(MERGED)}) for id_, parents in commits.items()}
    named = {**HANDED_OUT, **{f"refs/heads/{name}": id_ for name, id_ in refs.items()}}
    evidence = submitted(commits=own, refs=named, head_commit=named["refs/heads/main"])
    if not own:
        evidence = replace(evidence, **{k: v for k, v in AS_GIVEN.items() if k not in ("refs", "commits")})
    (result,) = locate(Submission(evidence, key()))
    assert (result.shape, result.branch) == (shape, branch)


@pytest.mark.parametrize(
    ("line", "sure"),
    [
        ("<<<<<<< HEAD", "sure"), ("=======", "sure"), (">>>>>>> side", "sure"), ("||||||| 1a2b3c4", "sure"),
        ("<<<<<<<<<<<< HEAD", "sure"), ("======= \r", "sure"), ("  <<<<<<< HEAD", "sure"), ("# >>>>>>> side", "sure"),
        ("// =======", "sure"), ("<!-- <<<<<<< HEAD", "sure"), ("<<<<< HEAD", "likely"), (">>>> side", "likely"),
        ("limit = 3 <<<<<<< HEAD", "likely"), ("<<<<", "possible"), ("HEAD", "possible"), ("side", "possible"),
        ("limit = 3", None), ("a << b", None), ("x == y", None), ("- - -", None), ("", None), ("------", None), ("see HEAD", None),
    ],
)  # fmt: skip
def test_lines_that_may_be_markers(line: str, sure: str | None) -> None:
    marker = judged(line + "\n", 7, {"HEAD", "side"})
    assert (marker.sure if marker else None) == sure


@pytest.mark.parametrize(
    ("rule", "text", "says"),
    [
        ({"has": "b"}, "abc", None), ({"has": "x"}, "abc", '"x" is missing'), ({"lacks": "b"}, "a\nb", '"b" is in it'),
        ({"lacks": "x"}, None, None), ({"has": "x"}, None, "the file is missing"), ({"once": "a"}, "a a", "occurs 2 times"),
        ({"matches": "^b$"}, "a\nb\n", None), ({"matches": "^c$"}, "a\nb\n", "nothing in it matches"),
        ({"parses": "toml"}, "a = 1\n", None), ({"parses": "toml"}, "a = \n", "no valid TOML"), ({"parses": "json"}, "[1,]", "no valid JSON"),
        ({"parses": "python"}, "def f(:", "no valid Python"), ({"parses": "xml"}, "<a><b></a>", "no valid XML"),
        ({"parses": "csv"}, "a,b\n1\n", "row 2 has 1 column"), ({"parses": "yaml"}, "a: [1", "no valid YAML"), ({"parses": "yaml"}, "a: 1", None),
        ({"parses": "json"}, "[" * 100_000, "nested too deeply"),
    ],
)  # fmt: skip
def test_rules(rule: dict[str, str], text: str | None, says: str | None) -> None:
    found = broken(Rule(file="f", **rule), None if text is None else text.encode())  # type: ignore[arg-type]  # a table of keywords
    assert (found is None) if says is None else (found is not None and says in found[0])


def test_names_and_words() -> None:
    assert [is_branch_name(name) for name in ("main", "feature/x", "ä", "-x", "a..b", "x.lock", "HEAD", "a//b", "a b", "@", "a@{b", "x.")] == [
        *[True] * 3, *[False] * 9,
    ]  # fmt: skip
    assert [
        bool(bad_path(path)) for path in ("a/b.txt", "/a", "a/../b", ".git/x", "a//b", "x/.GIT/y", "a\\b")
    ] == [False] + [True] * 6
    assert [is_backup(name) for name in ("a.orig", "a_LOCAL_3.toml", "x/a~", "b.toml", "original")] == [
        True
    ] * 3 + [False] * 2
    assert likely("mrege", ["merge", "rebase"]) == 'Did you mean "merge"?'
    assert lines_of(b"a\r\nb\rc\x0cd\n\xff") == ("a\r\n", "b\rc\x0cd\n", "\udcff")


def test_a_variant_keeps_its_values_for_ever() -> None:
    text = HEADER + STORY.replace('message = "Ours"', 'message = "@{row} and @@{row} by @{who}"').replace(
        "[points]", '[values]\nrow = { between = [3, 9] }\nwho = { choose = ["a", "b", "c"] }\n[points]'
    )
    written, problems = read_scenario(text)
    assert written is not None, problems
    messages = [unroll(variant_of(written, code), code).commits[2].message for code in ("0", "1", "5c1d9a")]
    assert messages == ["8 and @{row} by c\n", "5 and @{row} by b\n", "7 and @{row} by c\n"]
    with pytest.raises(BadInput, match="no variant code"):
        variant_of(written, "a b")


@pytest.mark.parametrize(
    ("path", "backup"),
    [
        ("a.txt.orig", True), ("dir/a.REJ", True), ("a.txt~", True), (".#a", True), ("#a#", True), (".a.swp", True),
        ("a_BACKUP_123.txt", True), ("a.LOCAL.7", True), ("a_REMOTE_1.txt", True), ("a_BASE_99", True),
        ("origin.txt", False), ("a.orig.txt", False), ("orig", False), ("#a", False), ("a_BASE_x.txt", False), ("~a", False),
    ],
)  # fmt: skip
def test_names_that_merge_tools_and_editors_leave_behind(path: str, backup: bool) -> None:
    assert is_backup(path) == backup


def test_the_largest_change_comes_first_up_or_down() -> None:
    changes = [MarkChange(submission="", learner=learner, exercise="x", before=before, after=after, parts=(), why="") for learner, before, after in (("a", 50.0, 60.0), ("b", 90.0, 20.0), ("c", 10.0, 40.0))]  # fmt: skip
    assert [one.learner for one in in_order_of_size(changes)] == ["b", "c", "a"]


@pytest.mark.parametrize(("length", "fits"), [(65_520, True), (65_521, False), (4, True), (3, False)])
def test_how_long_a_line_of_gits_protocol_may_be(length: int, fits: bool) -> None:
    data = f"{length:04x}".encode() + b"x" * max(0, length - 4)
    if fits:
        assert list(packets(data)) == [(length, b"x" * (length - 4))]
    else:
        with pytest.raises(BadInput, match="Git's protocol"):
            list(packets(data))


def test_a_work_has_the_id_that_it_always_had() -> None:
    """A person's verdict is kept under it: what evidence comes to know later must not change it."""
    about = Evidence(
        head="main", head_commit="c", refs={"refs/heads/main": "c"}, pending=Pending("merge", ("d",))
    )
    assert work_id(about) == "93f9da61e62dd4e3"
    stopped = [
        replace(about, pending=Pending("cherry-pick", committed=committed)) for committed in (False, True)
    ]
    assert len({*map(work_id, stopped)}) == 2
