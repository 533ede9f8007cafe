"""Walk through a scenario, and leave a repository at any step of it."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

from msgspec.structs import replace

from muddled_orchard.core.exercise.asked import ASKED, asked_by
from muddled_orchard.core.exercise.operations.am import MAILBOX
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.story import story_until
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.git.trees import EXECUTABLE, LINK, PLAIN_FILE, File, Files
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.submission.file_source import Kind, MemorySource
from muddled_orchard.core.submission.identity import work_id
from muddled_orchard.core.walkthrough.step_names import is_step, no_such_step
from muddled_orchard.core.walkthrough.walkthrough import COLLEAGUE, Walkthrough, WalkthroughStep
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.ask.keymaking import key_of
from muddled_orchard.vcs.asked_file import asked_file
from muddled_orchard.vcs.planting import Practice, example_of, read_files, write_files
from muddled_orchard.vcs.read.quarantine import find_repository, take_over
from muddled_orchard.vcs.read.reader import Reader
from muddled_orchard.vcs.walkthrough.building import build, build_steps
from muddled_orchard.vcs.walkthrough.recorder import Recorder, StepReached
from muddled_orchard.vcs.walkthrough.tasks_shown import carry_out
from muddled_orchard.vcs.write.practice import WORK, practice_files


def walk_through(scenario: Scenario, code: str, *, with_key: bool = True) -> Walkthrough:
    """Carry a whole demonstration of a variant out in a folder of its own, with real Git, and record it.

    Without the key it ends where the first conflict is to be resolved. Raises BadInput where the variant has
    no key, or there is no Git.
    """
    variants = Variants(scenario)
    key = key_of(variants, code)
    mailbox = example_of(variants, code).files.get(MAILBOX)
    with temporary_folder() as room:
        recorder = Recorder(room, key)
        build(recorder, mailbox.data if mailbox else None)
        with suppress(StepReached):  # without the key it ends earlier
            carry_out(recorder, with_key=with_key)
        recorder.close_step()
    return Walkthrough(
        id=key.scenario.id,
        title=key.scenario.title.strip(),
        language=key.scenario.language,
        brief=key.scenario.brief_for(),
        variant=code,
        steps=tuple(recorder.steps),
    )


def steps_of(scenario: Scenario, code: str) -> Sequence[WalkthroughStep]:
    """The steps of a walkthrough in order, with their names and titles alone. Raises BadInput as it does."""
    variants = Variants(scenario)
    return _at(key_of(variants, code), code, variants, None)[1]


def practice_at(
    scenario: Scenario, code: str, asked: str, key: Key | None = None
) -> tuple[Practice, WalkthroughStep]:
    """A variant as it stands after the step of its walkthrough that has this number or name, left there by
    real Git, and that step. `key` is the variant's, where it is known. Raises BadInput where there is no such
    step, or the variant has no key."""
    variants = Variants(scenario)
    key = key or key_of(variants, code)
    practice, steps = _at(key, code, variants, asked)
    if not is_step(asked, steps[-1].number, steps[-1].name, len(key.scenario.task)):
        raise no_such_step(asked, steps)
    return practice, steps[-1]


def _at(
    key: Key, code: str, variants: Variants, asked: str | None
) -> tuple[Practice, Sequence[WalkthroughStep]]:
    """What stands after a step, and all steps up to it; with none that there is, after all of them."""
    tasks = len(key.scenario.task)
    built = build_steps(key.scenario, key.history)
    for place, step in enumerate(built):
        if asked is not None and is_step(asked, step.number, step.name, tasks):
            if place < len(key.history.commits):
                return _unfinished(key, place + 1), built[: place + 1]
            return example_of(variants, code), built[: place + 1]
    practice = example_of(variants, code)
    with temporary_folder() as room:
        write_files(room, practice.files)
        recorder = Recorder(room, key, looking=False)
        recorder.steps += built
        if asked is not None:
            recorder.ends = lambda step: is_step(asked, step.number, step.name, tasks)
        with suppress(StepReached):
            carry_out(recorder)
            recorder.close_step()
        files = dict(read_files(room))
    files = {path: file for path, file in files.items() if path.split("/")[0] not in (COLLEAGUE, "todo")}
    files[f"{WORK}/.git/{ASKED}"] = _asked(practice, recorder.steps[-1].name, _work_id(files, key))
    return replace(practice, files=files), recorder.steps


def _unfinished(key: Key, count: int) -> Practice:
    """The story after so many commits; nothing is asked yet."""
    history = story_until(key.scenario, key.variant, count)
    files, ids = practice_files(history)
    return Practice(key.scenario, history, ids, files)


def _asked(practice: Practice, step: str, work: str) -> File:
    """What is asked, and what was given away: a grader must know."""
    asked = asked_by(practice.scenario, practice.history, practice.ids)
    return File(PLAIN_FILE, asked_file(replace(asked, at=step, given=work)))


def _work_id(files: Files, key: Key) -> str:
    """The id of the work that a practice folder holds, as its grader has it."""
    place = MemorySource()
    for path, file in files.items():
        kind: Kind = "link" if file.mode == LINK else "file"
        place.add(path, kind, file.data, executable=file.mode == EXECUTABLE)
    repository = find_repository(place)
    if repository is None:
        return ""
    return work_id(Reader(take_over(place, repository)).evidence(key.commits, key.texts))
