"""The names of steps, and the step that a person means by one."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.core.walkthrough.walkthrough import WalkthroughStep

TOOL = "tool"
"""The kind of steps in which a merge tool is shown."""


def step_name(kind: str, number: int, *, bare: int = 1) -> str:
    """`conflict` of the first (or of the `bare` one), `conflict:2` of the second."""
    return kind if number == bare else f"{kind}:{number}"


def is_step(asked: str, number: int, name: str, tasks: int) -> bool:
    """Whether a person who asks for a step means this one: by its name, by its number (from 1), or by the
    name with a number that it has left out. `tasks` is how many tasks there are."""
    left_out = tasks if name == "done" else 1
    return asked in (name, f"{name}:{left_out}", str(number))


def no_such_step(asked: str, steps: Sequence[WalkthroughStep]) -> BadInput:
    """What to say of a step that there isn't."""
    if asked.isdecimal():
        hint = f"There are steps 1 to {len(steps)}. --at list names them."
    else:
        hint = f"{likely(asked, [step.name for step in steps])} --at list names them all."
    return BadInput(Problem(f'there is no step "{asked}"', hint, file="--at"))
