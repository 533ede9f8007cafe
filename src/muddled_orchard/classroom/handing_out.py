"""Hand scenarios out to a class: who gets which variant of which version, and what is still to be made."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from muddled_orchard.classroom.making import HOSTED, Exercise, HandOutToMake, is_made, lying_there
from muddled_orchard.classroom.versions import Mended, keep_version, kept_version, mended
from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner, variant_code
from muddled_orchard.core.course.teams import whose_repository
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.exercise.values import PLAIN_VARIANT
from muddled_orchard.core.exercise.variants import Variants
from muddled_orchard.core.key.answer_key import Key
from muddled_orchard.core.key.graph import handed_out
from muddled_orchard.files.archives.packing import BARE
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.scenarios.catalogue import load, scenario_files, shared_ids
from muddled_orchard.files.scenarios.error_lines import with_lines
from muddled_orchard.files.stored import digest_of
from muddled_orchard.vcs.ask.surveying import surveyor


class Enrolment(Struct, frozen=True):
    """What is to be handed out: the exercises, with earlier versions of them behind those that were named,
    the hand-outs that are to be made, and which scenarios were changed since they were handed out."""

    exercises: Sequence[Exercise]
    wanted: Sequence[HandOutToMake]
    mended: Sequence[Mended]


def exercises_in(places: Sequence[str], form: str) -> list[Exercise]:
    """The scenarios, each sure to work in every variant; raises BadInput with what stands in the way."""
    loaded: list[tuple[Path, Scenario]] = []
    problems: list[Problem] = []
    for path in dict.fromkeys(scenario_files(places)):
        try:
            loaded.append((path, load(path)))
        except BadInput as bad:
            problems += bad.problems
    problems += shared_ids(loaded)
    exercises = []
    with surveyor() as surveying:
        surveys = surveying.survey([scenario for _, scenario in loaded], PLAIN_VARIANT)
        for (path, scenario), survey in zip(loaded, surveys, strict=True):
            if isinstance(survey, BadInput):
                problems += with_lines(survey, path).problems
                continue
            (weak,) = surveying.weak_values([(scenario, survey.key)])
            wrong = [*survey.errors, *weak]
            if form == BARE and scenario.start.own:
                what = "it begins with git init, so there is nothing to clone or to push"
                wrong.append(Problem(what, "Hand it out as an archive or a folder.", ("start", "own")))
            problems += with_lines(BadInput(wrong), path).problems if wrong else ()
            exercises.append(_exercise(scenario, survey.key, form))
    if problems:
        raise BadInput(problems)
    return exercises


def _exercise(scenario: Scenario, key: Key, form: str) -> Exercise:
    graph = handed_out(key, served=form == HOSTED)
    return Exercise(scenario, digest_of(scenario), key, graph, form, Variants(scenario))


def earlier_version(ledger: Ledger, digest: str, form: str) -> Exercise:
    """An exercise as a ledger keeps it. Raises BadInput where it can't be read any more."""
    scenario = kept_version(ledger, digest)
    with surveyor() as surveying:
        (survey,) = surveying.survey([scenario], PLAIN_VARIANT)
    if isinstance(survey, BadInput):
        raise survey
    return _exercise(scenario, survey.key, form)


def enrol(
    ledger: Ledger,
    exercises: Sequence[Exercise],
    learners: Sequence[Learner],
    out: Path,
    urls: Mapping[tuple[str, str], str] | None = None,
    *,
    for_teams: Collection[str] = (),
    replacing: Collection[str] = (),
) -> Enrolment:
    """Write learners and scenarios down, and say what is still to be made: what is not handed out yet, or
    whose file is not there. `urls` are the repositories that they are pushed to, by exercise and learner;
    exercises `for_teams` (by id) each team gets one variant of; learners in `replacing` get the present
    version in the place of another.

    What was handed out of a scenario that was changed since goes on where it hands out the same: it is
    graded by the newer version. Raises BadInput where it hands out something else, and nobody has that yet.
    """
    had = [hand_out for hand_out in ledger.each_hand_out() if hand_out.replaced is None]
    changed = _mended(ledger, exercises, had, replacing)
    secret = ledger.secret()
    ledger.enrol(learners)
    for exercise in exercises:
        keep_version(ledger, exercise.scenario, exercise.digest)
    for one in changed:
        digest = next(it.digest for it in exercises if it.scenario.id == one.exercise)
        ledger.grade_by(one.exercise, one.before, digest)
    given = {(hand_out.exercise, hand_out.learner): hand_out for hand_out in ledger.hand_outs()}
    every = list(exercises)
    numbers = {exercise.digest: number for number, exercise in enumerate(every)}
    wanted = []
    for exercise in exercises:
        id_ = exercise.scenario.id
        for learner in learners:
            url = (urls or {}).get((id_, learner.id))
            had_before = given.get((id_, learner.id))
            anew = (
                learner.id in replacing and had_before is not None and had_before.scenario != exercise.digest
            )
            if had_before is not None and not anew:
                shared = had_before.team if exercise.form == HOSTED else ""
                if is_made(out, exercise, whose_repository(learner.id, shared, had_before, learners), url):
                    continue
                if had_before.scenario not in numbers:
                    numbers[had_before.scenario] = len(every)
                    every.append(earlier_version(ledger, had_before.scenario, exercise.form))
                number, code, team = numbers[had_before.scenario], had_before.variant, had_before.team
            else:
                number, team = numbers[exercise.digest], learner.team if id_ in for_teams else ""
                times = ledger.times_handed_out(id_, learner.id) if anew else 0
                code = variant_code(secret, id_, learner.id, team, times)
            shared = team if exercise.form == HOSTED else ""
            whose = whose_repository(learner.id, shared, had_before, learners)
            piece = HandOutToMake(
                number, learner.id, code, url or "", anew=anew, team=team, whose_repository=whose
            )
            wanted.append(piece)
    if lying_there(every, wanted, out) and _is_new(ledger, secret):
        wanted = [replace(piece, any_variant=True) for piece in wanted]
    return Enrolment(every, wanted, changed)


def once_more(
    ledger: Ledger, learner: str, id_: str, form: str, present: Exercise | None, *, other: bool
) -> Enrolment:
    """What a learner was handed out of an exercise once more, or in another variant: of its `present`
    version, else of that which they had; a team gets another one together. Raises BadInput where they had
    none."""
    every = ledger.hand_outs()
    had = next((it for it in every if (it.exercise, it.learner) == (id_, learner)), None)
    if had is None:
        of_it = [it.learner for it in every if it.exercise == id_]
        known = f"muddled handout {id_} hands it out."
        hint = (likely(learner, of_it) or known) if of_it else likely(id_, [it.exercise for it in every])
        raise BadInput(Problem(f"{learner} was not handed out {id_}", hint))
    same = present if present is not None and present.digest == had.scenario else None
    if not other:
        version = same or earlier_version(ledger, had.scenario, form)
        again = HandOutToMake(0, learner, had.variant, anew=True, team=had.team)
        return Enrolment([version], [again], [])
    version = present or earlier_version(ledger, had.scenario, form)
    keep_version(ledger, version.scenario, version.digest)
    members = [it.learner for it in every if (it.exercise, it.variant) == (id_, had.variant)]
    number = ledger.times_handed_out(id_, learner)
    code = variant_code(ledger.secret(), id_, learner, had.team, number)
    return Enrolment([version], [HandOutToMake(0, it, code, anew=True, team=had.team) for it in members], [])


def refuse_begun(
    ledger: Ledger, exercises: Sequence[str], learners: Sequence[str], known: Collection[str]
) -> None:
    """Raise BadInput where one of these learners has begun one of these exercises, or isn't `known`."""
    problems = [
        Problem(f'there is no learner "{learner}"', likely(learner, known))
        for learner in learners
        if learner not in known
    ]
    problems += [
        Problem(
            f"{learner} has begun {id_}", f"For another one: muddled handout --afresh {learner} {id_} --other"
        )
        for learner in learners
        for id_ in exercises
        if ledger.has_begun(id_, learner)
    ]
    if problems:
        raise BadInput(problems)


def _is_new(ledger: Ledger, secret: bytes) -> bool:
    """Whether a ledger took the place of one that was lost: it gave nobody a variant of its own."""
    return not any(
        hand_out.variant == variant_code(secret, hand_out.exercise, hand_out.learner, hand_out.team)
        for hand_out in ledger.each_hand_out()
    )


def _mended(
    ledger: Ledger, exercises: Sequence[Exercise], had: Sequence[HandOut], replacing: Collection[str]
) -> list[Mended]:
    """The scenarios that were changed since they were handed out. Raises BadInput where one hands out
    something else now, and was not handed out so before."""
    changed = []
    problems = []
    versions = {hand_out.scenario for hand_out in had}
    for exercise in exercises:
        one = mended(ledger, had, exercise.scenario, exercise.digest, exercise.variants)
        if one is None:
            continue
        changed.append(one)
        if one.other and not one.before and exercise.digest not in versions and not replacing:
            what = f"{one.exercise} was changed after it had been handed out: {one.other}"
            hint = (
                "Give it a new id. Or hand it out anew to those who have not begun:\n"
                f"  muddled handout {one.exercise} --anew LEARNER..."
            )
            problems.append(Problem(what, hint))
    if problems:
        raise BadInput(problems)
    return changed
