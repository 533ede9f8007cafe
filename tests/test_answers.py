"""Answers with more than a word: worth, weights, rules for lines, edits outside the hunks."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from muddled_orchard.core.exercise.scenario import AnswerChange
from muddled_orchard.core.exercise.text_rules import TextRules, flaw_in, in_words
from muddled_orchard.core.grading.hints import hints, right_already
from muddled_orchard.core.grading.summary import standing, summary
from muddled_orchard.core.key.outside_edits import edited
from tests.conftest import muddled, shell
from tests.scenarios import HEADER
from tests.truth import Story

BASE = "limit = 80\nwater = 1\nsoap = 2\nrate = 3\nbrush = 4\nfan = 5\n\nname = old\n"
OURS, THEIRS = (
    BASE.replace("80", limit).replace("old", name) for limit, name in (("90", "day"), ("70", "night"))
)
ANSWERS = (
    r"""
file = "press.txt"
keep = ["theirs", { once = ["day", "night"], lacks = "old", weight = 2 }]
change = [{ find = "rate = 3", put = "rate = 4", matches = '^rate\s*=\s*4\b' }]
why = "The night needs less."
""",
    """
file = "press.txt"
keep = ["ours", [{ keep = "theirs", worth = 0.5 }, "ours"]]
worth = 0.5
why = "The day's limit is safe, only slow."
""",
)

# The learner's two hunks and the line between them, the share of resolution, what becomes of `rest`, what is said.
LEFT = {
    "the key's own": ("70", "name = day\nname = night", "rate = 4", 1, "met", ""),
    "other words, other spaces": ("70", "names = night, day", "rate =  4  # more", 1, "met", ""),
    "a rule is broken": ("70", "name = day\nname = day", "rate = 4", 1 / 3, "met", 'wanted: lines with "day" and "night", each once, without "old"'),
    "a side that no rule takes": ("70", "name = night", "rate = 4", 1 / 3, "met", "theirs (topic) was kept"),
    "nothing changed outside": ("70", "name = day night", "rate = 3", 1, "missed", ""),
    "something else outside": ("70", "name = day night", "rate = 5", 1, "missed", ""),
    "the lesser way": ("90", "name = day", "rate = 3", 1 / 2, "met", "press.txt, line 1: ours (main) was kept, which earns 50 % of its points; wanted: theirs (topic). press.txt, line 8"),
    "the lesser way, and less in it": ("90", "name = night", "rate = 3", (0.5 + 2 * 0.25) / 3, "met", "earns 25 % of its points"),
}  # fmt: skip


@pytest.mark.parametrize("name", LEFT)
def test_worth_weights_rules_and_edits(name: str) -> None:
    limit, names, rate, share, rest, said = LEFT[name]
    story = Story()
    story.commit("main", "Begin", {"press.txt": BASE})
    story.commit("topic", "Theirs", {"press.txt": THEIRS})
    story.commit("main", "Ours", {"press.txt": OURS})
    story.ask('do = "merge"\non = "main"\nbring = "topic"\n', ANSWERS)
    story.plant()
    story.git("merge", "-q", "topic", fails=True)
    text = BASE.replace("80", limit).replace("name = old", names).replace("rate = 3", rate)
    story.write({"press.txt": text})
    story.git("commit", "-q", "-m", "merged")
    got = story.assessment()
    by_id = {criterion.id: criterion for criterion in got.criteria}
    resolution = by_id["resolution"]
    assert resolution.outcome.share == pytest.approx(share)
    assert by_id["rest"].outcome.verdict == rest
    assert resolution.points == pytest.approx(14 * share, abs=0.01)
    assert said in resolution.outcome.because
    assert [hunk.weight for hunk in got.hunks] == [1, 2]
    lesser = any(0 < hunk.worth < 1 for hunk in got.hunks)
    assert ("earns only a part" in summary(got)) == lesser
    assert standing(got) == (
        "got it" if share == 1 and rest == "met" else "almost" if share == 1 else "not yet"
    )
    told = " ".join(hint.text for hint in hints(got, 3)) + " ".join(right_already(got))
    assert "wanted" not in told
    assert "earns" not in told


def test_rules_for_texts_say_what_is_wrong_and_what_they_ask() -> None:
    rules = TextRules(has=("a", "b"), once="c", lacks="d", matches="^e")
    assert in_words(rules) == 'with "a" and "b"; "c", once, without "d", that match ^e'
    assert flaw_in(rules, "b a\r\nc\r\nexit", "it") is None
    for text, flaw in (("b", '"a" is missing'), ("abcc", '"c" occurs 2 times, not once'), ("abcd", '"d" is in it'), ("abc e", "nothing in it matches ^e")):  # fmt: skip
        assert flaw_in(rules, text, "it") == flaw


def test_edits_outside_the_hunks_keep_the_lines_around() -> None:
    stretches = [("one\n", "two\n", "three\n"), ("four\n", "five")]
    free = TextRules(has="TWO")
    changes = [
        AnswerChange(find="two", put="TWO", has="TWO"),
        AnswerChange(after="five", put="six"),
        AnswerChange(find="one\n", put=""),
        AnswerChange(before="four", put="3\n3.5"),
    ]
    problems: list[object] = []
    clean, stretches_free = edited(stretches, changes, ("answer", 0, "change"), problems)  # type: ignore[arg-type]  # any list
    assert (clean, problems) == ((("TWO\n", "three\n"), ("3\n", "3.5\n", "four\n", "five\n", "six\n")), [])
    assert [(f.stretch, f.start, f.stop, f.rules, f.merged) for f in stretches_free] == [
        (0, 0, 1, free, ("two\n",))
    ]
    joined, _ = edited([("a\n", "b\n", "c\n")], [AnswerChange(find="a\nb", put="a b")], (), [])
    assert joined == (("a b\n", "c\n"),)
    edited(stretches, [AnswerChange(find="o", put=""), AnswerChange(after="on", put="")], (), problems)  # type: ignore[arg-type]  # any list
    assert [str(problem).split(":")[-1].split("\n")[0] for problem in problems] == [" find occurs 3 times outside the hunks, not once", " after does not occur as a whole line outside the hunks, not once"]  # fmt: skip


def test_survey_shows_all_of_it_and_edits_alone_mend_a_clean_merge(tmp_path: Path) -> None:
    answers = "".join(f"[[answer]]\n{answer}" for answer in ANSWERS)
    story = "".join(
        f'[[story]]\non = "{branch}"\nby = "maren"\n{more}write = {{ "press.txt" = {json.dumps(text)}, "fan.txt" = "1\\n2\\n" }}\n'
        for branch, text, more in (
            ("main", BASE, ""),
            ("topic", THEIRS, 'from = "main"\n'),
            ("main", OURS, ""),
        )
    )
    more = '[[answer]]\nfile = "fan.txt"\nchange = [{ find = "2", put = "3", once = ["3"] }]\n'
    (tmp_path / "free.toml").write_text(HEADER.replace("hive-notes", "free") + story + '[[task]]\ndo = "merge"\nbring = "topic"\n' + answers + more)  # fmt: skip
    said = " ".join(muddled("survey", "free.toml", folder=tmp_path).stdout.split())
    for shown in ("accepted: theirs or ours (50 % of the points)", 'accepted (counts 2 times): lines with "day" and "night", each once, without "old" or ours (50 % of the points) or theirs (25 % of the points)', "and beyond the hunks:", "+rate = 4", "fan.txt merges cleanly and is to be changed all the same"):  # fmt: skip
        assert shown in said
    (conflict,) = json.loads(muddled("survey", "free.toml", "--json", folder=tmp_path).stdout)["surveys"][0]["tasks"][0]["steps"][0]["conflicts"]  # fmt: skip
    assert [(answer["worth"], answer["weights"]) for answer in conflict["answers"]] == [
        (1, [1, 2]),
        (0.5, [1, 2]),
    ]
    assert [choice["by_rules"] for hunk in conflict["answers"][0]["hunks"] for choice in hunk] == [
        False,
        True,
    ]
    muddled("plant", "free.toml", "new", folder=tmp_path)
    for fan, verdict in (("1\n3 # three\n", "met"), ("1\n2\n", "missed")):
        shell(tmp_path / "new/work", "git merge -q topic || true")
        (tmp_path / "new/work/press.txt").write_text(BASE.replace("80", "70").replace("old", "day night").replace("rate = 3", "rate = 4"))  # fmt: skip
        (tmp_path / "new/work/fan.txt").write_text(fan)
        shell(tmp_path / "new/work", "git add -A && git commit -q -m merged")
        result = json.loads(muddled("grade", "new", "--scenarios", "free.toml", "--json", folder=tmp_path).stdout)  # fmt: skip
        (rest,) = [c for c in result["submissions"][0]["criteria"] if c["id"] == "rest"]
        assert rest["outcome"] == verdict, rest
        shell(tmp_path / "new/work", "git reset -q --hard HEAD~1")


# What is asked, what the learner says (None: what Git proposes), the share, what is told.
MESSAGES = {
    "own, and it is": ("merge", '"own"', "Take the night limit: the frame is cracked", 1, "as asked"),
    "own, and it is Git's": ("merge", '"own"', None, 0, "as Git proposed; it was to say in own words"),
    "own, below Git's": ("merge", '"own"', "Merge branch 'topic'\n\nThe night limit counts.", 1, "as asked"),
    "own, and one word": ("merge", '"own"', "wip", 0, 'says only "wip"'),
    "own, and too long": ("merge", '"own"', "Take the limit " + "of the night " * 6, 0.5, "has 92 letters"),
    "Git's, and it is": ("merge", '"proposed"', None, 1, "as asked"),
    "Git's, into another branch": ("merge", '"proposed"', "Merge remote-tracking branch 'origin/topic' into main", 1, "as asked"),
    "Git's, and it is not": ("merge", '"proposed"', "merged", 0, "Git's own message was to be kept"),
    "rules": ("merge", '{ has = "night", lacks = "wip" }', "At night: 70", 1, "as asked"),
    "rules, broken": ("merge", '{ has = ["night", "70"] }', "At night", 0, '"70" is missing'),
    "a picked commit keeps its own": ("pick", '"proposed"', None, 1, "as asked"),
    "a picked commit is reworded": ("pick", '"proposed"', "Other", 0, "the commit's own message was to be kept"),
    "a picked commit says more": ("pick", '"own"', "Theirs\n\nFor the shop as well.", 1, "as asked"),
    "a picked commit says where from": ("pick", '"own"', "Theirs\n\n(cherry picked from commit 12345)", 0, "as the commit said before"),
    "a revert says why": ("revert", '"own"', "Revert \"Theirs\"\n\nThe frame is mended.", 1, "as asked"),
    "a revert says nothing more": ("revert", '"own"', None, 0, "own words"),
}  # fmt: skip


@pytest.mark.parametrize("name", MESSAGES)
def test_messages_are_as_asked(name: str) -> None:
    do, asked, message, share, said = MESSAGES[name]
    story = Story()
    story.commit("main", "Begin", {"press.txt": BASE})
    story.commit("main" if do == "revert" else "topic", "Theirs", {"press.txt": THEIRS})
    story.commit("main", "Ours", {"press.txt": OURS})
    keys, begin = {
        "merge": ('do = "merge"\nbring = "topic"', ["merge", "topic"]),
        "pick": ('do = "cherry-pick"\npick = ["Theirs"]', ["cherry-pick", "topic"]),
        "revert": ('do = "revert"\nundo = "Theirs"', ["revert", "--no-edit", "HEAD~1"]),
    }[do]
    answer = f'file = "press.txt"\ntext = {json.dumps(BASE)}\n'
    story.ask(f'{keys}\non = "main"\nmessage = {asked}\n', [answer])
    story.plant()
    story.git(*begin, fails=True)
    story.write({"press.txt": BASE.replace("80", "85")})
    story.git("commit", "-q", *(["-m", message] if message else ["--no-edit"]))
    by_id = {criterion.id: criterion.outcome for criterion in story.assessment().criteria}
    assert by_id["message"].share == share, by_id["message"].because
    assert said in by_id["message"].because
    assert by_id["history"].verdict == "met", by_id["history"].because
