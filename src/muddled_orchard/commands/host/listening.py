"""Where a host listens."""

from __future__ import annotations

import ipaddress
import socket
import ssl
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from msgspec import Struct

from muddled_orchard.core.base.problems import BadInput, Problem

_BACKLOG = 2_000


class Listening(Struct, frozen=True):
    """Where a host listens: the address, the port, and with a certificate and its key (both PEM files, or one
    that has both) over TLS. `url` is where learners reach it, if that is another place; `proxies` are the
    addresses of those that may say for whom they ask."""

    address: str
    port: int
    certificate: Path | None = None
    key: Path | None = None
    url: str | None = None
    proxies: frozenset[str] = frozenset()


def proxies_of(words: Iterable[str]) -> frozenset[str]:
    """The addresses of proxies that are trusted. Raises BadInput for what is no address."""
    found = set()
    for word in words:
        try:
            found.add(str(ipaddress.ip_address(word)))
        except ValueError:
            hint = "Name the address from which the proxy connects, as in 127.0.0.1 or ::1."
            raise BadInput(Problem(f"--proxy {word}: this is no IP address", hint)) from None
    return frozenset(found)


@contextmanager
def listening_socket(listening: Listening) -> Iterator[socket.socket]:
    """A socket that listens there. Raises BadInput where none can."""
    where = f"{listening.address}:{listening.port}"
    try:
        family = socket.AF_INET6 if ":" in listening.address else socket.AF_INET
        found = socket.create_server((listening.address, listening.port), family=family, backlog=_BACKLOG)
    except OSError as error:
        taken = "Another program listens there already: name another --port."
        hint = taken if "in use" in str(error) else "Name another --address or --port."
        raise BadInput(Problem(f"{where} can't be listened on: {error.strerror or error}", hint)) from None
    with found:
        yield found


def speaks_tls(listening: Listening) -> bool:
    """Whether TLS is spoken. Raises BadInput where the certificate can't be used."""
    if listening.certificate is None:
        if listening.key is not None:
            raise BadInput(Problem("--key without --certificate", "Name both."))
        return False
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)

    def no_password() -> str:
        raise ValueError("the key has a password")

    try:
        context.load_cert_chain(listening.certificate, listening.key, no_password)
    except (OSError, ValueError) as error:
        reason = getattr(error, "reason", None) or getattr(error, "strerror", None) or str(error)
        hint = "It is a PEM file, its chain in it, with the key in it or in --key FILE, without a password."
        what = f"the certificate can't be used: {str(reason).lower().replace('_', ' ')}"
        raise BadInput(Problem(what, hint, file=str(listening.certificate))) from None
    return True
