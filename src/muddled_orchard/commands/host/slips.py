"""A sheet of slips to print and cut: each learner's id and password."""

from __future__ import annotations

from collections.abc import Sequence

from muddled_orchard.core.course.passwords import GivenPassword
from muddled_orchard.show.page import template
from muddled_orchard.show.terminal.characters import printable


def slips_page(course: str, url: str, passwords: Sequence[GivenPassword]) -> str:
    """The page; `url` is where learners sign in."""
    slips = [
        {"id": printable(password.id), "name": printable(password.name), "password": password.password}
        for password in passwords
    ]
    return template("commands/host/slips.html").render(course=printable(course), url=url, slips=slips)
