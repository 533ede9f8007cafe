"""Serve a course over HTTP: learners clone and push with plain Git, and hear back at once."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from muddled_orchard.commands.host.course_source import CourseSource
from muddled_orchard.commands.host.listening import Listening, proxies_of, tls_warnings
from muddled_orchard.commands.options import (
    add_bounds,
    add_course,
    add_ledger,
    add_quiet,
    bounds_of,
    on_disk,
    positive,
)
from muddled_orchard.core.base.limits import Bounds
from muddled_orchard.core.base.problems import BadInput, Problem

if TYPE_CHECKING:
    pass

EXAMPLES = (
    "muddled host --passwords passwords.csv",
    "muddled host --port 8000",
    "muddled host --address 0.0.0.0 --certificate host.pem",
)

_LOCAL = "127.0.0.1"
_ANY = ("0.0.0.0", "::")  # noqa: S104 - the instructor says so
_PORT = 8000
_GRADERS = 2
_SECONDS = 10
"""Seconds in which a push must be graded: a class waits, and almost all take less than one."""

_KEPT = 200
_READ_ALONG = "Without TLS whoever is in this network can read passwords along: name a --certificate."


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled host`."""
    parser.add_argument(
        "scenarios", metavar="SCENARIO", nargs="*",
        help="a scenario file, a folder of them, or the id of a bundled one (default: those of the course)",
    )  # fmt: skip
    add_course(parser)
    parser.add_argument(
        "--roster", metavar="FILE", type=Path,
        help="CSV with an id and a name for each (default: the course's, else the ledger's learners)",
    )  # fmt: skip
    parser.add_argument(
        "--roster-columns", metavar="WHICH", help='which columns of it: id=Username,name="Full name"'
    )
    add_ledger(parser)
    parser.add_argument(
        "--passwords", metavar="FILE", type=on_disk,
        help="write everybody's password to this list, and FILE.html to print and cut; then end",
    )  # fmt: skip
    parser.add_argument(
        "--renew", metavar="LEARNER", action="append", default=[],
        help="with --passwords: give this learner a new one; may be repeated",
    )  # fmt: skip
    parser.add_argument(
        "--repositories", metavar="DIR", type=on_disk,
        help="where the repositories lie (default: repositories, beside the ledger)",
    )  # fmt: skip
    parser.add_argument(
        "--address", metavar="ADDRESS", default=_LOCAL,
        help="what to listen on (default: %(default)s, this machine alone; 0.0.0.0: all it has)",
    )  # fmt: skip
    parser.add_argument("--port", metavar="N", type=int, default=_PORT, help="default: %(default)s")
    parser.add_argument(
        "--certificate", metavar="FILE", type=Path, help="speak TLS with this certificate (PEM)"
    )
    parser.add_argument("--key", metavar="FILE", type=Path, help="its key, where that is another file")
    parser.add_argument(
        "--url",
        metavar="URL",
        help="how learners reach it, where that is another address; it may have a path",
    )
    parser.add_argument(
        "--proxy", metavar="ADDRESS", action="append", default=[],
        help="a proxy in front of it, whose Forwarded or X-Forwarded-For is believed; may be repeated",
    )  # fmt: skip
    parser.add_argument(
        "--jobs", metavar="N", type=positive, default=_GRADERS,
        help="how many pushes are graded side by side (default: %(default)s)",
    )  # fmt: skip
    add_bounds(parser, Bounds(seconds=_SECONDS))
    parser.add_argument(
        "--most-kept", metavar="MIB", type=positive, default=_KEPT,
        help="the most that all repositories of one learner may hold (default: %(default)s MiB)",
    )  # fmt: skip
    add_quiet(parser, "say nothing of pushes")


def run(options: argparse.Namespace) -> int:
    """Write passwords, or serve until asked to end."""
    if options.passwords is not None:
        return write_passwords_with(options)
    if options.renew:
        raise BadInput(Problem("--renew goes with --passwords", "Name the list that is to be written."))
    return serve_with(options)


def host_options(words: Sequence[str]) -> argparse.Namespace:
    """The options that these words on the command line come to."""
    parser = argparse.ArgumentParser()
    add_options(parser)
    return parser.parse_args(list(words))


def serve_with(options: argparse.Namespace, begun: Callable[[str], None] = lambda _: None) -> int:
    """Serve until asked to end. `begun` is called with the address as soon as it listens."""
    try:
        from muddled_orchard.commands.host.server import Saying, serve
    except ModuleNotFoundError as missing:
        hint = "pip install 'muddled-orchard[host]' brings what is missing."
        raise BadInput(Problem(f"a host takes {missing.name}, which is not installed", hint)) from None
    from muddled_orchard.commands.host.terminal import show_push, show_serving
    from muddled_orchard.files.course.host_ledger import HostLedger
    from muddled_orchard.show.terminal.plain import Plain

    listening, source = _listening(options), CourseSource(options)
    names = source.names()
    ledger = HostLedger(source.ledger, create=True)
    try:
        known = ledger.passwords()
    finally:
        ledger.close()
    if not known:
        hint = "muddled host --passwords passwords.csv writes them, with slips to print."
        raise BadInput(Problem("nobody has a password yet", hint))
    on = Plain()

    def ready(port: int) -> None:
        wide = listening.certificate is None and listening.address not in (_LOCAL, "::1", "localhost")
        lacking = [id_ for id_ in names if id_ not in known]
        url = _url(listening, port)
        warnings = [_READ_ALONG] if wide else tls_warnings(listening)
        show_serving(on, source.title, len(names), url, lacking, warnings)
        begun(url)

    saying = Saying(
        ready=ready,
        push=lambda result: None if options.quiet else show_push(on, names, result.push, result.assessment),
        more=lambda text: print(text, file=sys.stderr, flush=True),
    )
    serve(source, source.ledger, listening, bounds_of(options), options.jobs, saying)
    return 0


def write_passwords_with(options: argparse.Namespace) -> int:
    """Give passwords to who has none, and write the list and the slips."""
    from muddled_orchard.commands.host.enrolment import give_passwords
    from muddled_orchard.commands.host.slips import slips_page
    from muddled_orchard.files.course.host_ledger import HostLedger
    from muddled_orchard.files.course.password_file import read_passwords, write_passwords
    from muddled_orchard.system.output import PRIVATE, write_file

    listening, source = _listening(options), CourseSource(options)
    learners = list(source.learners().values())
    listed = read_passwords(options.passwords)
    ledger = HostLedger(source.ledger, create=True)
    try:
        passwords, new = give_passwords(ledger, learners, listed, options.renew)
    finally:
        ledger.close()
    write_passwords(options.passwords, passwords)
    sheet = options.passwords.with_name(f"{options.passwords.name}.html")
    url = _url(listening, listening.port)
    write_file(sheet, slips_page(source.title, url, passwords[1:]).encode(), PRIVATE)
    if not options.quiet:
        given = f"{len(passwords)} passwords, {new} of them new"
        print(f"{options.passwords}: {given}; the first is the instructor's.")
        print(f"{sheet}: slips to print and cut, one a learner. A running host goes by them at once.")
    return 0


def _listening(options: argparse.Namespace) -> Listening:
    if not 0 <= options.port <= 65_535:
        raise BadInput(Problem(f"--port {options.port}: a port is a number from 0 to 65535"))
    if options.url is not None and not options.url.startswith(("http://", "https://")):
        raise BadInput(Problem(f"--url {options.url}: it begins with http:// or https://"))
    proxies = proxies_of(options.proxy)
    return Listening(
        options.address,
        options.port,
        options.certificate,
        options.key,
        options.url,
        proxies,
        options.most_kept << 20,
    )


def _url(listening: Listening, port: int) -> str:
    """How learners reach it."""
    if listening.url:
        return listening.url.rstrip("/") + "/"
    scheme = "https" if listening.certificate else "http"
    name = listening.address if listening.address not in _ANY else _own_name()
    shown = f"[{name}]" if ":" in name else name
    return f"{scheme}://{shown}:{port}/"


def _own_name() -> str:
    """The name of this machine, as others in its network may know it."""
    import socket

    return socket.gethostname()
