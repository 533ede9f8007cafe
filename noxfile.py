"""The tests on every interpreter that is found, and on the lowest versions that pyproject.toml allows.

`nox` runs them all; `nox -s lowest` one session. Interpreters that are not there are passed over.
"""

import nox

nox.options.default_venv_backend = "uv|virtualenv"
nox.options.error_on_missing_interpreters = False


@nox.session(python=["3.11", "3.12", "3.13", "3.14"])
def tests(session: nox.Session) -> None:
    """The tests with the newest versions of everything."""
    session.install("--editable", ".[dev]")
    session.run("pytest", "--numprocesses", "auto", *session.posargs)


@nox.session(python="3.11", venv_backend="uv")
def lowest(session: nox.Session) -> None:
    """The tests with the lowest versions that are allowed, on the lowest Python."""
    session.install("--resolution", "lowest-direct", "--editable", ".[dev]")
    session.run("pytest", "--numprocesses", "auto", *session.posargs)
