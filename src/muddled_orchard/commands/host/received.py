"""Bodies of requests, received whole before anything is done with them, within bounds of size and time."""

from __future__ import annotations

import asyncio
import zlib
from collections.abc import AsyncIterator

from starlette.requests import ClientDisconnect

from muddled_orchard.commands.host.held import HeldFile
from muddled_orchard.commands.host.refused import Refused

_SLOWEST = 60.0
"""Seconds that a body may take to come, whatever its size."""

_RATIO, _FREE = 50, 64 << 10
"""How many times its size a packed body may grow to, beyond so many bytes: Git packs lists of ids."""


async def received(
    stream: AsyncIterator[bytes], most: int, body: HeldFile, *, zipped: bool = False
) -> HeldFile:
    """A body in a file, which then stands at its beginning. Raises Refused, and the file is closed.

    Inflating and writing are done in a thread, a part after the other: nobody else waits for them.
    """
    writing = _Writing(body, most, zipped=zipped)
    try:
        async with asyncio.timeout(_SLOWEST):
            async for part in stream:
                await asyncio.to_thread(writing.add, part)
        body.file.seek(0)
        return body
    except BaseException as error:
        body.close()
        match error:
            case TimeoutError():
                raise Refused(408, f"it did not come within {_SLOWEST:g} seconds") from None
            case OSError():
                raise Refused(507, f"it can't be kept ({error.strerror}); tell your instructor") from None
            case zlib.error():
                raise Refused(400, "it is damaged") from None
            case ClientDisconnect():
                raise Refused(400, "it ended before its end") from None
        raise


class _Writing:
    def __init__(self, body: HeldFile, most: int, *, zipped: bool) -> None:
        self._body, self._most = body, most
        self._inflate = zlib.decompressobj(16 + zlib.MAX_WBITS) if zipped else None
        self._came = 0

    def add(self, part: bytes) -> None:
        """Write what a part comes to. Raises Refused, zlib.error, OSError."""
        self._came += len(part)
        most = self._most
        if self._inflate is not None:
            most = min(most, _RATIO * self._came + _FREE)
            # One byte more than may come shows that there is more.
            part = self._inflate.decompress(part, most - self._body.size + 1)
        if self._body.size + len(part) > most:
            if most < self._most:
                raise Refused(413, "it grows to much more than Git ever packs")
            raise Refused(413, f"it is larger than the {self._most >> 20} MiB that may come at once")
        self._body.write(part)
