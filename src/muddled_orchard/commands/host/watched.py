"""What those who run a host watch: whether it is ready, and its figures."""

from __future__ import annotations

import asyncio
import shutil
import time
from collections.abc import Awaitable, Callable

from muddled_orchard.commands.host.host import Host
from muddled_orchard.core.base.limits import in_mib
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.system.log import log

_KEPT_FOR = 5.0
"""Seconds that an answer holds: however often it is asked, the ledger and the disk are not."""

_LEDGER_WITHIN = 5.0


class Readiness:
    """Whether a host can take pushes: its ledger can be written, and there is room on the disk."""

    def __init__(self, host: Host) -> None:
        self._host = host
        self._known: tuple[float, tuple[str, ...]] | None = None
        self._asking = asyncio.Lock()

    async def problems(self) -> tuple[str, ...]:
        """What stands in the way; nothing where it is ready."""
        async with self._asking:
            if self._known is None or time.monotonic() - self._known[0] > _KEPT_FOR:
                found = tuple([what for ask in self._questions() if (what := await ask())])
                for what in found:
                    log().warning("not ready: %s", what)
                self._known = time.monotonic(), found
            return self._known[1]

    def _questions(self) -> tuple[Callable[[], Awaitable[str]], ...]:
        return (self._ledger, self._disk)

    async def _ledger(self) -> str:
        try:
            await asyncio.wait_for(self._host.ledger.do(HostLedger.try_to_write), _LEDGER_WITHIN)
        except (TimeoutError, BadInput):
            return "the ledger can't be written"
        return ""

    async def _disk(self) -> str:
        needed = 2 * self._host.bounds.size
        try:
            free = (await asyncio.to_thread(shutil.disk_usage, self._host.course.folder)).free
        except OSError:
            return "the repositories can't be reached"
        return f"less than {in_mib(needed)} are free for repositories" if free < needed else ""


def metrics_text(host: Host) -> str:
    """The figures of a host in Prometheus's text format (version 0.0.4)."""
    desk = host.desk
    figures: tuple[tuple[str, str, float], ...] = (
        ("pushes_total", "Pushes that were written down since the host began.", desk.noticed_count),
        ("gradings_total", "Pushes that were graded since then.", desk.graded_count),
        ("grading_seconds_total", "Seconds that their grading took.", desk.graded_seconds),
        ("gradings_waiting", "Pushes that wait to be graded, or are being graded.", desk.under_way),
        ("graders_lost_total", "Processes that a push took down.", desk.lost_count),
        ("connections", "Connections that are open.", len(host.connections)),
        ("held_bytes", "Bytes of bodies and answers that are being dealt with.", host.held.total),
        ("refused_sign_ins_total", "Wrong names or passwords.", host.access.wrong),
        ("hands_raised", "Learners who want help.", len(host.hands)),
        ("troubles", "What did not work in the last ten minutes.", len(host.troubles())),
    )
    lines = []
    for name, says, value in figures:
        kind = "counter" if name.endswith("_total") else "gauge"
        lines += [f"# HELP muddled_{name} {says}", f"# TYPE muddled_{name} {kind}"]
        lines.append(f"muddled_{name} {value:g}")
    return "\n".join(lines) + "\n"
