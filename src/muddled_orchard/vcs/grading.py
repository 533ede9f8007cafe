"""Grade submissions: take over, read, make keys, ask Git what learners really met, assess.

Submissions go through in portions, so that Git is asked once for many of them and memory stays flat.
"""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from muddled_orchard.core.base.limits import Exceeded
from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assess import assess
from muddled_orchard.core.grading.assessment import Assessment, unreadable
from muddled_orchard.core.grading.locating.locate import MergeRequest, grew_from, locate, merges_needed
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.merging.conflict import MergeResult, relabelled
from muddled_orchard.core.submission.clones import as_handed_out
from muddled_orchard.core.submission.file_source import FileSource
from muddled_orchard.core.submission.submission import Submission
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.keymaking import make_key, make_keys
from muddled_orchard.vcs.ask.scratch import OURS, THEIRS, Question, ScratchRepository
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.quarantine import Unreadable, find_repository, take_over
from muddled_orchard.vcs.read.reader import WHOLE, ExerciseVariant, Reader
from muddled_orchard.vcs.read.rewritten import rewritten

SUBMISSIONS_AT_ONCE = 64

FindScenario = Callable[[str], Scenario | None]
OpenPlace = Callable[[Path], FileSource]
"""Gives the files of a submission; raises Exceeded where they can't be had."""


@dataclass(slots=True)
class _Progress:
    """How far the grading of one submission is."""

    source: Path
    reader: Reader | None = None
    hand_out: ExerciseVariant | None = None
    title: str = ""
    found: Submission | None = None
    results: tuple[Result, ...] | None = None
    assessment: Assessment | None = None

    def refuse(self, reason: str) -> None:
        self.reader = None
        exercise, variant = (self.hand_out.exercise, self.hand_out.variant) if self.hand_out else ("", "")
        self.assessment = unreadable(reason, exercise, self.title, variant)


class Grader:
    """Grades any number of submissions; keys are made once for each variant.

    `find_scenario` gives the scenario of an exercise's id, or None; `open_place` opens a submission;
    `handed_out` says what commits belong to that a ledger has handed out, so that clones without the first
    one can be graded. What comes of a submission never depends on those graded before. Use it as `with
    grader(...)`.
    """

    def __init__(
        self,
        folder: Path,
        find_scenario: FindScenario,
        open_place: OpenPlace = DiskSource,
        handed_out: Mapping[str, ExerciseVariant] | None = None,
    ) -> None:
        self._folder = folder
        self._open = open_place
        self._find = find_scenario
        self._handed_out = handed_out or {}
        self._scratch = ScratchRepository(folder / "scratch.git")
        self._keys: dict[ExerciseVariant, Key | BadInput] = {}

    def grade(self, submissions: Sequence[Path]) -> Iterator[Assessment]:
        """The assessment of each submission, in order. One that can't be read costs itself alone."""
        for start in range(0, len(submissions), SUBMISSIONS_AT_ONCE):
            yield from self._portion(submissions[start : start + SUBMISSIONS_AT_ONCE])

    def _portion(self, submissions: Sequence[Path]) -> list[Assessment]:
        folder = Path(tempfile.mkdtemp(prefix="quarantine-", dir=self._folder))
        admitted = [_Progress(source) for source in submissions]
        try:
            for number, submission in enumerate(admitted):
                self._attempt(submission, partial(self._admit, folder=folder / str(number)))
            self._make_keys([p for p in admitted if p.hand_out and p.assessment is None])
            for submission in admitted:
                if submission.assessment is None:
                    self._attempt(submission, self._examine)
            self._ask_merges([p for p in admitted if p.assessment is None])
            for submission in admitted:
                if submission.assessment is None:
                    self._attempt(submission, self._assess)
        finally:
            shutil.rmtree(folder, ignore_errors=True)
        return [submission.assessment for submission in admitted if submission.assessment is not None]

    def _attempt(self, submission: _Progress, step: Callable[[_Progress], None]) -> None:
        try:
            step(submission)
        except (Unreadable, Exceeded) as problem:
            submission.refuse(str(problem))
        except MemoryError:
            submission.refuse("reading it takes more memory than one submission may")
        except RecursionError:
            submission.refuse("it is nested too deeply to be read")
        except Exception as error:
            # Whatever it is, it must not cost the rest of a class their marks; it is told, not hidden.
            said = brief(str(error), 100)
            submission.refuse(f"grading it failed ({type(error).__name__}: {said}); a person has to look")

    def _admit(self, submission: _Progress, folder: Path) -> None:
        place = self._open(submission.source)
        found = find_repository(place)
        if found is None:
            raise Unreadable("there is no Git repository in it")
        submission.reader = Reader(take_over(place, found, folder))
        submission.hand_out = submission.reader.hand_out(self._handed_out)
        if submission.hand_out is None and submission.reader.shallow:
            raise Unreadable(
                f"it is a shallow clone, which lacks the first commit, where the exercise is named; {WHOLE}"
            )
        if submission.hand_out is None:
            raise Unreadable("its first commit names no exercise: it was not planted by muddled")

    def _make_keys(self, admitted: Sequence[_Progress]) -> None:
        """Make the keys of a portion; those of the portion before are kept where they serve it too."""
        present = {submission.hand_out for submission in admitted}
        self._keys = {hand_out: key for hand_out, key in self._keys.items() if hand_out in present}
        wanted: dict[ExerciseVariant, Scenario] = {}
        for submission in admitted:
            hand_out = submission.hand_out
            if hand_out is None or hand_out in self._keys or hand_out in wanted:
                continue
            try:
                scenario = self._find(hand_out.exercise)
            except BadInput as bad:
                self._keys[hand_out] = bad
                continue
            if scenario is not None:
                wanted[hand_out] = scenario
        self._keys.update(zip(wanted, self._keys_of(list(wanted.items())), strict=True))

    def _keys_of(self, wanted: Sequence[tuple[ExerciseVariant, Scenario]]) -> list[Key | BadInput]:
        """All at once, or one by one where one of them makes that fail."""
        asked = [(scenario, hand_out.variant) for hand_out, scenario in wanted]
        try:
            return make_keys(self._scratch, asked)
        except Exception as error:
            if len(wanted) > 1:
                return [self._keys_of([one])[0] for one in wanted]
            return [BadInput(Problem(f"its key can't be made ({type(error).__name__})"))]

    def _examine(self, submission: _Progress) -> None:
        assert submission.hand_out is not None and submission.reader is not None  # noqa: S101, PT018
        key = self._keys.get(submission.hand_out)
        if key is None:
            raise Unreadable(
                f'no scenario "{brief(submission.hand_out.exercise)}" is known here; '
                "name its file with --scenarios FILE"
            )
        if isinstance(key, BadInput):
            # A learner can write any variant into a commit; that must not cost the others their marks.
            variant, first = brief(submission.hand_out.variant), key.problems[0]
            if first.file is not None:
                raise Unreadable(f"its scenario has a mistake: {brief(str(first), 200)}")
            problem = brief(first.what, 200)
            raise Unreadable(f'the exercise can\'t be built for its variant "{variant}": {problem}')
        submission.title = key.scenario.title
        evidence = as_handed_out(submission.reader.evidence(key.commits, key.texts), key)
        submission.found = Submission(evidence, key)
        if not grew_from(submission.found):
            raise Unreadable(
                "its commits are not those of this scenario: the scenario was changed after handing out, "
                "or the history was rewritten from its first commit on"
            )

    def _ask_merges(self, admitted: Sequence[_Progress]) -> None:
        """What learners met who came to a step with other content than the key's, in one call; one by one
        where one of them makes that fail."""
        before = dict(self._scratch.objects.held)
        asked: list[tuple[_Progress, MergeRequest, Question]] = []
        for submission in admitted:
            self._attempt(submission, partial(self._need_merges, asked=asked))
        asked = [one for one in asked if one[0].assessment is None]
        try:
            merges = self._scratch.merges([question for _, _, question in asked])
        except Exception:
            if len(admitted) < 2:
                raise
            for submission in admitted:
                # What was written of the others must not be what makes this one fail.
                self._scratch.objects.held = dict(before)
                self._attempt(submission, lambda one: self._ask_merges([one]))
            return
        for (submission, own, question), told in zip(asked, merges, strict=True):
            self._attempt(submission, partial(self._take_merge, own=own, question=question, told=told))

    def _take_merge(
        self, submission: _Progress, own: MergeRequest, question: Question, told: MergeResult
    ) -> None:
        found = submission.found
        if found is None or submission.assessment is not None:
            return
        merge = relabelled(told, dict(zip((OURS, THEIRS), own.labels, strict=True)))
        texts = dict(question.texts)
        self._scratch.read_texts(texts, merge)
        more = {id_: text for id_, text in texts.items() if id_ not in found.key.texts}
        known = {**found.evidence.merges, (own.ours, own.theirs): merge}
        submission.found = Submission(replace(found.evidence, texts=more, merges=known), found.key)

    def _need_merges(
        self, submission: _Progress, asked: list[tuple[_Progress, MergeRequest, Question]]
    ) -> None:
        """Add what to ask for one submission."""
        found = submission.found
        assert found is not None  # noqa: S101 - it was examined
        submission.results = locate(found)
        needed = merges_needed(submission.results, found)
        if not needed:
            return
        evidence, key = found.evidence, found.key
        times = {id_: commit.time for id_, commit in zip(key.ids, key.history.commits, strict=True)}
        objects = self._scratch.objects
        done: dict[str, str] = {}
        for meet in needed:
            tips = (meet.ours, meet.theirs)
            # Done here and not when Git is asked: what can't be written costs this submission alone.
            ours, theirs = (rewritten(objects, tip, evidence, key, done) for tip in tips)
            question = Question(tips, found.commits, found.texts, times, meet.base, (ours, theirs))
            asked.append((submission, meet, question))

    def _assess(self, submission: _Progress) -> None:
        assert submission.found is not None  # noqa: S101 - it was examined
        submission.assessment = assess(submission.found, submission.results)


@contextmanager
def grader(find_scenario: FindScenario, open_place: OpenPlace = DiskSource) -> Iterator[Grader]:
    """A grader with a temporary folder of its own, which is gone afterwards."""
    git.require()
    with temporary_folder() as folder:
        yield Grader(folder, find_scenario, open_place)


def check_key(scenario: Scenario, code: str) -> None:
    """Make sure that this variant has a key; raises BadInput with what stands in the way."""
    git.require()
    with temporary_folder() as folder:
        make_key(ScratchRepository(folder / "scratch.git"), scenario, code)
