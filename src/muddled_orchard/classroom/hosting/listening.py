"""Where a host listens."""

from __future__ import annotations

from pathlib import Path

from msgspec import Struct


class Listening(Struct, frozen=True):
    """Where a host listens: the address, the port, and with a certificate and its key (both PEM files, or one
    that has both) over TLS. `url` is where learners reach it, if that is another place."""

    address: str
    port: int
    certificate: Path | None = None
    key: Path | None = None
    url: str | None = None
