"""A grading as JUnit XML, for pages of continuous integration: each criterion is a test case."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Iterable

from muddled_orchard.core.course.collected import Collected
from muddled_orchard.core.course.uncounted import UNCOUNTED, Uncounted
from muddled_orchard.core.grading.assessment import CriterionResult
from muddled_orchard.core.grading.settling import settled_things
from muddled_orchard.show.terminal.characters import printable

_COUNTED = {"errors": "error", "failures": "failure", "skipped": "skipped"}
"""The counts that suites have, and the results that they count."""


def junit_file(collected: Iterable[Collected]) -> bytes:
    """A suite for each submission. `partly` is a failure too: the points are in its text."""
    whole = ET.Element("testsuites", name="muddled grade")
    for submission in collected:
        assessment = submission.assessment
        suite = ET.SubElement(
            whole, "testsuite", name=printable(f"{assessment.exercise or 'unreadable'}: {submission.learner}")
        )
        for criterion in assessment.criteria:
            _criterion(suite, criterion)
        if not submission.counts:
            _uncounted(_case(suite, "handed out"), submission.uncounted)
        if assessment.state == "unreadable":
            case = _case(suite, "readable")
            ET.SubElement(case, "error", message=printable(assessment.reason), type="unreadable")
        if settled := settled_things(assessment):
            said = "\n".join(printable(thing.said) for thing in settled)
            ET.SubElement(suite, "system-out").text = f"Settled by a person:\n{said}"
        _count(suite, ("errors", "failures", "skipped"), "0")
    _count(whole, ("failures", "errors", "skipped"), "0.0")
    return ET.tostring(whole) + b"\n"


def _count(element: ET.Element, counts: Iterable[str], time: str) -> None:
    element.set("tests", str(len(element.findall(".//testcase"))))
    for name in counts:
        element.set(name, str(len(element.findall(f".//{_COUNTED[name]}"))))
    element.set("time", time)


def _case(suite: ET.Element, name: str) -> ET.Element:
    return ET.SubElement(suite, "testcase", name=name, classname=suite.get("name", ""))


def _uncounted(case: ET.Element, why: Uncounted) -> None:
    told = UNCOUNTED[why]
    if told.fault:
        ET.SubElement(case, "failure", message=f"0 points: {told.words}", type=why)
    else:
        ET.SubElement(case, "skipped", message=told.words)


def _criterion(suite: ET.Element, criterion: CriterionResult) -> None:
    case = _case(suite, criterion.id)
    outcome = criterion.outcome
    # Pages of continuous integration lead from a failure to its file and line.
    place = next((place for place in outcome.where if place.file), None)
    if place is not None and place.file is not None:
        case.set("file", printable(place.file))
        if place.line is not None:
            case.set("line", str(place.line))
    because = printable(outcome.because)
    if outcome.verdict == "skipped":
        ET.SubElement(case, "skipped", message=because)
    elif outcome.verdict in ("partly", "missed"):
        message = f"{criterion.points:g} of {criterion.possible:g} points: {because}"
        ET.SubElement(case, "failure", message=message, type=outcome.verdict)
