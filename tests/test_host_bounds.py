"""What a host bounds, part by part: connections, turns, bytes that are held, guesses, what a push may have."""

from __future__ import annotations

import asyncio
import base64
import gzip
import random
import shlex
import socket
import struct
import subprocess
import sys
import time
import zlib
from collections import Counter
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import suppress
from pathlib import Path
from typing import Any, cast

import pytest
import uvicorn
from starlette.requests import Request

from muddled_orchard.commands.host import protocol
from muddled_orchard.commands.host.access import Access
from muddled_orchard.commands.host.addresses import address_of
from muddled_orchard.commands.host.connections import Connections
from muddled_orchard.commands.host.events import News, TooManyPages
from muddled_orchard.commands.host.git_service import GitService
from muddled_orchard.commands.host.held import Held, HeldFile
from muddled_orchard.commands.host.listening import proxies_of
from muddled_orchard.commands.host.push_grading import PushGraders, PushToGrade
from muddled_orchard.commands.host.received import received
from muddled_orchard.commands.host.refused import Refused
from muddled_orchard.commands.host.tidying import _is_due
from muddled_orchard.commands.host.turns import Turns
from muddled_orchard.core.base.limits import MIB, Bounds
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.passwords import hashed
from muddled_orchard.core.git.packs import BadPack, TooLarge, look_through
from muddled_orchard.system.log import log
from muddled_orchard.system.processes import bounded_command
from muddled_orchard.vcs.read.disk import DiskSource
from muddled_orchard.vcs.read.objects import ForeignObjects
from muddled_orchard.vcs.read.pushed import PushSnapshot
from tests.conftest import shell

# -- What a push may have -----------------------------------------------------------------------------------


def number(size: int) -> bytes:
    """A size as a delta has it."""
    parts = bytearray()
    while size > 127:
        parts.append(size & 127 | 128)
        size >>= 7
    return bytes([*parts, size])


def entry(kind: int, size: int, data: bytes, base: bytes = b"") -> bytes:
    """An object of a pack that says it has this size."""
    head = bytearray([kind << 4 | size & 15])
    rest = size >> 4
    while rest:
        head[-1] |= 128
        head.append(rest & 127)
        rest >>= 7
    return bytes(head) + base + zlib.compress(data)


def pack(*entries: bytes, count: int | None = None) -> bytes:
    """A pack of these objects."""
    return struct.pack(">4sLL", b"PACK", 2, len(entries) if count is None else count) + b"".join(entries) + bytes(20)  # fmt: skip


LARGE = 2 << 30
PACKS: dict[str, tuple[bytes, str]] = {
    "small ones": (pack(entry(3, 5, b"apple"), entry(3, 4, b"pear")), ""),
    "a delta of what is elsewhere": (pack(entry(7, 5, number(9) + number(9) + b"\x01x\x01", bytes(20))), ""),
    "an object of 2 GiB": (pack(entry(3, LARGE, b"x")), "a file of 2048 MiB"),
    "a delta that makes 2 GiB": (pack(entry(7, 11, number(9) + number(LARGE) + b"\x01x\x01xx", bytes(20))), "a file of 2048 MiB"),
    "more than it says": (pack(entry(3, 5, b"apples and pears")), "."),
    "many at the limit": (pack(*[entry(3, 9 * MIB, bytes(9 * MIB))] * 3), "more than the 20 MiB"),
    "too many": (pack(entry(3, 1, b"x"), count=5_000), "5,000 objects"),
    "none at all": (b"PACK?", "."),
}  # fmt: skip


@pytest.mark.parametrize("name", PACKS)
def test_a_push_is_looked_through_before_it_is_unpacked(name: str) -> None:
    data, why = PACKS[name]
    if not why:
        look_through(memoryview(data), 1_000, 20 * MIB)
        return
    with pytest.raises((TooLarge, BadPack), match=f"^{why}" if why != "." else None):
        look_through(memoryview(data), 1_000, 20 * MIB)


def test_what_git_may_take_is_bounded(tmp_path: Path) -> None:
    """A program that the host begins, and what that begins in turn."""
    program, python = tmp_path / "program", shlex.quote(sys.executable)
    for body, most, right in (
        (f"{python} -c 'bytearray(900 << 20)'", 600, False),
        (f"{python} -c 'bytearray(10 << 20)'", 600, True),
        (f"head -c 5000000 /dev/zero > {tmp_path}/f", 600, False),
    ):
        program.write_text(f"#!/bin/sh\n{body}\n")
        program.chmod(0o755)
        words = bounded_command(most * MIB, 2 * MIB, str(program))
        assert (subprocess.run(words, capture_output=True, check=False).returncode == 0) == right, body


# -- Turns ----------------------------------------------------------------------------------------------------


def test_turns_are_shared_fairly() -> None:
    """Random work of several people: never too many at once, and whoever is quick never waits for the slow."""

    async def lesson(seed: int) -> None:
        chance, now = random.Random(seed), [0.0]
        at_once, of_one = chance.randint(1, 4), chance.randint(1, 3)
        turns = Turns(at_once, of_one, lambda: now[0])
        running: Counter[str] = Counter()
        ready: asyncio.Queue[tuple[str, asyncio.Event]] = asyncio.Queue()

        async def work(who: str) -> None:
            async with turns.turn(who):
                running[who] += 1
                assert running.total() <= at_once
                assert running[who] <= of_one
                done = asyncio.Event()
                ready.put_nowait((who, done))
                await done.wait()
                running[who] -= 1

        people = chance.choices("abcde", k=30)
        tasks = [asyncio.create_task(work(who)) for who in people]
        for task in chance.sample(tasks, 4):
            task.cancel()  # who goes away leaves no turn behind
        for _ in range(200):
            for _ in range(5):
                await asyncio.sleep(0)
            if ready.empty():
                break
            who, done = ready.get_nowait()
            now[0] += 20.0 if who == "a" else 0.1
            done.set()
        await asyncio.wait_for(asyncio.gather(*tasks, return_exceptions=True), 5)
        assert not running.total()

    for seed in range(30):
        asyncio.run(lesson(seed))


def test_who_was_slow_waits_behind_and_never_has_all_turns() -> None:
    async def order() -> list[str]:
        now, begun = [0.0], []
        turns = Turns(2, 2, lambda: now[0])
        async with turns.turn("mo"):
            now[0] += 30.0
        assert turns.is_slow("mo")
        hold = asyncio.Event()

        async def work(who: str) -> None:
            async with turns.turn(who):
                begun.append(who)
                await hold.wait()

        tasks = [asyncio.create_task(work(who)) for who in ("mo", "mo", "ada")]
        for _ in range(5):
            await asyncio.sleep(0)
        assert begun == ["mo", "ada"], "one turn of two is kept for those who are quick"
        hold.set()
        await asyncio.gather(*tasks)
        now[0] += 600.0
        assert not turns.is_slow("mo"), "it is forgotten"
        return begun

    assert asyncio.run(order()) == ["mo", "ada", "mo"]


class Failing:
    """Processes that always end in the same way."""

    number = 1

    def __init__(self, error: BaseException) -> None:
        self._error = error

    def do(self, _: object, __: float) -> str:
        raise self._error


def test_a_push_that_takes_too_much_memory_is_told_at_once(tmp_path: Path) -> None:
    push = PushToGrade(PushSnapshot(tmp_path, {}, "main"), "x", "v", "{}")
    graders = PushGraders(cast("Any", Failing(MemoryError())), cast("Any", Failing(TimeoutError())), Bounds())
    assert graders.graded(push, 4).reason == "reading it takes more than 1024 MiB of memory"
    assert graders.graded_patiently(push).reason == "reading it took more than 30 seconds"
    lost = PushGraders(cast("Any", Failing(TimeoutError())), cast("Any", Failing(TimeoutError())), Bounds())
    with pytest.raises(TimeoutError):
        lost.graded(push, 4)


# -- Bytes and pages ------------------------------------------------------------------------------------------


def test_bytes_are_held_within_bounds_for_each_and_for_all() -> None:
    held = Held(100, 150)
    ada, bo = HeldFile(held, "ada"), HeldFile(held, "bo")
    ada.write(bytes(90))
    for who, size, status in ((ada, 11, 429), (bo, 61, 503)):
        with pytest.raises(Refused) as refused:
            who.write(bytes(size))
        assert refused.value.status == status
    bo.write(bytes(60))
    bo.file.write(bytes(9))  # as Git does
    with pytest.raises(Refused):
        bo.count()
    ada.close()
    ada.close()
    bo.count()
    assert held.total == bo.size == 69
    bo.close()
    bo.write(b"too late")
    assert held.total == 0
    HeldFile(held, "cyd").write(b"never read")
    assert held.total == 0, "what nobody has any more is let go of"


def test_no_more_pages_than_may_be_open_however_quickly() -> None:
    news = News()
    streams = [news.of("ada") for _ in range(8)]
    with pytest.raises(TooManyPages):
        news.of("ada")
    assert len(streams) == 8


# -- Who asks -------------------------------------------------------------------------------------------------


def header(who: str, password: str) -> str:
    return "Basic " + base64.b64encode(f"{who}:{password}".encode()).decode()


def test_inventing_names_and_guessing_hold_up_no_one() -> None:
    async def attack() -> float:
        people = Access({name: hashed(f"word of {name}") for name in ("instructor", "ada")})
        guesses = [people.who(header(f"n{number}", "x"), "192.0.2.1") for number in range(3_000)]
        guesses += [people.who(header("instructor", f"{number}"), "192.0.2.1") for number in range(12)]
        attacking = [asyncio.create_task(one) for one in guesses]
        await asyncio.sleep(0)
        began = time.monotonic()
        assert await people.who(header("instructor", "word of instructor"), "192.0.2.2") == "instructor"
        assert await people.who(header("ada", "word of ada"), "192.0.2.1") == "ada", "not even from there"
        took = time.monotonic() - began
        for task in attacking:
            task.cancel()
        await asyncio.gather(*attacking, return_exceptions=True)
        return took

    assert asyncio.run(attack()) < 3, "3,000 passwords take more than a minute to check"


def test_guessing_fills_no_log_and_writes_to_no_terminal(caplog: pytest.LogCaptureFixture) -> None:
    people = Access({})
    log().addHandler(caplog.handler)
    try:
        for _ in range(500):
            people._note_wrong("\x1b[2J\nada", "192.0.2.1")
    finally:
        log().removeHandler(caplog.handler)
    assert people.wrong == 500
    assert 60 <= len(caplog.messages) <= 120
    assert all(message.isprintable() for message in caplog.messages)


ADDRESSES = {
    "nobody in between": ("192.0.2.9", {"x-forwarded-for": "203.0.113.5"}, "192.0.2.9"),
    "a proxy": ("127.0.0.1", {"x-forwarded-for": "203.0.113.5"}, "203.0.113.5"),
    "what the client said before": ("127.0.0.1", {"x-forwarded-for": "1.2.3.4, 203.0.113.5"}, "203.0.113.5"),
    "two proxies": ("127.0.0.1", {"x-forwarded-for": "203.0.113.5, 10.0.0.1"}, "203.0.113.5"),
    "the standard": ("127.0.0.1", {"forwarded": 'for=1.2.3.4, for="[2001:db8::1]:4711";proto=https'}, "2001:db8::1"),
    "a port": ("127.0.0.1", {"forwarded": 'for="203.0.113.5:80"'}, "203.0.113.5"),
    "a proxy that hides it": ("127.0.0.1", {"forwarded": "for=_hidden"}, "127.0.0.1"),
    "a proxy that says nothing": ("127.0.0.1", {}, "127.0.0.1"),
    "as IPv6 writes it": ("::ffff:127.0.0.1", {"x-forwarded-for": "203.0.113.5"}, "203.0.113.5"),
}  # fmt: skip


@pytest.mark.parametrize("name", ADDRESSES)
def test_an_address_is_believed_from_a_proxy_alone(name: str) -> None:
    peer, headers, right = ADDRESSES[name]
    lines = [(key.encode(), value.encode()) for key, value in headers.items()]
    request = Request({"type": "http", "client": (peer, 1), "headers": lines})
    assert address_of(request, proxies_of(["127.0.0.1", "10.0.0.1"])) == right


def test_a_proxy_is_named_by_its_address() -> None:
    with pytest.raises(BadInput, match="no IP address"):
        proxies_of(["proxy.orchard.example"])


# -- Connections ----------------------------------------------------------------------------------------------


class Line:
    """A connection for tests."""

    def __init__(self) -> None:
        self.busy, self.ended = False, False

    def let_go(self) -> None:
        self.ended = True


def test_silent_connections_make_room_for_others() -> None:
    now = [0.0]
    connections = Connections(frozenset({"127.0.0.1"}), 800, lambda: now[0])

    def opened(address: str, number: int) -> list[Line]:
        lines = [Line() for _ in range(number)]
        for port, line in enumerate(lines):
            now[0] += 0.1
            assert connections.add((address, port), line)
        return lines

    silent = opened("192.0.2.1", 1_000)
    assert sum(not line.ended for line in silent) == len(connections) <= 64 + 61, "but for the newest"
    for number in range(600):
        opened(f"198.51.100.{number}", 1)
    assert len(connections) <= 256 + 61
    known = Line()
    connections.add(("203.0.113.7", 1), known)
    connections.signed_in(("203.0.113.7", 1), "ada")
    assert not any(line.ended for line in opened("192.0.2.2", 20)), (
        "whoever has just come has time to sign in"
    )
    opened("127.0.0.1", 500)
    assert not known.ended, "who has signed in stays"
    for port in range(70):
        connections.add(("127.0.0.1", 1_000 + port), Line())
        connections.signed_in(("127.0.0.1", 1_000 + port), "ada")
    assert known.ended, "of one person the oldest goes, too"


def test_there_is_an_end_of_room_for_what_is_being_answered() -> None:
    connections = Connections(most=10)
    lines = [Line() for _ in range(12)]
    for port, line in enumerate(lines):
        line.busy = connections.add(("192.0.2.1", port), line)
    assert [line.busy for line in lines] == [True] * 10 + [False] * 2
    assert not any(line.ended for line in lines)


SILENT: dict[str, tuple[bytes, bool]] = {
    "a head that does not end": (b"GET / HTTP/1.1\r\nHo", False),
    "a second head that does not end": (b"GET / HTTP/1.1\r\nHost: x\r\n\r\nGET / HTTP/1.1\r\nHo", False),
    "a body that nobody reads": (b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 999999\r\n\r\nxyz", False),
    "an answer that is not read": (b"GET /large HTTP/1.1\r\nHost: x\r\n\r\n", True),
}


@pytest.mark.parametrize("name", SILENT)
def test_a_connection_ends_when_nothing_goes_on(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """A byte now and then keeps none of them open."""
    for bound in ("_HEADERS_WITHIN", "_REST_WITHIN", "_READ_WITHIN"):
        monkeypatch.setattr(protocol, bound, 0.3)

    async def answered(
        scope: dict[str, object], __: object, send: Callable[[dict[str, object]], Awaitable[None]]
    ) -> None:
        size = 64 << 20 if scope["path"] == "/large" else 0
        length = [(b"content-length", b"%d" % size)]
        await send({"type": "http.response.start", "status": 401, "headers": length})
        for _ in range(size >> 20):
            await send({"type": "http.response.body", "body": bytes(1 << 20), "more_body": True})
        await send({"type": "http.response.body", "body": b""})

    async def talk() -> float:
        sent, unread = SILENT[name]
        connections = Connections()
        with socket.create_server(("127.0.0.1", 0)) as listener:
            config = uvicorn.Config(
                answered, http=protocol.protocol_with(connections), lifespan="off", log_level="critical", ws="none"
            )  # fmt: skip
            running = uvicorn.Server(config)
            serving = asyncio.create_task(running.serve(sockets=[listener]))
            reader, writer = await asyncio.open_connection(*listener.getsockname(), limit=1_024)
            writer.write(sent)
            began = time.monotonic()
            while time.monotonic() - began < 10:
                await asyncio.sleep(0.1)
                with suppress(ConnectionError, TimeoutError):
                    writer.write(b"x")
                    if not unread:
                        await asyncio.wait_for(reader.read(100), 0.05)
                if not len(connections):
                    break
            took = time.monotonic() - began
            writer.close()
            running.should_exit = True
            await serving
        return took

    assert asyncio.run(talk()) < 5


def test_a_packed_body_grows_as_git_packs() -> None:
    async def parts(data: bytes) -> AsyncIterator[bytes]:
        yield data

    held = Held(1 << 30, 1 << 30)
    ids = "\n".join(f"0032want {number:040x}" for number in range(2_000)).encode()
    body = asyncio.run(received(parts(gzip.compress(ids)), 4 * MIB, HeldFile(held, "ada"), zipped=True))
    assert body.file.read() == ids
    bomb = received(parts(gzip.compress(bytes(63 * MIB))), 64 * MIB, HeldFile(held, "bo"), zipped=True)
    with pytest.raises(Refused, match="much more than Git"):
        asyncio.run(bomb)
    assert held.total == len(ids)
    body.close()


# -- Room -----------------------------------------------------------------------------------------------------


def test_packing_anew_throws_nothing_away_and_disturbs_no_reader(tmp_path: Path) -> None:
    """Also what no ref leads to: whatever was pushed can be graded, and read by whoever is at it."""
    shell(tmp_path, "git init -q --bare r.git")
    here = tmp_path / "r.git"
    ids = shell(here, "for n in $(seq 60); do echo $n | git hash-object -w --stdin; done").split()
    tree = shell(here, f"printf '100644 blob {ids[0]}\\tf\\n' | git mktree").strip()
    shell(here, f"git update-ref refs/heads/main $(git commit-tree -m x {tree})")
    reader = ForeignObjects(DiskSource(here / "objects"))
    assert not _is_due(here, 0.0, 70)
    assert _is_due(here, -5.0, 50)
    assert not _is_due(here, 600.0, 50), "somebody may be at work"
    (here / "large").write_bytes(bytes(33 * MIB))
    assert not _is_due(here, -5.0, 50), "graders read no pack of that size"
    git = GitService(tmp_path, Bounds(), 1, Held(1, 1), MIB)
    assert asyncio.run(git.pack_anew("r.git"))
    assert not list((here / "objects").glob("??/*"))
    assert [reader.read(id_) for id_ in ids] == [(3, f"{number}\n".encode()) for number in range(1, 61)]
    assert reader.read("1" * 40) is None
    assert not asyncio.run(git.pack_anew("none.git"))
