"""Bodies of requests, received whole before anything is done with them, within bounds of size and time."""

from __future__ import annotations

import asyncio
import tempfile
import zlib
from collections.abc import AsyncIterator
from typing import IO

from starlette.requests import ClientDisconnect

_SLOWEST = 60.0
"""Seconds that a body may take to come, whatever its size."""


class Refused(Exception):
    """A request that is not answered: the status of HTTP, and why, in words for the one who asked."""

    def __init__(self, status: int, why: str) -> None:
        super().__init__(why)
        self.status, self.why = status, why


async def received(stream: AsyncIterator[bytes], most: int, *, zipped: bool = False) -> tuple[IO[bytes], int]:
    """A body in a file without a name, which stands at its beginning, and its size. Raises Refused."""
    body = tempfile.TemporaryFile()  # noqa: SIM115 - whoever asked for it closes it
    inflate = zlib.decompressobj(16 + zlib.MAX_WBITS) if zipped else None
    size = 0
    try:
        async with asyncio.timeout(_SLOWEST):
            async for part in stream:
                # One byte more than may come shows that there is more.
                data = inflate.decompress(part, most - size + 1) if inflate else part
                size += len(data)
                if size > most:
                    raise Refused(413, f"it is larger than the {most >> 20} MiB that may come at once")
                body.write(data)
        body.seek(0)
        return body, size
    except BaseException as error:
        body.close()
        match error:
            case TimeoutError():
                raise Refused(408, f"it did not come within {_SLOWEST:g} seconds") from None
            case OSError():
                raise Refused(507, f"it can't be kept: {error.strerror}; tell your instructor") from None
            case zlib.error():
                raise Refused(400, "it is damaged") from None
            case ClientDisconnect():
                raise Refused(400, "it ended before its end") from None
        raise
