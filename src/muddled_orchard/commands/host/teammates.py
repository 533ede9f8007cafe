"""What teammates push to a learner's repository while the host serves it: at the moment that the exercise
says, once, and whole, whatever stops the host in between."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace

from muddled_orchard.commands.host.git_service import Service
from muddled_orchard.core.course.passwords import INSTRUCTOR
from muddled_orchard.core.course.pushes import CameMeanwhile
from muddled_orchard.core.course.records import HandOut
from muddled_orchard.core.exercise import arriving
from muddled_orchard.core.exercise.arriving import Coming, is_due
from muddled_orchard.core.git.refs import branch_ref
from muddled_orchard.files.course.host_ledger import HostLedger
from muddled_orchard.system.log import log
from muddled_orchard.vcs.arriving import arrive
from muddled_orchard.vcs.ask.git import GitFailed
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.quarantine import Unreadable, refs_of

if TYPE_CHECKING:
    from muddled_orchard.commands.host.host import Host

_Place = tuple[str, str, str]
_ASKED: Mapping[Service, arriving.Service] = {"git-receive-pack": "push", "git-upload-pack": "fetch"}


class Teammates:
    """Has what teammates push arrive, and knows what has.

    Of a repository it is written down first in its own refs: a branch goes on, then a ref says that it has.
    The ledger says when.
    """

    def __init__(self, host: Host) -> None:
        self._host = host
        self._came: dict[_Place, dict[int, CameMeanwhile]] = {}

    async def open(self) -> None:
        """Read what is written down, and write down what a host that was killed could not."""
        for one in await self._host.ledger.do(HostLedger.arrivals):
            self._came.setdefault((one.learner, one.exercise, one.variant), {})[one.number] = one
        for place in self._host.course.all_given():
            hand_out = self._host.course.given(*place)
            coming = self._host.course.coming_to(hand_out) if hand_out is not None else ()
            if hand_out is None or not coming:
                continue
            try:
                await self._note(hand_out, coming)
                await self.pushed(hand_out, await self._refs(hand_out))
            except (GitFailed, Unreadable) as why:  # one repository must not cost the others their host
                self._host.troubled(f"what has arrived for {hand_out.learner} can't be read: {why}")

    def of(self, hand_out: HandOut) -> list[tuple[Coming, CameMeanwhile]]:
        """What has arrived in a repository, in order."""
        came = self._came.get(self._place(hand_out), {})
        every = self._host.course.coming_to(hand_out) if came else ()
        return [(one, came[one.arrival.number]) for one in every if one.arrival.number in came]

    async def meanwhile(self, hand_out: HandOut, service: Service) -> None:
        """A learner's Git asks for the refs, before a push or a fetch: what arrives then is there before it
        is answered."""
        coming = self._host.course.coming_to(hand_out)
        if not coming:
            return
        async with self._host.pushing(self._host.course.place(hand_out.learner, hand_out.exercise)):
            await self._note(hand_out, coming)
            came = self._came.get(self._place(hand_out), {})
            waiting = (one for one in coming if one.arrival.number not in came)
            following = next((one for one in waiting if one.arrival.after_task is None), None)
            if following is not None:
                served = self._host.course.served(hand_out.exercise)
                had = 0 in came or (served is not None and bool(served.lacks))
                before = came.get(following.arrival.number - 1)
                fetched = before is not None and before.fetched is not None
                if is_due(following.arrival, _ASKED[service], had=had, fetched=fetched):
                    await self._arrive(hand_out, following)

    async def fetched(self, hand_out: HandOut) -> None:
        """A learner has fetched: they have what has arrived by now."""
        if not self._host.course.coming_to(hand_out):
            return
        at = self._now()
        came = self._came.setdefault(self._place(hand_out), {})
        if 0 not in came:
            await self._write(CameMeanwhile(*self._place(hand_out), 0, at, at))
        if any(one.fetched is None for one in came.values()):
            await self._host.ledger.do(HostLedger.fetched_arrivals, *self._place(hand_out), at)
            for number, one in came.items():
                came[number] = replace(one, fetched=one.fetched or at)
            self._tell(hand_out)

    async def pushed(self, hand_out: HandOut, refs: Mapping[str, str]) -> None:
        """A learner has pushed: what comes after a task arrives when a push has moved what that is about.
        Whoever calls this holds the repository."""
        coming = self._host.course.coming_to(hand_out)
        came = self._came.get(self._place(hand_out), {})
        waiting = [one for one in coming if one.arrival.number not in came and one.arrival.after_task]
        if not waiting:
            return
        tasks = self._host.course.variant(hand_out).scenario.task
        before = await asyncio.to_thread(self._host.course.handed_out_refs, hand_out)
        for one in waiting:
            on = branch_ref(tasks[(one.arrival.after_task or 1) - 1].on)
            if refs.get(on) != before.get(on):
                await self._arrive(hand_out, one)

    async def begun_again(self, hand_out: HandOut) -> None:
        """A repository is as it was handed out again: everything is still to come."""
        if self._came.pop(self._place(hand_out), None) is not None:
            await self._host.ledger.do(HostLedger.forget_arrivals, *self._place(hand_out))

    async def _arrive(self, hand_out: HandOut, one: Coming) -> None:
        if not await asyncio.to_thread(arrive, self._repository(hand_out), one):
            log().info("%s stands elsewhere: nothing arrives for %s", one.arrival.branch, hand_out.learner)
            return
        log().info("%s has pushed to %s of %s", one.arrival.by, hand_out.exercise, hand_out.learner)
        await self._write(CameMeanwhile(*self._place(hand_out), one.arrival.number, self._now()))
        self._tell(hand_out)

    async def _note(self, hand_out: HandOut, coming: Sequence[Coming]) -> None:
        """Write down what has arrived and is not written down yet."""
        came = self._came.get(self._place(hand_out), {})
        if all(one.arrival.number in came for one in coming):
            return
        refs = await self._refs(hand_out)
        for one in coming:
            if one.arrival.number in came or not one.has_come(refs):
                continue
            if one.marker not in refs:
                await asyncio.to_thread(arrive, self._repository(hand_out), one)
            await self._write(CameMeanwhile(*self._place(hand_out), one.arrival.number, self._now()))

    async def _write(self, one: CameMeanwhile) -> None:
        await self._host.ledger.do(HostLedger.add_arrival, one)
        self._came.setdefault((one.learner, one.exercise, one.variant), {})[one.number] = one

    async def _refs(self, hand_out: HandOut) -> dict[str, str]:
        return await asyncio.to_thread(refs_of, DiskSource(self._repository(hand_out)))

    def _repository(self, hand_out: HandOut) -> Path:
        return self._host.course.folder / self._host.course.place(hand_out.learner, hand_out.exercise)

    def _place(self, hand_out: HandOut) -> _Place:
        """Of whom it is written down: of the first of a team that is still in the ledger."""
        whose = self._host.course.sharing(hand_out.learner, hand_out.exercise)[0]
        return whose, hand_out.exercise, hand_out.variant

    def _tell(self, hand_out: HandOut) -> None:
        self._host.news.tell(*self._host.course.sharing(hand_out.learner, hand_out.exercise), INSTRUCTOR)

    def _now(self) -> str:
        return self._host.clock.now().isoformat(timespec="seconds")
