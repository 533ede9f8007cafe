"""The JSON that commands print, as types: what they write is checked against these, and docs/schemas is made
of them (`scripts/schema`). Within a `format` keys are only ever added."""

from __future__ import annotations

from typing import Annotated, Literal, NotRequired, TypedDict

from msgspec import Meta

from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.grading.criteria import CRITERIA
from muddled_orchard.core.key.difficulty import LEVELS
from muddled_orchard.core.merging.keep import KEEP, NOT_IN_KEYS

Number = Annotated[float, Meta(ge=0)]
Line = Annotated[int, Meta(ge=1)]
Verdict = Literal["met", "partly", "missed", "skipped"]
State = Literal["finished", "open", "untouched", "unreadable"]


def _about(what: str) -> Meta:
    return Meta(description=what)


def _one_of(*words: str) -> Meta:
    return Meta(extra_json_schema={"enum": list(words)})


class ProblemOut(TypedDict):
    """Something that is wrong with a file that a person wrote."""

    file: str | None
    line: Line | None
    key: Annotated[str, _about("The key in the file, lists counted from 1.")]
    what: str
    hint: Annotated[str, _about("What to do about it; may be empty.")]


# -- grade ----------------------------------------------------------------------------------------------


class PlaceOut(TypedDict):
    """Where something is, as far as that can be said."""

    file: str | None
    line: Line | None
    commit: str | None


class SettledOut(TypedDict):
    """A person's verdict, which the result follows, beside the grader's own."""

    earned: Annotated[float | None, _about("The share that it earns, 0 to 1; null: as graded.")]
    by: str
    reason: str
    made: Annotated[str, _about("When, in UTC.")]
    graded: Annotated[Verdict, _about("The grader's own verdict.")]
    graded_share: Annotated[float, _about("The share that the grader gave, 0 to 1.")]


class CriterionOut(TypedDict):
    """A criterion's verdict."""

    id: Annotated[str, _one_of(*CRITERIA)]
    outcome: Verdict
    points: Number
    possible: Annotated[Number, _about("0 where it was skipped.")]
    because: Annotated[str, _about("Why, in words for the learner; with --for-learner the hint.")]
    where: list[PlaceOut]
    settled: Annotated[SettledOut | None, _about("A person's verdict on it.")]


class HunkOut(TypedDict):
    """What became of one conflict."""

    task: Line
    commit: Annotated[str | None, _about("In a replay, the commit's label or id; null in a merge.")]
    file: str
    hunk: Annotated[Line | None, _about("Its number as Git shows them; null where a whole path conflicts.")]
    kept: Annotated[str, _one_of(*KEEP, *NOT_IN_KEYS)]
    accepted: Annotated[list[str], _about("The key's words; empty with --for-learner until all is right.")]
    outcome: Literal["met", "partly", "missed", "skipped"]
    worth: Annotated[float, _about("The share of its points that it earns, 0 to 1.")]
    weight: Annotated[float, _about("How much it counts among the conflicts.")]
    settled: Annotated[SettledOut | None, _about("A person's verdict on it.")]


class SubmissionOut(TypedDict):
    """One submission, graded."""

    submission: Annotated[str, _about("Where it was found.")]
    learner: Annotated[str, _about("The id in the ledger, else the name that it was handed in under.")]
    name: Annotated[str, _about("That person's name in the roster, else the same.")]
    exercise: Annotated[str | None, _about("The scenario's id; null where it could not be told.")]
    variant: Annotated[str | None, _about("The variant's code; null where it could not be told.")]
    state: State
    reason: Annotated[str | None, _about("Why it is unreadable; null otherwise.")]
    points: Number
    possible: Annotated[Number, _about("The points of everything that was assessed.")]
    percent: Annotated[float, Meta(ge=0, le=100)]
    counts: Annotated[bool, _about("Whether it is what this learner was handed out.")]
    needs_a_look: Annotated[list[str], _about("Why a person should look; empty where the grader is sure.")]
    notes: Annotated[list[str], _about("How the learner worked, from the reflog: told, never marked.")]
    criteria: list[CriterionOut]
    hunks: list[HunkOut]
    settled: Annotated[SettledOut | None, _about("A person's verdict on the whole exercise.")]


class FindingOut(TypedDict):
    """What a pile shows as a whole: told, never marked."""

    kind: Annotated[
        str, _one_of("unknown", "another's", "dated", "missing", "attempts", "shared", "passed over")
    ]
    said: str
    submissions: list[str]


class PartOut(TypedDict):
    """A criterion or a conflict that is judged otherwise, in words."""

    what: str
    before: str
    after: str


class MarkChangeOut(TypedDict):
    """A submission whose mark is not what it was when the same work was last graded."""

    submission: str
    learner: str
    exercise: str
    before: Annotated[float, _about("In percent.")]
    after: Annotated[float, _about("In percent.")]
    parts: list[PartOut]
    why: str


ResultFile = TypedDict(
    "ResultFile",
    {
        "format": Literal[1],
        "submissions": list[SubmissionOut],
        "class": NotRequired[list[FindingOut]],
        "changes": NotRequired[list[MarkChangeOut]],
    },
)
"""The result file of `muddled grade --json`."""


# -- survey, catalogue ----------------------------------------------------------------------------------


class ReasonOut(TypedDict):
    """What makes a scenario harder."""

    points: int
    why: str


class DifficultyOut(TypedDict):
    """How hard a scenario is."""

    level: Annotated[str, _one_of(*LEVELS)]
    points: int
    reasons: list[ReasonOut]


class SummaryOut(TypedDict):
    """What a list shows of a scenario."""

    id: str
    title: str
    operations: list[str]
    kinds: Annotated[list[str], _about("Git's words for the conflicts that occur.")]
    hunks: int
    difficulty: DifficultyOut


class StageOut(TypedDict):
    """A version of a conflicted file."""

    mode: str
    id: str


class SidesOut(TypedDict):
    """A hunk with its sides."""

    hunk: Line
    base: str
    ours: str
    theirs: str


class ChoiceOut(TypedDict):
    """Something that is accepted in a hunk."""

    word: str
    text: Annotated[str, _about("What it reads; where rules decide, an example.")]
    by_rules: Annotated[bool, _about("Whether any text is accepted that holds rules.")]
    worth: float


class AnswerOut(TypedDict):
    """One accepted resolution of a conflict."""

    worth: Annotated[float, _about("The share of the points that it earns, 0 to 1.")]
    weights: Annotated[list[float], _about("How much each hunk counts.")]
    hunks: Annotated[list[list[ChoiceOut]], _about("What is accepted in each hunk; empty for a whole path.")]
    why: str


class ConflictOut(TypedDict):
    """A conflict, and what the key says of it."""

    file: str
    kind: str
    stages: Annotated[dict[str, StageOut], _about("By stage: 1 base, 2 ours, 3 theirs.")]
    beyond_hunks: Annotated[list[str], _about("What the key wants changed beyond the hunks, as a diff.")]
    accepted: Annotated[
        list[list[str]], _about("Each alternative: a word a hunk, those of a solution by the key.")
    ]
    answers: Annotated[list[AnswerOut], _about("The alternatives in full.")]
    hunks: list[SidesOut]


class StepOut(TypedDict):
    """A merge, or one replayed commit."""

    commit: Annotated[str | None, _about("The subject of the commit that is replayed.")]
    label: str | None
    ours: str
    theirs: str
    conflicts: list[ConflictOut]
    mended: Annotated[
        dict[str, list[str]], _about("What the key changes where Git sees no conflict, as diffs.")
    ]


class TaskOut(TypedDict):
    """A task with its steps."""

    task: Line
    asks: str
    steps: list[StepOut]


class RuleOut(TypedDict):
    """A rule of the scenario's own."""

    file: str
    asks: str


class SurveyOut(SummaryOut):
    """A scenario, surveyed."""

    tasks: list[TaskOut]
    rules: list[RuleOut]
    errors: list[ProblemOut]
    remarks: list[str]


class SurveyFile(TypedDict):
    """What `muddled survey --json` prints."""

    format: Literal[1]
    surveys: list[SurveyOut]
    problems: Annotated[list[ProblemOut], _about("What is wrong with files that could not be surveyed.")]


class CatalogueFile(TypedDict):
    """What `muddled catalogue --json` prints."""

    format: Literal[1]
    scenarios: list[SummaryOut]


# -- rehearse -------------------------------------------------------------------------------------------


class BehaviourOut(TypedDict):
    """One acted learner."""

    behaviour: str
    does: str
    variant: str
    state: State
    percent: float
    criteria: dict[str, Verdict]
    surprises: list[str]
    repository: Annotated[str | None, _about("Where it was left for a look.")]


class BlindOut(TypedDict):
    """What can't tell right from wrong."""

    criteria: list[str]
    conflicts: list[str]


class RehearsalOut(TypedDict):
    """A scenario, rehearsed."""

    exercise: str
    title: str
    variant: str
    variants: list[str]
    surprises: int
    cannot_tell: BlindOut
    behaviours: list[BehaviourOut]


class RehearsalFile(TypedDict):
    """What `muddled rehearse --json` prints."""

    format: Literal[1]
    rehearsals: list[RehearsalOut]


# -- plant, handout, ledger, peek -----------------------------------------------------------------------


class PlantFile(TypedDict):
    """What `muddled plant --json` prints."""

    format: Literal[1]
    folder: str
    exercise: str
    title: str
    variant: str
    branches: Annotated[dict[str, str], _about("Where each branch stands, by name.")]
    checked_out: str
    tasks: Annotated[list[str], _about("What is asked, in words.")]
    grade: Annotated[list[str], _about("The command that grades it, word by word.")]


class HandOutFile(TypedDict):
    """What `muddled handout --json` prints."""

    format: Literal[1]
    ledger: str
    learners: int
    ready: Annotated[int, _about("How many were there before.")]
    hand_outs: Annotated[list[HandOut], _about("Those that were made now.")]


class GradingOut(TypedDict):
    """One grading in the ledger, without its result."""

    graded: str
    submission: str
    fingerprint: str
    version: str
    scenario: str
    exercise: str
    variant: str
    learner: str | None
    state: str
    points: float
    possible: float


class AttemptOut(TypedDict):
    """The attempt that counts."""

    submission: str
    made: Annotated[str, _about("In UTC.")]
    known_by: Annotated[str, _one_of("newest commit", "first graded")]
    percent: float
    days_late: int
    counted: Annotated[float, _about("The percentage after what it loses by being late.")]


class MarkOut(TypedDict):
    """An exercise of a learner."""

    exercise: str
    weight: float
    percent: float
    attempts: int
    passed: bool | None
    attempt: AttemptOut | None


class TotalOut(TypedDict):
    """A learner in a course."""

    learner: str
    percent: float
    passed: bool | None
    marks: list[MarkOut]


class CourseOut(TypedDict):
    """Where everybody stands in a course."""

    title: str
    exercises: list[str]
    totals: list[TotalOut]


class LedgerFile(TypedDict):
    """What `muddled ledger --json` prints."""

    format: Literal[1]
    course: Annotated[CourseOut | None, _about("With a course file.")]
    learners: list[dict[str, str]]
    hand_outs: list[HandOut]
    gradings: list[GradingOut]


class ToLookAtOut(TypedDict):
    """A submission that counts and needs a look."""

    learner: str
    exercise: str
    submission: str
    percent: float
    why: list[str]


class SettlementOut(TypedDict):
    """A person's verdict."""

    learner: str
    exercise: str
    about: Annotated[str, _about("all, a criterion, or a conflict's full name.")]
    earned: Annotated[float | None, _about("The share that it earns, 0 to 1; null: as graded.")]
    by: str
    reason: str
    made: Annotated[str, _about("When, in UTC.")]


class SettleFile(TypedDict):
    """What `muddled settle --json` prints."""

    format: Literal[1]
    needs_a_look: list[ToLookAtOut]
    settled: Annotated[list[SettlementOut], _about("Every verdict, the oldest first.")]


class ItemOut(TypedDict):
    """Item statistics of a conflict or a criterion."""

    learners: int
    difficulty: Annotated[float, _about("The share that got it, 0 to 1.")]
    discrimination: Annotated[float | None, _about("Point-biserial with all other items; null: too few.")]


class ConflictTallyOut(TypedDict):
    """A conflict over a class."""

    conflict: str
    task: Line
    file: Annotated[str, _about("As the scenario calls it, with values' names in it.")]
    hunk: Line | None
    learners: Annotated[dict[str, list[str]], _about("Who made what of it, by what was kept.")]
    common_wrong: str | None
    swapped: Annotated[list[str] | None, _about("In a rebase: who took exactly the other side.")]
    statistics: ItemOut | None


class CriterionTallyOut(TypedDict):
    """A criterion over a class."""

    criterion: str
    learners: Annotated[dict[str, list[str]], _about("Who met it, partly or not.")]
    statistics: ItemOut | None


class ExerciseTallyOut(TypedDict):
    """An exercise over a class."""

    exercise: str
    title: str
    handed_out: int
    percents: Annotated[dict[str, float], _about("What counts, by learner.")]
    missing: list[str]
    got_it: list[str]
    attempts_until_solved: dict[str, int]
    minutes: Annotated[dict[str, float], _about("From the first own commit to the last, by learner.")]
    conflicts: list[ConflictTallyOut]
    criteria: list[CriterionTallyOut]


class ReliabilityOut(TypedDict):
    """Cronbach's alpha of the exercises."""

    alpha: float
    exercises: int
    learners: int


class AlikeOut(TypedDict):
    """Two learners whose work agrees more than the class makes likely."""

    learners: list[str]
    shared: list[str]
    bits: float


class TallyFile(TypedDict):
    """What `muddled tally --json` prints."""

    format: Literal[1]
    title: str
    totals: Annotated[dict[str, float], _about("In percent, by learner.")]
    absent: list[str]
    exercises: list[ExerciseTallyOut]
    reliability: ReliabilityOut | None
    alike: list[AlikeOut]


class LeftOut(TypedDict):
    """Something that is left to do, or (`work` is false) only worth knowing."""

    where: str
    what: str
    work: bool


class NextOut(TypedDict):
    """Something to type; an empty command says that files are to be edited."""

    command: Annotated[
        list[str], _about("Word by word; paths stand behind -- and begin at the repository's top.")
    ]
    why: str
    instead: Annotated[bool, _about("Whether it stands in the place of the one before it.")]


class PeekFile(TypedDict):
    """What `muddled peek --json` prints."""

    format: Literal[1]
    done: bool
    doing: str
    ours: str
    theirs: str
    knows_tasks: bool
    left: list[LeftOut]
    next: list[NextOut]
    back: list[str]


OUTPUTS: dict[str, object] = {
    "catalogue": CatalogueFile,
    "survey": SurveyFile,
    "rehearse": RehearsalFile,
    "plant": PlantFile,
    "handout": HandOutFile,
    "peek": PeekFile,
    "grade": ResultFile,
    "tally": TallyFile,
    "settle": SettleFile,
    "ledger": LedgerFile,
}
"""What each command prints with --json."""


def output_schema(command: str) -> dict[str, object]:
    """The JSON Schema of a command's output."""
    import msgspec

    schema = msgspec.json.schema(OUTPUTS[command])
    for part in schema["$defs"].values():
        if "properties" in part:
            part["additionalProperties"] = False
    title = f"What muddled {command} --json prints"
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": title, **schema}
