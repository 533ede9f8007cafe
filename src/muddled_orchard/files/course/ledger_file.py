"""The ledger as a file: opened and brought up to date, used in transactions, copied; what SQLite complains
about is told.

A ledger may come from anybody: nothing in it is followed, and no value of it is larger than any that was
written here.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

import msgspec

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.files.course.ledger_schema import MIGRATIONS
from muddled_orchard.system.log import log
from muddled_orchard.system.output import make_private, tell

_PATIENCE = 5.0
"""Seconds that a run waits for another one to let the ledger go."""

_LONGEST = 64 << 20
"""The most bytes of a value."""


class LedgerFile:
    """An open file. Raises BadInput where it can't be used as a ledger."""

    def __init__(self, path: Path, *, create: bool = False) -> None:
        self.path = path
        if not create and not path.is_file():
            raise BadInput(Problem("there is no such ledger", "muddled handout makes one.", file=str(path)))
        try:
            if create and not path.exists():
                path.parent.mkdir(parents=True, exist_ok=True)
                make_private(path)  # it has the answers
        except OSError as error:
            raise BadInput(Problem(f"can't be written: {error.strerror}", file=str(path))) from None
        with self._told():
            # Two runs at once wait for each other, a while.
            self._db = sqlite3.connect(path, timeout=_PATIENCE, isolation_level=None)
            try:
                self._db.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, _LONGEST)
                self._db.execute("PRAGMA trusted_schema = OFF")
                self._refuse_followed()
                self._db.execute("PRAGMA journal_mode = WAL")
                self._db.execute("PRAGMA synchronous = FULL")
                self._db.execute("PRAGMA foreign_keys = ON")
                self._migrate()
            except BaseException:
                self._db.close()
                raise

    def _files(self) -> list[Path]:
        """The file, and those that SQLite keeps beside it."""
        return [self.path.with_name(self.path.name + more) for more in ("", "-wal", "-shm")]

    def close(self) -> None:
        """Let go of the file."""
        self._db.close()

    def _refuse_followed(self) -> None:
        """Raise BadInput where the file would have more done than it holds: a ledger may come from anybody,
        and a view of it need not end."""
        odd = "type NOT IN ('table', 'index') OR sql LIKE 'CREATE VIRTUAL%'"
        followed = self._db.execute(f"SELECT type FROM sqlite_master WHERE {odd}").fetchone()  # noqa: S608 - ours
        if followed is not None:
            what = f"this is no ledger: it has a {'virtual table' if followed[0] == 'table' else followed[0]}"
            hint = "Take a copy of it from before, or name another one with --ledger."
            raise BadInput(Problem(what, hint, file=str(self.path)))

    def _migrate(self) -> None:
        (version,) = self._db.execute("PRAGMA user_version").fetchone()
        if version < 0:
            raise ValueError
        if version == len(MIGRATIONS):
            return
        if version > len(MIGRATIONS):
            hint = "Use the newer muddled that wrote it."
            raise BadInput(
                Problem(f"this ledger is of a later version ({version})", hint, file=str(self.path))
            )
        if version:
            before = self.path.with_name(f"{self.path.name}.version-{version}")
            if not before.exists():
                self.copy_to(before)
            what = f"{self.path} is brought from version {version} to {len(MIGRATIONS)}"
            log().warning("%s", what)
            tell(f"{what}; {before} is a copy from before.")
        with self._transaction():
            (version,) = self._db.execute(
                "PRAGMA user_version"
            ).fetchone()  # another run may have been quicker
            for number in range(version, len(MIGRATIONS)):
                for statement in MIGRATIONS[number].split(";\n"):
                    self._db.execute(statement)
                self._db.execute(f"PRAGMA user_version = {number + 1}")

    @contextmanager
    def _transaction(self) -> Iterator[None]:
        self._undo()  # a request to end can come before the one that it stopped is undone
        try:
            self._run("BEGIN IMMEDIATE")
            yield
            self._run("COMMIT")
        except BaseException:
            self._undo()
            raise

    def _undo(self) -> None:
        if self._db.in_transaction:
            self._run("ROLLBACK")

    def _run(self, query: str, values: Sequence[object] | Mapping[str, object] = ()) -> sqlite3.Cursor:
        with self._told():
            return self._db.execute(query, values)

    def _run_many(self, query: str, rows: Sequence[Sequence[object] | Mapping[str, object]]) -> None:
        with self._told():
            self._db.executemany(query, rows)

    def _rows(self, query: str, values: Sequence[object] = ()) -> list[tuple[Any, ...]]:
        with self._told():
            return self._db.execute(query, values).fetchall()

    @contextmanager
    def _told(self) -> Iterator[None]:
        """What SQLite complains about (a full disk, a damaged file, a lock that nobody lets go), and rows
        that nobody can have written, as BadInput."""
        try:
            yield
        except sqlite3.Error as error:
            if "locked" in str(error) or "busy" in str(error):
                hint = "Another muddled is at work with it; try again when that is done."
                raise BadInput(Problem("the ledger is in use", hint, file=str(self.path))) from None
            if "readonly" in str(error):
                shut = [file for file in self._files() if file.exists() and not os.access(file, os.W_OK)]
                what = "it may not be written, and has to be, also to be read"
                hint = "Nothing that was reported as done is lost. Let whoever runs this write it."
                place = str(shut[0]) if shut else str(self.path)
                raise BadInput(Problem(what, hint, file=place)) from None
            if not hasattr(self, "_db") or "not a database" in str(error):
                what, hint = f"this is no ledger: {error}", "Name another file with --ledger."
            else:
                what = f"the ledger can't be used: {error}"
                hint = "Nothing that was reported as done is lost. If it is damaged, take a copy from before."
            raise BadInput(Problem(what, hint, file=str(self.path))) from None
        except (TypeError, ValueError, AttributeError, OverflowError, RecursionError, msgspec.MsgspecError):
            hint = "Take a copy of it from before, or name another one with --ledger."
            raise BadInput(Problem("the ledger is damaged", hint, file=str(self.path))) from None

    def try_to_write(self) -> None:
        """Make sure that something could be written down now, and write nothing. Raises BadInput."""
        self._run("BEGIN IMMEDIATE")
        self._run("ROLLBACK")

    def copy_to(self, file: Path) -> None:
        """Write a copy of the whole ledger to a new file, as it is at one moment, while others may be at work
        with it (SQLite's online backup). Raises BadInput where that can't be."""
        if file.exists():
            raise BadInput(Problem("this file exists already", "Name a new one.", file=str(file)))
        try:
            make_private(file)
        except OSError as error:
            raise BadInput(Problem(f"can't be written: {error.strerror}", file=str(file))) from None
        try:
            with self._told(), closing(sqlite3.connect(file)) as copy:
                self._db.backup(copy)
                copy.execute("PRAGMA journal_mode = DELETE")  # one file, that can be moved as it is
        except BaseException:
            file.unlink(missing_ok=True)
            raise
