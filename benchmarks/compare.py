"""`make bench-compare`: two runs of the benchmarks beside each other, with the noise in view.

Usage: python -m benchmarks.compare BEFORE.json AFTER.json

`times` is how many times as long ours takes as before. The by-hand way of the same figure says how much of
that is the machine: `corrected` is divided by it. Turns of one figure that differ by 20 % say nothing about
10 %: only what is beyond the noise of both runs is marked.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from pathlib import Path

from benchmarks.figures import Figure, Run

LEAST_NOISE = 0.1
"""So much the best of a few turns differs in any case, however alike they are."""


def main() -> None:
    """Print a line for each figure that both have."""
    if len(sys.argv) != 3:
        raise SystemExit(__doc__)
    before, after = (_run(Path(name)) for name in sys.argv[1:])
    for said, run in (("before", before), ("after", after)):
        print(f"{said}: {run['commit']}, {run['machine']}")
    print(f"\n{'':46}{'before':>10}{'after':>10}{'times':>8}{'corrected':>11}{'noise':>8}")
    for name, was in before["figures"].items():
        now = after["figures"].get(name)
        if now is not None:
            print(_line(name, was, now))
    gone = before["figures"].keys() ^ after["figures"].keys()
    if gone:
        print(f"\nonly in one of them: {', '.join(sorted(gone))}")


def _run(file: Path) -> Run:
    try:
        run: Run = json.loads(file.read_text("utf-8"))
    except (OSError, ValueError) as error:
        raise SystemExit(f"{file}: it can't be read: {error}") from None
    return run


def _line(name: str, was: Figure, now: Figure) -> str:
    times = min(now["ours"]) / min(was["ours"])
    corrected = times
    if was["by_hand"] and now["by_hand"]:
        corrected /= min(now["by_hand"]) / min(was["by_hand"])
    noise = max(
        LEAST_NOISE, *(_spread(turns) for one in (was, now) for turns in (one["ours"], one["by_hand"]))
    )
    sign = "slower" if corrected > 1 + noise else "quicker" if corrected < 1 / (1 + noise) else ""
    figures = (
        f"{_time(min(was['ours']))}{_time(min(now['ours']))}{times:>8.2f}{corrected:>11.2f}{noise:>7.0%}"
    )
    return f"{name[:45]:46}{figures}  {sign}".rstrip()


def _spread(turns: Sequence[float]) -> float:
    """How far the middle turn lies from the best one."""
    return sorted(turns)[len(turns) // 2] / min(turns) - 1 if turns else 0.0


def _time(seconds: float) -> str:
    return f"{seconds:>8.2f} s" if seconds >= 1 else f"{1000 * seconds:>7.1f} ms"


if __name__ == "__main__":
    main()
