"""Results that were made here: written as text and read back without checking again."""

from __future__ import annotations

import json
import zlib
from collections.abc import Callable, Mapping
from functools import cache
from itertools import chain
from typing import TypeVar

import msgspec

from muddled_orchard.core.grading.anonymous import anonymous
from muddled_orchard.core.grading.assessment import Assessment
from muddled_orchard.core.grading.kinds import restored
from muddled_orchard.core.grading.verdicts import Verdicts
from muddled_orchard.files.stored import Damaged, sound

T = TypeVar("T")

_ENCODER = msgspec.json.Encoder()


@cache
def _decoder(of: type[T]) -> msgspec.json.Decoder[T]:
    """Made when something is read: it looks at every type that occurs in one."""
    return msgspec.json.Decoder(of)


def assessment_text(assessment: Assessment) -> str:
    """An assessment as JSON."""
    try:
        return _ENCODER.encode(assessment).decode()
    except UnicodeEncodeError:
        # A name in a submission need not be UTF-8; as an escape it comes back as it was.
        return json.dumps(msgspec.to_builtins(assessment))


def prepare_reading() -> None:
    """Do what the first result that is read would wait for."""
    _decoder(Assessment)


def assessment_of(text: str) -> Assessment:
    """The assessment of such a text. Raises Damaged where it is none."""
    with sound():
        try:
            assessment: Assessment = _decoder(Assessment).decode(text)
        except msgspec.DecodeError:
            assessment = msgspec.convert(json.loads(text), Assessment)
        found = chain.from_iterable(criterion.outcome.findings for criterion in assessment.criteria)
        for finding in chain(found, assessment.doubts, assessment.worked):
            restored(finding)  # what is of no kind is none of ours
    return assessment


def verdicts_of(text: str) -> Verdicts:
    """The verdicts of such a text. Raises Damaged where it is none."""
    with sound():
        verdicts: Verdicts = _decoder(Verdicts).decode(text)
        for finding in verdicts.doubts:
            restored(finding)
        return verdicts


Conflict = tuple[str, str]
"""A conflict by the work that it is in, and its full name there."""


def anonymous_result(
    text: str, renamed: Callable[[str], str], learners: Mapping[str, str]
) -> tuple[str, Mapping[Conflict, str]]:
    """Such a text without anything that is a learner's own, and what its conflicts are called now; an empty
    one where it is no assessment. `renamed` says what the work is called instead, `learners` what each is."""
    try:
        assessment = assessment_of(text)
    except Damaged:
        return "", {}
    plain, names = anonymous(assessment, renamed(assessment.work), learners)
    return assessment_text(plain), {(assessment.work, name): now for name, now in names.items()}


def packed(result: str) -> bytes:
    """The text of a result as the ledger keeps it."""
    return zlib.compress(result.encode())


def unpacked(kept: str | bytes) -> str:
    """The text of a result that the ledger has kept: earlier versions did so as it is. Empty where it is
    damaged, or grows to more than any result has."""
    if isinstance(kept, str):
        return kept
    inflating = zlib.decompressobj()
    try:
        found = inflating.decompress(kept, _LARGEST_RESULT)
        return found.decode() if inflating.eof else ""
    except (zlib.error, UnicodeDecodeError):
        return ""


_LARGEST_RESULT = 16 << 20
"""The most bytes of a result: one has two texts of at most 4 MiB for few conflicts, and mostly a few KB."""
