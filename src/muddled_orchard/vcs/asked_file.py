"""What a hand-out asks, as a file in its repository."""

from __future__ import annotations

import msgspec

from muddled_orchard.core.exercise.asked import Asked, labels_of
from muddled_orchard.core.exercise.operations import key_problems


def asked_file(asked: Asked) -> bytes:
    """The content of the file."""
    data = msgspec.to_builtins(asked)
    data["tasks"] = [{key: value for key, value in task.items() if value} for task in data["tasks"]]
    for key in ("at", "work", "rewritten"):
        if not data[key]:
            del data[key]
    return msgspec.json.format(msgspec.json.encode({"format": 1, **data}), indent=1) + b"\n"


def read_asked(data: bytes) -> Asked | None:
    """What a file says; None where it is none of ours."""
    try:
        asked = msgspec.json.decode(data, type=Asked)
    except (msgspec.MsgspecError, ValueError, RecursionError):
        return None
    named = {label for task in asked.tasks for label in labels_of(task)}
    unfit = any(any(key_problems(task, ())) for task in asked.tasks)
    return asked if named <= asked.commits.keys() and not unfit else None
