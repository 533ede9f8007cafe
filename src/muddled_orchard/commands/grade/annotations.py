"""Messages in the forms that editors and systems of continuous integration read."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Sequence
from typing import Any
from urllib.parse import quote

from muddled_orchard import __version__
from muddled_orchard.commands.grade.messages import Message, messages
from muddled_orchard.core.course.collected import Collected
from muddled_orchard.show.terminal.characters import printable


def compiler_lines(collected: Sequence[Collected]) -> str:
    """As compilers print them: `FILE:LINE: error: MESSAGE [CRITERION]`."""
    lines = []
    for one in messages(collected):
        at = f":{one.line}" if one.line else ""
        lines.append(printable(f"{one.place}{at}: {one.severity}: {one.text} [{one.criterion}]"))
    return _ended(lines)


def workflow_commands(collected: Sequence[Collected]) -> str:
    """As commands in a job's output, which several systems take:
    `::error file=FILE,line=LINE,title=CRITERION::MESSAGE`."""
    lines = []
    for one in messages(collected):
        about = [f"file={_property(one.file)}"] if one.file else []
        about += [f"line={one.line}"] if one.line else []
        about.append(f"title={_property(one.criterion)}")
        text = one.text if one.file else f"{one.submission}: {one.text}"
        lines.append(f"::{one.severity} {','.join(about)}::{_data(printable(text))}")
    return _ended(lines)


def sarif(collected: Sequence[Collected]) -> str:
    """As a file of the Static Analysis Results Interchange Format 2.1.0, a standard of OASIS."""
    found = list(messages(collected))
    rules = [{"id": name} for name in dict.fromkeys(one.criterion for one in found)]
    driver = {"name": "muddled grade", "version": __version__, "rules": rules}
    results = [
        {
            "ruleId": one.criterion,
            "level": one.severity,
            "message": {"text": printable(one.text)},
            "locations": [{"physicalLocation": _location(one)}],
            "partialFingerprints": {"message/v1": _fingerprint(one)},
        }
        for one in found
    ]
    run = {"tool": {"driver": driver}, "results": results, "columnKind": "unicodeCodePoints"}
    return _as_json({"$schema": _SARIF_SCHEMA, "version": "2.1.0", "runs": [run]})


def code_quality(collected: Sequence[Collected]) -> str:
    """As a list of issues with fingerprints, which pages of merge requests show: JSON."""
    severities = {"error": "major", "warning": "minor"}
    return _as_json(
        [
            {
                "description": printable(one.text),
                "check_name": one.criterion,
                "fingerprint": _fingerprint(one),
                "severity": severities[one.severity],
                "location": {"path": one.place, "lines": {"begin": one.line or 1}},
            }
            for one in messages(collected)
        ]
    )


_SARIF_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


def _location(message: Message) -> dict[str, Any]:
    place: dict[str, Any] = {"artifactLocation": {"uri": quote(message.place)}}
    return place | ({"region": {"startLine": message.line}} if message.line else {})


def _fingerprint(message: Message) -> str:
    about = (message.submission, message.file, str(message.line), message.criterion, message.text)
    return hashlib.sha256("\0".join(about).encode("utf-8", "backslashreplace")).hexdigest()[:32]


def _data(text: str) -> str:
    return text.replace("%", "%25").replace("\r", "%0D").replace("\n", "%0A")


def _property(text: str) -> str:
    return _data(printable(text)).replace(":", "%3A").replace(",", "%2C")


def _as_json(data: object) -> str:
    return json.dumps(data, ensure_ascii=False, indent=1) + "\n"


def _ended(lines: Iterable[str]) -> str:
    return "".join(f"{line}\n" for line in lines)
