"""What was checked when it came in, or was made here: written as text and read back without checking again.

The validator that tells people everything that is wrong with a scenario takes longer to start than most
commands take for their work; it is for what people write.
"""

from __future__ import annotations

import hashlib
import json
import tomllib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import MISSING, Field, fields, is_dataclass, replace
from datetime import datetime
from typing import Any

import msgspec

from muddled_orchard.core.exercise.defaults import completed
from muddled_orchard.core.exercise.scenario import Scenario
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.english import sentences
from muddled_orchard.core.grading.finding import restored
from muddled_orchard.core.grading.verdicts import Verdicts


class Damaged(Exception):
    """A text is not what was written here."""


# Written even where they are as by default: they had none at first, and a text stays the same for ever.
_ALWAYS = frozenset({"format", "starts"})

_ENCODER = msgspec.json.Encoder()
_DECODER = msgspec.json.Decoder(Assessment)
_VERDICTS = msgspec.json.Decoder(Verdicts)


def scenario_text(scenario: Scenario) -> str:
    """All that a scenario is made of as JSON, without defaults: the same text for the same scenario."""
    return json.dumps(_plain(scenario), ensure_ascii=False, separators=(",", ":"))


def digest_of(scenario: Scenario) -> str:
    """What tells one version of a scenario from another."""
    return hashlib.sha256(scenario_text(scenario).encode()).hexdigest()[:16]


def scenario_of(text: str) -> Scenario:
    """The scenario of such a text. Raises Damaged where it is none."""
    with _sound():
        return _scenario(json.loads(text))


def scenario_of_toml(text: str, name: str) -> Scenario:
    """The scenario of a file that is known to be right; `name` is the file's, without its suffix."""
    return completed(_scenario(tomllib.loads(text)), name)


def _scenario(data: dict[str, Any]) -> Scenario:
    for table in (*data["story"], *data["task"], *data.get("rule", ())):
        for key in ("from", "with"):  # words of Python: its fields have an underscore behind them
            if key in table:
                table[f"{key}_"] = table.pop(key)
    return msgspec.convert(data, Scenario)


def assessment_text(assessment: Assessment) -> str:
    """An assessment as JSON."""
    try:
        return _ENCODER.encode(assessment).decode()
    except UnicodeEncodeError:
        # A name in a submission need not be UTF-8; as an escape it comes back as it was.
        return json.dumps(msgspec.to_builtins(assessment))


def assessment_of(text: str) -> Assessment:
    """The assessment of such a text. Raises Damaged where it is none."""
    with _sound():
        try:
            assessment = _DECODER.decode(text)
        except msgspec.DecodeError:
            assessment = msgspec.convert(json.loads(text), Assessment)
        for criterion in assessment.criteria:  # what can't be said is none of ours
            sentences(map(restored, criterion.outcome.findings))
        sentences(map(restored, (*assessment.doubts, *assessment.worked)))
    return assessment


def verdicts_of(text: str) -> Verdicts:
    """The verdicts of such a text. Raises Damaged where it is none."""
    with _sound():
        found = _VERDICTS.decode(text)
        if found.doubts:
            sentences(map(restored, found.doubts))
        return found


def anonymous_result(text: str, renamed: Callable[[str], str]) -> str:
    """The same assessment without anything that is a learner's own: texts, names, commits, sentences; empty
    where it is no assessment. `renamed` says what the work is called instead."""
    try:
        assessment = assessment_of(text)
    except Damaged:
        return ""
    plain = replace(
        assessment,
        criteria=tuple(
            replace(criterion, outcome=replace(criterion.outcome, findings=(), where=()))
            for criterion in assessment.criteria
        ),
        hunks=tuple(
            replace(hunk, line=None, left=None, renamed=None, left_at=None, look=())
            for hunk in assessment.hunks
        ),
        doubts=(),
        worked=(),
        reason="",
        commits=(),
        makers=(),
        work=renamed(assessment.work),
        made=None,
    )
    return assessment_text(plain)


@contextmanager
def _sound() -> Iterator[None]:
    try:
        yield
    except (msgspec.MsgspecError, ValueError, KeyError, TypeError, AttributeError) as error:
        raise Damaged(str(error)) from error


def _plain(part: Any) -> Any:
    if is_dataclass(part):
        return {
            item.name.rstrip("_"): _plain(value)
            for item in fields(part)
            if (value := getattr(part, item.name)) != _default(item) or item.name in _ALWAYS
        }
    if isinstance(part, dict):
        return {name: _plain(value) for name, value in part.items()}
    if isinstance(part, tuple):
        return [_plain(value) for value in part]
    if isinstance(part, datetime):
        return part.isoformat().replace("+00:00", "Z")
    return part


def _default(item: Field[Any]) -> Any:
    return item.default_factory() if item.default_factory is not MISSING else item.default
