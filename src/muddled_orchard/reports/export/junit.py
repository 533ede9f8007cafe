"""A grading as JUnit XML, for pages of continuous integration: each criterion is a test case."""

from __future__ import annotations

from collections.abc import Iterable

from junitparser import Error, Failure, JUnitXml, Skipped, TestCase, TestSuite

from muddled_orchard.core.course.findings import Collected
from muddled_orchard.core.grading.assessment import CriterionResult
from muddled_orchard.reports.export.gradebook import NOT_THEIRS
from muddled_orchard.reports.terminal.console import printable


def junit_file(collected: Iterable[Collected]) -> bytes:
    """A suite for each submission. `partly` is a failure too: the points are in its text."""
    whole = JUnitXml("muddled grade")
    for one in collected:
        assessment = one.assessment
        suite = TestSuite(printable(f"{assessment.exercise or 'unreadable'}: {one.learner}"))
        for criterion in assessment.criteria:
            suite.add_testcase(_case(suite.name, criterion))
        if not one.counts:
            case = TestCase("handed out", suite.name)
            case.result = [Failure("0 points: this variant was not handed out to them", NOT_THEIRS)]
            suite.add_testcase(case)
        if assessment.state == "unreadable":
            case = TestCase("readable", suite.name)
            case.result = [Error(printable(assessment.reason), "unreadable")]
            suite.add_testcase(case)
        whole.add_testsuite(suite)
    whole.update_statistics()  # type: ignore[no-untyped-call]
    text: bytes = whole.tostring()  # type: ignore[no-untyped-call]
    return text if text.endswith(b"\n") else text + b"\n"


def _case(suite: str, criterion: CriterionResult) -> TestCase:
    case = TestCase(criterion.id, suite)
    outcome = criterion.outcome
    # Pages of continuous integration lead from a failure to its file and line.
    place = next((place for place in outcome.where if place.file), None)
    if place is not None and place.file is not None:
        case._elem.set("file", printable(place.file))
        if place.line is not None:
            case._elem.set("line", str(place.line))
    because = printable(outcome.because)
    if outcome.verdict == "skipped":
        case.result = [Skipped(because)]
    elif outcome.verdict in ("partly", "missed"):
        said = f"{criterion.points:g} of {criterion.possible:g} points: {because}"
        case.result = [Failure(said, outcome.verdict)]
    return case
