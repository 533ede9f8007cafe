"""From where a request comes: behind a proxy that is trusted, the address that it names."""

from __future__ import annotations

import ipaddress
import re

from starlette.requests import Request

from muddled_orchard.core.base.patterns import pattern

_FOR = pattern(r'(?:^|[;,\s])for="?(\[[0-9a-f:.]+\]|[^;,"\s]+)', re.IGNORECASE)
_PORT = pattern(r"^(\d+\.\d+\.\d+\.\d+):\d+$|^\[([^\]]+)\](?::\d+)?$")


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


def _plain(word: str) -> str:
    """An address in its one form, without a port. Raises ValueError."""
    match = _PORT.match(word)
    address = ipaddress.ip_address(match[1] or match[2] if match else word)
    mapped = getattr(address, "ipv4_mapped", None)
    return str(mapped or address)
