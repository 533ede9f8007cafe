"""What a hand-out asks, as a file in its repository."""

from __future__ import annotations

import msgspec

from muddled_orchard.core.exercise.asked import Asked
from muddled_orchard.core.exercise.operations import with_tasks
from muddled_orchard.core.exercise.task import IN_ORDER


def asked_file(asked: Asked) -> bytes:
    """The content of the file."""
    data = msgspec.to_builtins(asked)
    data["tasks"] = [{key: task[key] for key in IN_ORDER if task.get(key)} for task in data["tasks"]]
    for key in ("at", "given", "work", "rewritten", "refused", "roles"):
        if not data[key]:
            del data[key]
    return msgspec.json.format(msgspec.json.encode({"format": 1, **data}), indent=1) + b"\n"


def read_asked(data: bytes) -> Asked | None:
    """What a file says; None where it is none of ours."""
    try:
        asked = with_tasks(Asked, msgspec.json.decode(data), "tasks")
    except (msgspec.MsgspecError, ValueError, KeyError, TypeError, RecursionError):
        return None
    named = {label for task in asked.tasks for label in task.labels}
    return asked if named <= asked.commits.keys() else None
