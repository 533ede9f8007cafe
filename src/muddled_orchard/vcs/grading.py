"""Grade submissions: take over, read, make keys, ask Git what learners really met, assess.

Submissions go through in portions, so that Git is asked once for many of them and memory stays flat.
"""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from itertools import islice
from pathlib import Path
from typing import TypeVar

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.core.base.limits import Exceeded
from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.exercise.asked import Asked
from muddled_orchard.core.exercise.claim import CLAIM, NOTHING_KNOWN, Claims, ExerciseVariant
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assess import assess
from muddled_orchard.core.grading.assessment import Assessment, unreadable
from muddled_orchard.core.grading.criteria.rules import judged_tree
from muddled_orchard.core.grading.laying_out import lay_out
from muddled_orchard.core.grading.locating.locate import MergeRequest, grew_from, locate, merges_needed
from muddled_orchard.core.grading.locating.results import Result
from muddled_orchard.core.grading.own_conflicts import (
    own_attempts,
    own_task,
    requests_of,
    with_own_steps,
)
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.merging.conflict import MergeResult, relabelled
from muddled_orchard.core.submission.clones import as_handed_out
from muddled_orchard.core.submission.file_source import FileSource
from muddled_orchard.core.submission.own_beginning import from_own_beginning
from muddled_orchard.core.submission.submission import Submission
from muddled_orchard.system.log import log
from muddled_orchard.system.temporary import temporary_folder
from muddled_orchard.vcs.ask import git
from muddled_orchard.vcs.ask.keymaking import make_keys
from muddled_orchard.vcs.ask.scratch import OURS, THEIRS, Question, ScratchRepository
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.quarantine import Unreadable, find_repository, take_over
from muddled_orchard.vcs.read.reader import WHOLE, Reader
from muddled_orchard.vcs.read.rewritten import rewritten
from muddled_orchard.vcs.walkthrough.given_states import GivenStates
from muddled_orchard.vcs.write.practice import WORK

SUBMISSIONS_AT_ONCE = 64

_MOST_HELD = 8 << 20
"""How many bytes the submissions of a portion may hold in memory before it is gone through."""

FindScenario = Callable[[ExerciseVariant], Scenario | None]
"""Gives the scenario that a hand-out is graded by, or None; raises BadInput where its file is at fault."""

OpenPlace = Callable[[Path], FileSource]
"""Gives the files of a submission; raises Exceeded where they can't be had."""


class _Admitted(Struct, frozen=True):
    """A submission whose repository was taken over and names its exercise; `held` is how many bytes of it are
    in memory."""

    hand_out: ExerciseVariant
    reader: Reader
    title: str = ""
    held: int = 0


class _Keyed(_Admitted, frozen=True, kw_only=True):
    """An admitted submission with the key that it is held against."""

    key: Key


class _Located(Struct, frozen=True):
    """A submission that was read, with where the result of each task lies in it; `told` is what its hand-out
    says was asked."""

    hand_out: ExerciseVariant
    title: str
    submission: Submission
    results: tuple[Result, ...]
    told: Asked | None = None


class _Asked(_Located, frozen=True, kw_only=True):
    """A located submission with the merges that Git is asked for, since the learner met them and the key
    did not."""

    merges: tuple[tuple[MergeRequest, Question], ...]


# How far the grading of one submission is. It ends as an Assessment, at any stage where it fails.
_FromT = TypeVar("_FromT", Path, _Admitted, _Keyed, _Located, _Asked)
_ToT = TypeVar("_ToT", _Admitted, _Keyed, _Located, _Asked, Assessment)


def _advance(
    stages: Iterable[_FromT | Assessment], step: Callable[[_FromT], _ToT]
) -> list[_ToT | Assessment]:
    """What `step` makes of each submission; those that have ended stay as they are."""
    return [stage if isinstance(stage, Assessment) else _attempt(step, stage) for stage in stages]


def _attempt(step: Callable[[_FromT], _ToT], stage: _FromT) -> _ToT | Assessment:
    """What `step` makes of one submission, or the assessment that says why it can't be graded."""
    try:
        return step(stage)
    except (Unreadable, Exceeded) as problem:
        reason = str(problem)
    except MemoryError:
        reason = "reading it takes more memory than one submission may"
    except RecursionError:
        reason = "it is nested too deeply to be read"
    except Exception as error:
        # Whatever it is, it must not cost the rest of a class their marks; it is told, not hidden.
        log().exception("grading failed at %s", stage if isinstance(stage, Path) else stage.hand_out)
        detail = brief(str(error), 100)
        reason = f"grading it failed ({type(error).__name__}: {detail}); a person has to look"
    log().info("not graded: %s: %s", stage if isinstance(stage, Path) else stage.hand_out, reason)
    if isinstance(stage, Path):
        return unreadable(reason)
    return unreadable(reason, stage.hand_out.exercise, stage.title, stage.hand_out.variant)


class Grader:
    """Grades any number of submissions; keys are made once for each variant.

    `find_scenario` gives the scenario of a hand-out, or None; `open_place` opens a submission;
    `claims` are known of submissions besides what they say, so that clones without the first commit can be
    graded; `run_rules`: the commands of rules are run, in a sandbox; `tells_given`: what was
    handed out done already is told apart; `pushes` may be set to who pushed what is graded next
    (`Evidence.pushes`). What comes of a submission never depends on those graded before.
    Use it as `with grader(...)`.
    """

    def __init__(
        self,
        folder: Path,
        find_scenario: FindScenario,
        open_place: OpenPlace = DiskSource,
        claims: Claims = NOTHING_KNOWN,
        *,
        run_rules: bool = False,
        tells_given: bool = True,
    ) -> None:
        self._folder = folder
        self._runs = run_rules
        self._open = open_place
        self._find = find_scenario
        self.claims = claims
        self.pushes: tuple[tuple[str, tuple[str, ...]], ...] = ()
        self._scratch = ScratchRepository(folder / "scratch.git")
        self._keys: dict[ExerciseVariant, Key | BadInput] = {}
        self._given = GivenStates(find_scenario, self._grade_given) if tells_given else None

    def grade(self, submissions: Sequence[Path]) -> Iterator[Assessment]:
        """The assessment of each submission, in order. One that can't be read costs itself alone."""
        portion: list[_Admitted | Assessment] = []
        held = 0
        for source in submissions:
            stage = _attempt(self._admit, source)
            portion.append(stage)
            held += stage.held if isinstance(stage, _Admitted) else 0
            if len(portion) == SUBMISSIONS_AT_ONCE or held > _MOST_HELD:
                yield from self._portion(portion)
                portion, held = [], 0
        yield from self._portion(portion)

    def _portion(self, admitted: Sequence[_Admitted | Assessment]) -> list[Assessment]:
        self._make_keys([stage.hand_out for stage in admitted if isinstance(stage, _Admitted)])
        located = _advance(_advance(admitted, self._with_key), _locate)
        return _advance(self._with_merges(located), self._assess)

    def _admit(self, source: Path) -> _Admitted:
        place = self._open(source)
        repository = find_repository(place)
        if repository is None:
            begins = any(place.kind(path) == "file" for path in (CLAIM, f"{WORK}/{CLAIM}"))
            yet = " yet: it begins with git init" if begins else ""
            raise Unreadable(f"there is no Git repository in it{yet}")
        reader = Reader(take_over(place, repository))
        hand_out = reader.hand_out(self.claims.commits) or self.claims.otherwise
        if hand_out is None and reader.shallow:
            raise Unreadable(
                f"it is a shallow clone, which lacks the first commit, where the exercise is named; {WHOLE}"
            )
        if hand_out is None:
            raise Unreadable(
                f"its first commit names no exercise, nor does a file {CLAIM}: it was not planted by muddled"
            )
        return _Admitted(hand_out, reader, held=place.size)

    def _make_keys(self, hand_outs: Sequence[ExerciseVariant]) -> None:
        """Make the keys of a portion; those of the portion before are kept where they serve it too."""
        self._keys = {hand_out: key for hand_out, key in self._keys.items() if hand_out in set(hand_outs)}
        wanted: dict[ExerciseVariant, Scenario] = {}
        for hand_out in dict.fromkeys(hand_outs):
            if hand_out in self._keys:
                continue
            try:
                scenario = self._find(hand_out)
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
            log().exception("keys can't be made")
            if len(wanted) > 1:
                return [self._keys_of([asked_for])[0] for asked_for in wanted]
            return [BadInput(Problem(f"its key can't be made ({type(error).__name__})"))]

    def _with_key(self, admitted: _Admitted) -> _Keyed:
        hand_out = admitted.hand_out
        key = self._keys.get(hand_out)
        if key is None:
            raise Unreadable(
                f'no scenario "{brief(hand_out.exercise)}" is known here; name its file with --scenarios FILE'
            )
        if isinstance(key, BadInput):
            # A learner can write any variant into a commit; that must not cost the others their marks.
            variant, first = brief(hand_out.variant), key.problems[0]
            if first.file is not None:
                raise Unreadable(f"its scenario has a mistake: {brief(str(first), 200)}")
            problem = brief(first.what, 200)
            raise Unreadable(f'the exercise can\'t be built for its variant "{variant}": {problem}')
        return _Keyed(hand_out, admitted.reader, key.scenario.title, key=key)

    def _with_merges(self, located: Sequence[_Located | Assessment]) -> list[_Located | Assessment]:
        """Add the merges of learners who came to a step with other content than the key's, in one call of
        Git; one by one where one of them makes that fail."""
        before = dict(self._scratch.objects.held)
        asked = _advance(located, self._ask)
        asked_of = [stage.merges if isinstance(stage, _Asked) else () for stage in asked]
        try:
            answers = iter(self._scratch.merges([question for merges in asked_of for _, question in merges]))
        except Exception:
            log().exception("merges can't be had at once")
            merged: list[_Located | Assessment] = []
            for stage in located:
                # What was written of the others must not be what makes this one fail.
                self._scratch.objects.held = dict(before)
                merged += _advance([stage], self._with_merges_alone)
            return merged
        shares = [list(islice(answers, len(merges))) for merges in asked_of]
        return [
            stage if isinstance(stage, Assessment) else _attempt(partial(self._take, answers=share), stage)
            for stage, share in zip(asked, shares, strict=True)
        ]

    def _with_merges_alone(self, located: _Located) -> _Located:
        asked = self._ask(located)
        return self._take(asked, self._scratch.merges([question for _, question in asked.merges]))

    def _ask(self, located: _Located) -> _Asked:
        """Write what the learner met into the scratch repository, and say what to ask of it."""
        submission = located.submission
        key = submission.key
        times = {id_: commit.time for id_, commit in zip(key.ids, key.history.commits, strict=True)}
        objects = self._scratch.objects
        done: dict[str, str] = {}
        merges = []
        for wanted in _merges_needed(located):
            tips = (wanted.ours, wanted.theirs)
            # Done here and not when Git is asked: what can't be written costs this submission alone.
            ours, theirs = (rewritten(objects, tip, submission, done) for tip in tips)
            question = Question(
                tips, submission.commits, submission.texts, times, wanted.base, (ours, theirs)
            )
            merges.append((wanted, question))
        about = (located.hand_out, located.title, submission, located.results)
        return _Asked(*about, merges=tuple(merges), told=located.told)

    def _take(self, asked: _Asked, answers: Sequence[MergeResult]) -> _Located:
        """The submission with what Git answered."""
        submission = asked.submission
        evidence, key = submission.evidence, submission.key
        texts, merges = dict(submission.texts), dict(evidence.merges)
        for (wanted, _), answer in zip(asked.merges, answers, strict=True):
            merge = relabelled(answer, dict(zip((OURS, THEIRS), wanted.labels, strict=True)))
            self._scratch.read_texts(texts, merge)
            merges[wanted.place] = merge
        if asked.merges:
            more = {id_: text for id_, text in texts.items() if id_ not in key.texts}
            submission = Submission(replace(evidence, texts=more, merges=merges), key)
        results = asked.results
        if own_task(key) is not None:
            submission, results = with_own_steps(submission, own_attempts(submission))
        return _Located(asked.hand_out, asked.title, submission, results, told=asked.told)

    def _assess(self, located: _Located) -> Assessment:
        submission, results = located.submission, located.results
        rules = submission.key.scenario.rule
        if self._runs and any(rule.runs is not None for rule in rules):
            from muddled_orchard.vcs.rule_runs import run_rules  # a sandbox is loaded for it

            tree = judged_tree(lay_out(submission, results))
            runs = run_rules(rules, tree, submission.texts, self._folder)
            submission = Submission(replace(submission.evidence, runs=runs), submission.key)
        if self.pushes:
            submission = Submission(replace(submission.evidence, pushes=self.pushes), submission.key)
        assessment = assess(submission, results)
        return self._given.taken_off(assessment, submission, located.told) if self._given else assessment

    def _grade_given(self, repository: Path) -> Assessment:
        """The assessment of a state that we made ourselves; nothing of it counts as given."""
        folder = Path(tempfile.mkdtemp(prefix="given-", dir=self._folder))
        try:
            (assessment,) = Grader(folder, self._find, tells_given=False).grade([repository])
            return assessment
        finally:
            shutil.rmtree(folder, ignore_errors=True)


def _merges_needed(located: _Located) -> list[MergeRequest]:
    """What Git is asked of a submission: what the learner met, or made."""
    if own_task(located.submission.key) is not None:
        return requests_of(own_attempts(located.submission))
    return merges_needed(located.results, located.submission)


def _locate(keyed: _Keyed) -> _Located:
    key = keyed.key
    if key.scenario.start.own:
        evidence, key = from_own_beginning(keyed.reader.evidence((), {}), key)
    else:
        evidence = keyed.reader.evidence(key.commits, key.texts)
    submission = Submission(as_handed_out(evidence, key), key)
    if not grew_from(submission):
        raise Unreadable(
            "its commits are not those of this scenario: the scenario was changed after handing out, "
            "or the history was rewritten from its first commit on"
        )
    told = keyed.reader.asked()
    return _Located(keyed.hand_out, keyed.title, submission, locate(submission), told=told)


@contextmanager
def grader(
    find_scenario: FindScenario, open_place: OpenPlace = DiskSource, *, run_rules: bool = False
) -> Iterator[Grader]:
    """A grader with a temporary folder of its own, which is gone afterwards."""
    git.require()
    with temporary_folder() as folder:
        yield Grader(folder, find_scenario, open_place, run_rules=run_rules)
