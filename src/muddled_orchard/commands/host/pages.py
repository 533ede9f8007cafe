"""The pages of a host: a learner's, an exercise's, the board, and what a row of it opens.

They load their own style and script from the host, and nothing else; every text of people stays text.
"""

from __future__ import annotations

import functools
from collections.abc import Sequence
from datetime import UTC, datetime
from importlib.resources import files

from markupsafe import Markup
from msgspec import Struct
from msgspec.structs import asdict

from muddled_orchard.core.base.phrases import ago, counted, listed
from muddled_orchard.core.course.board import STAGES, Board, BoardRow, Seen
from muddled_orchard.core.course.drilling import ROW
from muddled_orchard.core.course.practice import practice_id
from muddled_orchard.core.course.pushes import Arrived
from muddled_orchard.core.document import Block
from muddled_orchard.core.key.graph import Graph
from muddled_orchard.show.document.page import blocks_html
from muddled_orchard.show.figures.svg import graph_svg, told
from muddled_orchard.show.page import rendered, template
from muddled_orchard.show.terminal.characters import printable
from muddled_orchard.show.words import with_words

_MOST_NAMES = 6


class PushShown(Struct, frozen=True):
    """A push as a page shows it: its number among the learner's, when it came, how it stands in a few words,
    what is told of it, whether it was a folder, and who of a team pushed it."""

    count: int
    at: str
    said: str
    told: Sequence[Block]
    folder: bool = False
    by: str = ""


class ExerciseShown(Struct, frozen=True):
    """An exercise in a learner's list: whether it is open, how it is seen (None: that is not told), and when
    it is due or opens, in words."""

    id: str
    title: str
    open: bool
    seen: Seen | None
    due: str


class RoleShown(Struct, frozen=True):
    """What a learner sees of the roles of their team: their own (0: none yet) and what it is called, a
    sentence for each task, and those that they may choose from, by number."""

    number: int
    called: str
    tasks: Sequence[str]
    choose: Sequence[tuple[int, str]]


class ExercisePage(Struct, frozen=True, kw_only=True):
    """What the page of an exercise shows: the brief as Markdown, what is there before one begins (None:
    nothing), what a clone lacks, whether the folder is handed in, the commands that get it, push it, push
    over what was pushed and delete what has to go, and the pushes, the newest first, and what
    teammates have pushed. `team` are the others who share the repository, `branches` say how its branches
    stand, `role` is what they have given out among themselves (None: nothing).
    `allowed` says what is allowed to this learner alone; `again`: they may take another variant; `practice`:
    it is of the drill, and `over`: it was brought to its end."""

    course: str
    id: str
    title: str
    brief: str
    due: str
    graph: Graph | None
    lacks: Sequence[str]
    takes_folder: bool
    get: Sequence[str]
    push: str
    push_over: str
    deletes: str
    pushes: Sequence[PushShown]
    arrived: Sequence[Arrived]
    team: Sequence[str]
    branches: Sequence[str]
    role: RoleShown | None
    hand: bool
    token: str
    allowed: str = ""
    again: bool = False
    practice: bool = False
    over: bool = False


class SkillShown(Struct, frozen=True):
    """A skill in a learner's list: how often it was tried, how often it was right in a row, and what is said
    of it."""

    skill: str
    tried: int
    in_a_row: int
    said: str


class PracticeShown(Struct, frozen=True):
    """What a learner's page shows of the drill: how far each skill is, and the exercise at hand, by its id
    and title (empty: none is). `due`: there is something to practise now."""

    skills: Sequence[SkillShown]
    at_hand: str
    title: str
    due: bool


def page(
    title: str, body: str, top: str, *, wide: bool = False, live: bool = False, beside: bool = False
) -> str:
    """A page with this body, which is HTML; a `live` one keeps itself up to date, and one with parts `beside`
    each other has them so where it is wide enough. `top` leads from it to where the host's own paths begin: a
    proxy may have put them below another one."""
    marked = Markup(body)  # noqa: S704 - every text in it is escaped
    about = {"title": title, "body": marked, "top": top, "wide": wide, "live": live, "beside": beside}
    return template("commands/host/page.html").render(about)


def message_page(title: str, text: str, top: str) -> str:
    """A page that says one thing."""
    return page(title, f"<h1>{_escaped(title)}</h1><p>{_escaped(text)}</p>", top)


def learner_page(
    course: str,
    name: str,
    exercises: Sequence[ExerciseShown],
    token: str,
    top: str,
    practice: PracticeShown | None,
    *,
    hand: bool,
    points: bool,
) -> str:
    """Where a learner begins: the exercises, what there is to practise (None: nothing), and a hand to
    raise."""
    shown = [
        {
            "id": exercise.id,
            "title": printable(exercise.title),
            "open": exercise.open,
            "stage": _class(exercise.seen) if exercise.seen else "",
            "said": _said(exercise.seen) if exercise.seen else "",
            "pushes": exercise.seen.pushes if exercise.seen else 0,
            "points": _points(exercise.seen) if exercise.seen else "",
            "due": exercise.due,
        }
        for exercise in exercises
    ]
    body = template("commands/host/learner.html").render(
        course=printable(course), name=printable(name), exercises=shown, token=token, hand=hand,
        points=points, top=top, practice=practice, row=ROW,
    )  # fmt: skip
    return page(course, body, top, live=True)


def exercise_page(shown: ExercisePage, top: str) -> str:
    """The brief, how to get it and hand it in, and what came of each push."""
    body = template("commands/host/exercise.html").render(
        course=printable(shown.course),
        id=shown.id,
        title=printable(shown.title),
        due=shown.due,
        allowed=printable(shown.allowed),
        again=shown.again,
        practice=shown.practice,
        over=shown.over,
        brief=rendered(shown.brief),
        lacks=listed(shown.lacks, len(shown.lacks)) if shown.lacks else "",
        # Every text in it is escaped there.
        graph=Markup(graph_svg(shown.graph)) if shown.graph else "",  # noqa: S704
        drawn=told(shown.graph) if shown.graph else "",
        takes_folder=shown.takes_folder,
        get="\n".join(shown.get),
        push=shown.push,
        push_over=shown.push_over,
        deletes=shown.deletes,
        pushes=_pushes(shown.pushes),
        arrived=[
            {**asdict(one), "by": printable(one.by), "at": time_here(datetime.fromtimestamp(one.at, UTC))}
            for one in shown.arrived
        ],
        team=printable(listed(shown.team, len(shown.team))) if shown.team else "",
        branches=[printable(said) for said in shown.branches],
        role=shown.role
        and {
            "number": shown.role.number,
            "called": printable(shown.role.called),
            "tasks": [printable(said) for said in shown.role.tasks],
            "choose": [(number, printable(called)) for number, called in shown.role.choose],
        },
        hand=shown.hand,
        token=shown.token,
        top=top,
    )
    return page(shown.title, with_words(body), top, live=True, beside=True)


def board_page(
    course: str, shown: Board, now: datetime, token: str, top: str, troubles: Sequence[str] = ()
) -> str:
    """The class, who needs help first, below what only the instructor can mend."""
    common = shown.common and {
        "what": printable(shown.common.what),
        "whose": printable(listed(shown.common.learners, _MOST_NAMES)),
    }
    body = template("commands/host/board.html").render(
        course=printable(course),
        learners=counted(shown.learners, "learner"),
        time=f"{now:%H:%M}",
        common=common,
        counts=[(STAGES[stage], number) for stage, number in shown.counts.items()],
        rows=[_row(row, now.timestamp()) for row in shown.rows],
        troubles=[printable(what) for what in troubles],
        top=top,
        token=token,
    )
    return page(f"{course}: the board", body, top, wide=True, live=True)


def row_page(
    name: str,
    title: str,
    clone: str,
    pushes: Sequence[PushShown],
    top: str,
    learner: str,
    exercise: str,
    token: str,
) -> str:
    """What a learner has pushed to an exercise, as the instructor sees it."""
    body = template("commands/host/row.html").render(
        name=printable(name), title=printable(title), clone=clone, pushes=_pushes(pushes), top=top,
        learner=learner, exercise=exercise, token=token,
    )  # fmt: skip
    return page(f"{name}: {title}", body, top, live=True)


@functools.cache
def static_file(name: str) -> bytes:
    """The style, the script or the icon of the pages. Raises KeyError."""
    parts = {
        "style.css": ("show/style.css", "show/document/page.css", "commands/host/page.css"),
        "live.js": ("commands/host/live.js",),
        "icon.svg": ("commands/host/icon.svg",),
    }[name]
    package = files("muddled_orchard")
    return "\n".join(package.joinpath(part).read_text("utf-8") for part in parts).encode()


def _pushes(pushes: Sequence[PushShown]) -> list[dict[str, object]]:
    return [
        {
            "count": push.count,
            "kind": "Folder" if push.folder else "Push",
            "at": f"{push.at}, {printable(push.by)}" if push.by else push.at,
            "said": printable(push.said),
            "told": Markup(blocks_html(push.told)),  # noqa: S704 - every text in it is escaped there
        }
        for push in pushes
    ]


def _row(row: BoardRow, now: float) -> dict[str, object]:
    seen = row.seen
    return {
        "learner": row.learner,
        "name": printable(row.name),
        "exercise": seen.shown,
        "place": practice_id(seen.exercise) if seen.practice else seen.exercise,
        "stage": _class(seen),
        "said": STAGES[seen.stage],
        "detail": printable(seen.detail),
        "since": ago(seen.since, now),
        "pushes": seen.pushes,
        "points": _points(seen),
        "done": f"{row.done} of {row.of}",
        "hand": ago(row.hand, now) if row.hand is not None else "",
    }


def time_here(at: datetime) -> str:
    """A time as people here read it, in the host's zone."""
    return f"{at.astimezone():%Y-%m-%d %H:%M}"


def _points(seen: Seen) -> str:
    return f"{seen.points:g} of {seen.possible:g}" if seen.possible and seen.stage != "nothing begun" else ""


def _said(seen: Seen) -> str:
    return STAGES[seen.stage]


def _class(seen: Seen) -> str:
    return seen.stage.replace(" ", "-")


def _escaped(text: str) -> str:
    return str(Markup.escape(printable(text)))
