"""The host as an application of ASGI: who asks, what is asked for, and what every answer carries."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from urllib.parse import urlsplit

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, PlainTextResponse, Response
from starlette.routing import Route
from starlette.types import ASGIApp

from muddled_orchard.commands.host.access import TooManyGuesses
from muddled_orchard.commands.host.addresses import address_of
from muddled_orchard.commands.host.git_requests import GitRequests
from muddled_orchard.commands.host.host import Host
from muddled_orchard.commands.host.page_requests import PageRequests
from muddled_orchard.commands.host.pages import message_page, static_file
from muddled_orchard.commands.host.paths import below, top_of
from muddled_orchard.commands.host.refused import Refused
from muddled_orchard.commands.host.watched import Readiness
from muddled_orchard.core.base.problems import BadInput
from muddled_orchard.core.course.passwords import INSTRUCTOR

_KINDS = {"css": "text/css; charset=utf-8", "js": "text/javascript; charset=utf-8", "svg": "image/svg+xml"}

_Answer = Callable[[Request, str], Awaitable[Response]]

_POLICY = (
    "default-src 'none'; style-src 'self'; style-src-attr 'unsafe-inline'; script-src 'self'; img-src 'self';"
    " connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
_HEADERS = {
    "Content-Security-Policy": _POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cache-Control": "no-store",
}


def application(host: Host) -> ASGIApp:
    """All that a host answers, below the path of its URL."""
    page, git = PageRequests(host), GitRequests(host)
    ways: list[tuple[str, str, _Answer]] = [
        ("GET", "/", page.home),
        ("GET", "/exercise/{exercise}", page.exercise),
        ("GET", "/archive/{exercise}.tar.gz", page.archive),
        ("POST", "/hand", page.hand),
        ("POST", "/again", page.again),
        ("POST", "/role", page.role),
        ("POST", "/drill", page.drill),
        ("POST", "/folder/{exercise}", page.folder),
        ("GET", "/events", page.events),
        ("GET", "/board", page.board),
        ("GET", "/metrics", page.metrics),
        ("GET", "/board/{learner}/{exercise}", page.row),
    ]
    routes = [Route(path, _for_browsers(host, answer), methods=[way]) for way, path, answer in ways]
    routes.append(Route("/static/{name}", _static, methods=["GET"]))
    routes.append(Route("/health", _health(Readiness(host)), methods=["GET"]))
    routes.append(Route("/git/{rest:path}", _for_git(host, git.answer), methods=["GET", "POST"]))
    return below(Starlette(routes=routes), urlsplit(host.url or "").path)


def _for_browsers(host: Host, answer: _Answer) -> Callable[[Request], Awaitable[Response]]:
    async def answered(request: Request) -> Response:
        who = await _who(host, request)
        if isinstance(who, Response):
            return who
        try:
            found = await answer(request, who)
        except Refused as refused:
            found = _did_not_work(request, refused.why, refused.status)
        except BadInput as bad:  # the ledger, which somebody else is at work with
            found = _did_not_work(request, str(bad), 503)
        found.headers.update({**_HEADERS, **found.headers})
        return found

    return answered


def _did_not_work(request: Request, why: str, status: int) -> Response:
    return HTMLResponse(message_page("That did not work", why, top_of(request)), status)


def _for_git(host: Host, answer: _Answer) -> Callable[[Request], Awaitable[Response]]:
    async def answered(request: Request) -> Response:
        who = await _who(host, request)
        if isinstance(who, Response):
            return who
        try:
            return await answer(request, who)
        except Refused as refused:
            # What is plain text Git shows its user.
            return PlainTextResponse(f"{refused.why}\n", refused.status, _HEADERS)

    return answered


async def _who(host: Host, request: Request) -> str | Response:
    """Who asks, or the answer to somebody who has not said it."""
    address = address_of(request, host.proxies)
    try:
        who = await host.access.who(request.headers.get("authorization"), address)
    except TooManyGuesses:
        text = "Too many wrong passwords at once; wait a little."
        return PlainTextResponse(f"{text}\n", 429, {**_HEADERS, "Retry-After": "10"})
    if who is None:
        said = "Sign in with your id and the password on your slip.\n"
        headers = {**_HEADERS, "WWW-Authenticate": 'Basic realm="Muddled Orchard", charset="UTF-8"'}
        return PlainTextResponse(said, 401, headers)
    if who != INSTRUCTOR and who not in host.course.learners:
        said = "You are not in this course any more; your instructor knows why.\n"
        return PlainTextResponse(said, 403, _HEADERS)
    if request.client is not None:
        host.connections.signed_in((request.client.host, request.client.port), who)
    return who


def _health(readiness: Readiness) -> Callable[[Request], Awaitable[Response]]:
    """Whether pushes can be taken, for whoever watches the machine: it says nothing of anybody's."""

    async def answered(_: Request) -> Response:
        problems = await readiness.problems()
        said = "".join(f"{what}\n" for what in problems) or "ready\n"
        return PlainTextResponse(said, 503 if problems else 200, _HEADERS)

    return answered


async def _static(request: Request) -> Response:
    """The style, the script and the icon of the pages; there is nothing in them that is anybody's."""
    try:
        data = static_file(request.path_params["name"])
    except KeyError:
        return PlainTextResponse("There is nothing here.\n", 404, _HEADERS)
    kind = _KINDS[request.path_params["name"].rpartition(".")[2]]
    return Response(data, 200, {**_HEADERS, "Cache-Control": "max-age=60"}, kind)
