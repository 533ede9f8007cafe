"""What a brief says beside what is asked: how to begin again, where to get help, how to hand in. As Markdown,
and nothing that does not hold for the exercise."""

from __future__ import annotations

from collections.abc import Mapping

from muddled_orchard.core.base.phrases import command, listed
from muddled_orchard.core.exercise.claim import CLAIM
from muddled_orchard.core.exercise.cloning import beyond_a_bundle, lies_uncommitted
from muddled_orchard.core.exercise.own_copy import BeginAgain
from muddled_orchard.core.exercise.scenario import Scenario

STUCK = """\
`git status` says what is under way, and what Git expects next. Where `muddled` is installed, `muddled peek`
says what is left to do. Else ask your instructor, and send the folder along as it is.
"""


def with_parts(scenario: Scenario, parts: Mapping[str, str]) -> str:
    """The brief, and below it these parts by their headings, as Markdown; empty ones are left out."""
    told = (f"\n## {heading}\n\n{text}" for heading, text in parts.items() if text)
    return scenario.brief_text + "".join(told)


def beginning(scenario: Scenario, again: BeginAgain) -> str:
    """How to begin where nothing was handed out; empty where something was."""
    if not again.from_nothing:
        return ""
    init = command("git", "init", "-b", scenario.task[0].on)
    return (
        f"`work` has no repository yet: you make it. Go into `work`, and begin:\n\n```\n{init}\n```\n\n"
        f"Write files of your own, as many lines as you like, and commit them. Commit `{CLAIM}` along with "
        "them: it says whose work it is.\n"
    )


_HANDING_IN = """\
Hand in the whole folder `{id}`, with `work` in it and everything in `work`. The folder `.git` in it can't be
seen everywhere, and has to come along. {seen}

Packed into one file it is easiest to send:

- Linux and macOS, in the folder above: `tar czf {id}-done.tar.gz {id}`
- Windows: right-click the folder, *Compress to ZIP file*

The file's name doesn't matter: {says} says whose it is.
"""

_BUNDLE = """\

Where only one small file can be sent, `git bundle create {id}-done.bundle --all` (in `work`) packs the
commits alone.
"""

_SEEN = "What is in no commit is not seen as done."
_SEEN_TOO = "What is in no commit yet is seen as well."


def handing_in(scenario: Scenario) -> str:
    """How to hand a folder in; a bundle only where it shows all that is asked."""
    text = _HANDING_IN if beyond_a_bundle(scenario) else _HANDING_IN + _BUNDLE
    says = f"`{CLAIM}`" if scenario.start.own else "the first commit"
    return text.format(id=scenario.id, seen=_SEEN_TOO if lies_uncommitted(scenario) else _SEEN, says=says)


def beginning_again(again: BeginAgain, copy: str = "Unpack what you were given once more") -> str:
    """How to begin again; `copy` says how a new copy is had."""
    if again.from_nothing:
        return f"Make another folder beside `work`, with `{CLAIM}` in it, and begin with `git init` there.\n"
    if not again.branches:
        return f"{copy}, into another folder. No command brings all of it back: it has more than commits.\n"
    lines = "\n".join(again.commands)
    give_up = listed([f"`{words}`" for words in again.give_up], len(again.give_up))
    first = f"Give up what is under way, if anything is: {give_up}.\n" if give_up else ""
    return (
        f"{copy}, into another folder. Or go back in this one.\n{first}"
        f"Then, in `work`:\n\n```\n{lines}\n```\n\n"
        "What you have committed on these branches is gone then.\n"
        + ("Branches that you made stay there: `git branch -D NAME` takes one away.\n" if again.own else "")
    )
