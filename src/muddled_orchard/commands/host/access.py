"""Who asks: passwords checked in constant time, and guessing made slow.

Who has signed in since the host began is known by a keyed hash, and waits for nobody. A name that nobody has
is answered as late as a wrong password, but nothing is computed for it: inventing names holds up no one.
"""

from __future__ import annotations

import asyncio
import base64
import binascii
import hashlib
import hmac
import secrets
import time
from collections import OrderedDict
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor

from msgspec import Struct

from muddled_orchard.core.base.phrases import brief
from muddled_orchard.core.course.passwords import HashedPassword, matches
from muddled_orchard.show.terminal.characters import printable
from muddled_orchard.system.log import log

_FIRST_DELAY, _LONGEST_DELAY = 0.25, 8.0
"""Seconds that an answer to the first wrong password takes, and to the n-th at most; each takes twice as long
as the one before. Checking one takes a tenth of the first."""

_FORGOTTEN_AFTER = 900.0
_MOST_WAITING = 8
_MOST_REMEMBERED = 10_000

_NOTED_A_MINUTE = 60
"""How many wrong passwords a minute the log has; the figures count all."""


class TooManyGuesses(Exception):
    """Somebody guesses passwords faster than they are answered."""


class _Guesses(Struct):
    """Wrong passwords in a row for one name from one address."""

    wrong: int = 0
    newest: float = 0.0
    waiting: int = 0


class Access:
    """Checks names and passwords. A password that was right is known again by a keyed hash, in memory alone,
    so that scrypt is asked once a person."""

    def __init__(self, passwords: Mapping[str, HashedPassword]) -> None:
        self._kept = dict(passwords)
        self._key = secrets.token_bytes(32)
        self._right: dict[str, bytes] = {}
        self._guesses: OrderedDict[tuple[str, str], _Guesses] = OrderedDict()
        self.wrong, self._noted = 0, (0, 0)
        self._computing = ThreadPoolExecutor(2, "passwords")

    def renew(self, passwords: Mapping[str, HashedPassword]) -> None:
        """Go by other passwords from now on."""
        for who in [who for who in self._right if passwords.get(who) != self._kept.get(who)]:
            del self._right[who]
        self._kept = dict(passwords)

    async def who(self, header: str | None, address: str) -> str | None:
        """Whose name and password an `Authorization` header has, or None. Raises TooManyGuesses."""
        given = _name_and_password(header)
        if given is None:
            return None
        who, password = given
        digest = hmac.digest(self._key, f"{who}\0{password}".encode("utf-8", "replace"), hashlib.sha256)
        known = self._right.get(who)
        if known is not None and hmac.compare_digest(known, digest):
            return who
        guesses = self._of(who, address)
        if guesses.waiting >= _MOST_WAITING:
            raise TooManyGuesses
        guesses.waiting += 1
        try:
            return await self._checked(who, password, digest, guesses, address)
        finally:
            guesses.waiting -= 1

    async def _checked(
        self, who: str, password: str, digest: bytes, guesses: _Guesses, address: str
    ) -> str | None:
        begun, kept = time.monotonic(), self._kept.get(who)
        if kept is not None:
            loop = asyncio.get_running_loop()
            right = await loop.run_in_executor(self._computing, matches, password, kept)
            if right and kept == self._kept.get(who):
                self._right[who] = digest
                guesses.wrong = 0
                return who
        self._note_wrong(who, address)
        guesses.wrong += 1
        guesses.newest = time.monotonic()
        delay = min(_FIRST_DELAY * 2 ** min(guesses.wrong - 1, 10), _LONGEST_DELAY)
        # Counted from the beginning, so that it tells nothing whether anything was computed.
        await asyncio.sleep(delay - (time.monotonic() - begun))
        return None

    def _note_wrong(self, who: str, address: str) -> None:
        """Count it, and write it down: so many a minute, since whoever guesses would fill the disk."""
        self.wrong += 1
        minute = int(time.monotonic() // 60)
        self._noted = (minute, self._noted[1] + 1 if self._noted[0] == minute else 1)
        if self._noted[1] <= _NOTED_A_MINUTE:
            log().warning("a wrong name or password from %s, for %s", address, printable(brief(who, 40)))

    def _of(self, who: str, address: str) -> _Guesses:
        now, place = time.monotonic(), (who[:100], address)
        guesses = self._guesses.setdefault(place, _Guesses())
        self._guesses.move_to_end(place)
        if now - guesses.newest > _FORGOTTEN_AFTER:
            guesses.wrong = 0
        while len(self._guesses) > _MOST_REMEMBERED:
            self._guesses.popitem(last=False)
        return guesses


def _name_and_password(header: str | None) -> tuple[str, str] | None:
    """What a header of HTTP's basic authentication says (RFC 7617)."""
    scheme, _, encoded = (header or "").partition(" ")
    if scheme.lower() != "basic":
        return None
    try:
        text = base64.b64decode(encoded.strip(), validate=True).decode()
    except (binascii.Error, ValueError):
        return None
    who, colon, password = text.partition(":")
    return (who, password) if colon else None
