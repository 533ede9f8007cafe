"""Where the host's own paths begin: a proxy may have put them below another one, and take it away or not."""

from __future__ import annotations

from starlette.requests import Request
from starlette.responses import RedirectResponse
from starlette.types import ASGIApp, Receive, Scope, Send


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
