"""What Git writes into conflicted files in each of its conflict styles."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.key.answer_key import Key, Step
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.planting import example_of, write_files
from muddled_orchard.vcs.walkthrough.recorder import Recorder
from muddled_orchard.vcs.walkthrough.tasks_shown import carry_out

STYLES = ("merge", "diff3", "zdiff3")
"""What `merge.conflictStyle` can be, the default first."""

Written = Mapping[tuple[int, str], Mapping[str, bytes]]
"""By the place of a step among the key's and by path: the file in each style."""


def written_in_styles(key: Key) -> Written:
    """The conflicted files as a real Git writes them while the tasks are carried out by the key."""
    files = example_of(Variants(key.scenario), key.variant).files
    found: dict[tuple[int, str], dict[str, bytes]] = {}
    for style in STYLES:
        with temporary_folder() as room:
            write_files(room, files)
            recorder = Recorder(room, key, looking=False)
            recorder.settings = {"merge.conflictStyle": style}
            recorder.on_conflict = partial(_note, found, recorder, style)
            carry_out(recorder)
    return found


def _note(
    found: dict[tuple[int, str], dict[str, bytes]],
    recorder: Recorder,
    style: str,
    step: Step,
    paths: Sequence[str],
) -> None:
    for path in paths:
        if (data := recorder.content(path)) is not None:
            found.setdefault((recorder.key.steps.index(step), path), {})[style] = data
