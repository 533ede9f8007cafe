"""The course's database: one SQLite file with the roster, what was handed out, and every grading.

A hand-out is written down in one transaction, after its archive is in place; a run that is killed leaves
a ledger that lacks what was not reported as done, and nothing else. Variants come from a secret that the
ledger makes once, so the same ledger gives the same archives whenever it is asked.
"""
# ruff: noqa: E501 - SQL reads best as it is

from __future__ import annotations

import json
import secrets
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

from muddled_orchard.core.handing import Grading, HandOut
from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.core.roster import Learner

MIGRATIONS = (
    """
    CREATE TABLE course (key TEXT PRIMARY KEY, value BLOB NOT NULL) STRICT;
    CREATE TABLE learner (
        id TEXT PRIMARY KEY, name TEXT NOT NULL, more TEXT NOT NULL, added TEXT NOT NULL
    ) STRICT;
    CREATE TABLE scenario (
        digest TEXT PRIMARY KEY, exercise TEXT NOT NULL, title TEXT NOT NULL, data TEXT NOT NULL, added TEXT NOT NULL
    ) STRICT;
    CREATE TABLE hand_out (
        exercise TEXT NOT NULL, learner TEXT NOT NULL REFERENCES learner (id), variant TEXT NOT NULL,
        scenario TEXT NOT NULL REFERENCES scenario (digest),
        first_commit TEXT NOT NULL, tips TEXT NOT NULL, file TEXT NOT NULL, made TEXT NOT NULL,
        PRIMARY KEY (exercise, learner), UNIQUE (exercise, variant)
    ) STRICT;
    CREATE TABLE grading (
        id INTEGER PRIMARY KEY, graded TEXT NOT NULL, submission TEXT NOT NULL, fingerprint TEXT NOT NULL,
        version TEXT NOT NULL, scenario TEXT NOT NULL, exercise TEXT NOT NULL, variant TEXT NOT NULL,
        learner TEXT, state TEXT NOT NULL, points REAL NOT NULL, possible REAL NOT NULL, result TEXT NOT NULL
    ) STRICT;
    CREATE INDEX grading_by_fingerprint ON grading (fingerprint, version);
    """,
)
"""How the schema came to be: the n-th script leads from version n to n + 1 (`PRAGMA user_version`)."""


class Ledger:
    """An open ledger. Raises BadInput where the file can't be used as one."""

    def __init__(self, path: Path, *, create: bool = False) -> None:
        self.path = path
        if not create and not path.is_file():
            raise BadInput(Problem("there is no such ledger", "muddled handout makes one.", file=str(path)))
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            # Two runs at once wait for each other instead of failing.
            self._db = sqlite3.connect(path, timeout=60, isolation_level=None)
            self._db.execute("PRAGMA journal_mode = WAL")
            self._db.execute("PRAGMA synchronous = FULL")
            self._db.execute("PRAGMA foreign_keys = ON")
            self._migrate()
        except (sqlite3.DatabaseError, OSError) as error:
            raise BadInput(Problem(f"this is no ledger: {error}", file=str(path))) from None

    def close(self) -> None:
        """Let go of the file."""
        self._db.close()

    def _migrate(self) -> None:
        (version,) = self._db.execute("PRAGMA user_version").fetchone()
        if version > len(MIGRATIONS):
            hint = "Use the newer muddled that wrote it."
            raise BadInput(
                Problem(f"this ledger is of a later version ({version})", hint, file=str(self.path))
            )
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
        self._run("BEGIN IMMEDIATE")
        try:
            yield
        except BaseException:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
            raise
        self._run("COMMIT")

    def _run(self, query: str, values: Sequence[object] = ()) -> sqlite3.Cursor:
        with self._told():
            return self._db.execute(query, values)

    def _run_many(self, query: str, rows: Sequence[Sequence[object]]) -> None:
        with self._told():
            self._db.executemany(query, rows)

    @contextmanager
    def _told(self) -> Iterator[None]:
        """What SQLite complains about (a full disk, a damaged file, a lock that nobody lets go) as BadInput."""
        try:
            yield
        except sqlite3.Error as error:
            hint = "Nothing that was reported as done is lost."
            raise BadInput(Problem(f"the ledger can't be used: {error}", hint, file=str(self.path))) from None

    # -- The course -----------------------------------------------------------------------------------

    def secret(self, first: bytes | None = None) -> bytes:
        """What variants are made from; made once, by whoever comes first (`first`: to be this one)."""
        made = first or secrets.token_bytes(32)
        with self._transaction():
            self._run("INSERT OR IGNORE INTO course VALUES ('secret', ?)", (made,))
        return bytes(self._one("SELECT value FROM course WHERE key = 'secret'")[0])

    def enrol(self, learners: Iterable[Learner]) -> None:
        """Add learners; those that are there get the name and columns of the newest roster."""
        with self._transaction():
            self._run_many(
                "INSERT INTO learner VALUES (?, ?, ?, ?) ON CONFLICT (id) DO UPDATE SET name = excluded.name, more = excluded.more",
                [(one.id, one.name, json.dumps(dict(one.more)), _now()) for one in learners],
            )  # fmt: skip

    def learners(self) -> dict[str, Learner]:
        """Everybody, by id."""
        rows = self._run("SELECT id, name, more FROM learner ORDER BY rowid")
        return {id_: Learner(id_, name, json.loads(more)) for id_, name, more in rows}

    # -- Hand-outs ------------------------------------------------------------------------------------

    def know(self, digest: str, exercise: str, title: str, data: str) -> None:
        """Keep a scenario's text, so that what was handed out can always be graded."""
        with self._transaction():
            self._run(
                "INSERT OR IGNORE INTO scenario VALUES (?, ?, ?, ?, ?)",
                (digest, exercise, title, data, _now()),
            )

    def scenario(self, exercise: str) -> str | None:
        """The text of the scenario that was handed out under this id, or None."""
        found = self._run(
            "SELECT data FROM scenario WHERE digest = (SELECT scenario FROM hand_out WHERE exercise = ? LIMIT 1)",
            (exercise,),
        ).fetchone()
        return found[0] if found else None

    def record(self, made: Iterable[HandOut]) -> None:
        """Write hand-outs down; the same ones again change nothing."""
        with self._transaction():
            self._run_many(
                "INSERT OR IGNORE INTO hand_out VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                [
                    (one.exercise, one.learner, one.variant, one.scenario, one.first_commit, json.dumps(dict(one.tips)),
                     one.file, _now())
                    for one in made
                ],
            )  # fmt: skip

    def hand_outs(self) -> list[HandOut]:
        """Everything that was handed out."""
        rows = self._run("SELECT * FROM hand_out ORDER BY rowid")
        return [
            HandOut(
                exercise=row[0], learner=row[1], variant=row[2], scenario=row[3], first_commit=row[4],
                tips=json.loads(row[5]), file=row[6], made=row[7],
            )
            for row in rows
        ]  # fmt: skip

    # -- Gradings -------------------------------------------------------------------------------------

    def note(self, graded: Iterable[Grading]) -> None:
        """Write gradings down."""
        with self._transaction():
            self._run_many(
                "INSERT INTO grading VALUES (NULL, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                [
                    (_now(), one.submission, one.fingerprint, one.version, one.scenario, one.exercise, one.variant,
                     one.learner, one.state, one.points, one.possible, one.result)
                    for one in graded
                ],
            )  # fmt: skip

    def graded(self, fingerprint: str, version: str) -> Grading | None:
        """The newest grading of a submission with this content by this version, if there is one."""
        row = self._run(
            "SELECT * FROM grading WHERE fingerprint = ? AND version = ? ORDER BY id DESC LIMIT 1",
            (fingerprint, version),
        ).fetchone()
        return _grading(row) if row else None

    def gradings(self) -> list[Grading]:
        """Every grading, the oldest first."""
        return [_grading(row) for row in self._run("SELECT * FROM grading ORDER BY id")]

    def _one(self, query: str) -> tuple[bytes, ...]:
        found: tuple[bytes, ...] = self._run(query).fetchone()
        return found


def _grading(row: tuple[object, ...]) -> Grading:
    names = ("graded", "submission", "fingerprint", "version", "scenario", "exercise", "variant", "learner", "state",
             "points", "possible", "result")  # fmt: skip
    return Grading(**dict(zip(names, row[1:], strict=True)))  # type: ignore[arg-type]


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")
