"""Where a host listens."""

from __future__ import annotations

import ipaddress
import os
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
    addresses of those that may say for whom they ask. `most_kept`: bytes of all repositories of a learner."""

    address: str
    port: int
    certificate: Path | None = None
    key: Path | None = None
    url: str | None = None
    proxies: frozenset[str] = frozenset()
    most_kept: int = 200 << 20


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
    for file in (listening.certificate, listening.key):
        if file is not None and not file.is_file():
            raise BadInput(Problem("there is no such file", "Name a PEM file.", file=str(file)))
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


def tls_warnings(listening: Listening) -> list[str]:
    """What is not as it should be with a certificate that can be used."""
    warnings = []
    key = listening.key or listening.certificate
    if key is not None and os.name == "posix" and key.stat().st_mode & 0o077:
        warnings.append(f"Others on this machine can read the key: chmod 600 {key}")
    if listening.certificate is not None and (when := _not_now(listening)):
        warnings.append(f"The certificate {when}: Git and browsers refuse it. Name another one.")
    return warnings


_TIMES = {9: "is not valid yet", 10: "has expired"}  # X509_V_ERR_CERT_NOT_YET_VALID, _HAS_EXPIRED


def _not_now(listening: Listening) -> str:
    """Why a certificate is not valid at this time; nothing where it is. A client of our own is asked, which
    trusts it."""
    assert listening.certificate is not None  # noqa: S101 - whoever asks knows
    server = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    server.load_cert_chain(listening.certificate, listening.key)
    client = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    client.check_hostname = False
    client.verify_flags |= ssl.VERIFY_X509_PARTIAL_CHAIN
    client.load_verify_locations(listening.certificate)
    asking, asked = ssl.MemoryBIO(), ssl.MemoryBIO()
    ends = (client.wrap_bio(asked, asking), server.wrap_bio(asking, asked, server_side=True))
    for _ in range(4):
        for end in ends:
            try:
                end.do_handshake()
            except ssl.SSLWantReadError:
                continue
            except ssl.SSLCertVerificationError as error:
                return _TIMES.get(error.verify_code, "")
            except ssl.SSLError:
                return ""
    return ""
