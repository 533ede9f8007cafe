"""The files that a grading can be written to: one entry each.

To add one, write a module that makes its content, and its entry in `WRITERS`. What takes long to
load is loaded when its file is asked for: few are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING

from msgspec import Struct

from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.course.roster import Learner

if TYPE_CHECKING:
    from muddled_orchard.show.spreadsheet import TableForm


class Graded(Struct, frozen=True, kw_only=True):
    """What a file is made of: the results, who got what, who is excused from what, how strong hints are
    where it is for learners, and of a gradebook whether it has a row a learner, and how it is written."""

    results: Sequence[Collected]
    hand_outs: Sequence[HandOut]
    roster: Mapping[str, Learner]
    excused: Callable[[str, str], bool]
    wide: bool = False
    hint: int | None = None
    form: TableForm | None = None


class Writer(Struct, frozen=True, kw_only=True):
    """A kind of file: the option that asks for it, what its help says, what it holds, and whether nobody else
    on the machine may read it."""

    option: str
    help: str
    content: Callable[[Graded], bytes]
    private: bool = False

    @property
    def key(self) -> str:
        """Under which name the parsed options have the file."""
        return self.option.replace("-", "_")


def _gradebook(graded: Graded) -> bytes:
    from muddled_orchard.commands.grade.gradebook import gradebook, wide_gradebook
    from muddled_orchard.show.spreadsheet import table_file

    write = wide_gradebook if graded.wide else gradebook
    assert graded.form is not None  # noqa: S101 - --csv was given
    rows = write(graded.results, graded.hand_outs, graded.roster, graded.excused)
    return table_file(rows, graded.form)


def _junit(graded: Graded) -> bytes:
    from muddled_orchard.commands.grade.junit import junit_file

    return junit_file(graded.results)


def _messages(form: str) -> Callable[[Graded], bytes]:
    """What writes messages in one of the forms of `annotations`: its function of this name."""

    def written(graded: Graded) -> bytes:
        from muddled_orchard.commands.grade import annotations

        return _encoded(getattr(annotations, form)(graded.results))

    return written


def _markdown(graded: Graded) -> bytes:
    from muddled_orchard.commands.grade.markdown import job_summary

    return _encoded(job_summary(graded.results, graded.hint))


def _encoded(text: str) -> bytes:
    return text.encode("utf-8", "backslashreplace")


WRITERS = (
    Writer(
        option="csv",
        help="write a gradebook (CSV); - is standard output",
        content=_gradebook,
        private=True,
    ),
    Writer(option="junit", help="write JUnit XML; - is standard output", content=_junit),
    Writer(
        option="annotations",
        help="write FILE:LINE: messages as compilers do; - is standard output",
        content=_messages("compiler_lines"),
    ),
    Writer(
        option="workflow-commands",
        help="write the same as ::error file=FILE,line=N::MESSAGE, which several CI systems read in a job's "
        "output",
        content=_messages("workflow_commands"),
    ),
    Writer(option="sarif", help="write the same as SARIF 2.1.0 (JSON)", content=_messages("sarif")),
    Writer(
        option="code-quality",
        help="write the same as a list of issues with fingerprints (JSON)",
        content=_messages("code_quality"),
    ),
    Writer(
        option="markdown",
        help="write a job's summary: a table, and what was found, folded (Markdown)",
        content=_markdown,
    ),
)
