"""Who asks, and from where: behind a proxy that is trusted, the address that it names."""

from __future__ import annotations

import ipaddress
import re

from starlette.requests import Request
from starlette.responses import RedirectResponse
from starlette.types import ASGIApp, Receive, Scope, Send

_FOR = re.compile(r'(?:^|[;,\s])for="?(\[[0-9a-f:.]+\]|[^;,"\s]+)', re.IGNORECASE)
_PORT = re.compile(r"^(\d+\.\d+\.\d+\.\d+):\d+$|^\[([^\]]+)\](?::\d+)?$")


def address_of(request: Request, proxies: frozenset[str]) -> str:
    """Where a request comes from. What it says of that itself counts only where a trusted proxy sent it: the
    last address that is no proxy's, by `Forwarded` (RFC 7239) or `X-Forwarded-For`."""
    address = _plain(request.client.host) if request.client else ""
    if address not in proxies:
        return address
    named = [match for value in request.headers.getlist("forwarded") for match in _FOR.findall(value)]
    if not named:
        for value in request.headers.getlist("x-forwarded-for"):
            named += [word.strip() for word in value.split(",")]
    for word in reversed(named):
        try:
            known = _plain(word)
        except ValueError:
            return address  # it hides whom it speaks for
        if known not in proxies:
            return known
    return address


def top_of(request: Request) -> str:
    """How a link leads from a page to where the host's own paths begin, whatever a proxy put before them."""
    raw: bytes = request.scope.get("raw_path") or request.scope["path"].encode()
    return "../" * (raw.count(b"/") - 1) or "./"


def below(application: ASGIApp, path: str) -> ASGIApp:
    """The application with its paths below another one, as `/orchard`: a proxy may take that away, or not."""
    prefix = path.rstrip("/")
    if not prefix:
        return application

    async def answered(scope: Scope, receive: Receive, send: Send) -> None:
        own = scope.get("path", "")
        if scope["type"] == "http" and own == prefix:
            redirect = RedirectResponse(f"{prefix.rpartition('/')[2]}/", 308)
            await redirect(scope, receive, send)
            return
        if scope["type"] == "http" and own.startswith(f"{prefix}/"):
            raw = scope.get("raw_path") or b""
            cut = raw[len(prefix) :] if raw.startswith(f"{prefix}/".encode()) else own[len(prefix) :].encode()
            scope = {**scope, "path": own[len(prefix) :], "raw_path": cut}
        await application(scope, receive, send)

    return answered


def _plain(word: str) -> str:
    """An address in its one form, without a port. Raises ValueError."""
    match = _PORT.match(word)
    address = ipaddress.ip_address(match[1] or match[2] if match else word)
    mapped = getattr(address, "ipv4_mapped", None)
    return str(mapped or address)
