"""The tables of the ledger, as they came to be: each script leads from one version to the next."""
# ruff: noqa: E501 - SQL reads best as it is

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

MIGRATIONS = (
    """
    CREATE TABLE course (key TEXT PRIMARY KEY, value BLOB NOT NULL) STRICT;
    CREATE TABLE learner (
        id TEXT PRIMARY KEY, name TEXT NOT NULL, more TEXT NOT NULL, added TEXT NOT NULL
    ) STRICT;
    CREATE TABLE scenario (
        digest TEXT PRIMARY KEY, exercise TEXT NOT NULL, title TEXT NOT NULL, data TEXT NOT NULL, added TEXT
        NOT NULL
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
    """
    CREATE TABLE settlement (
        id INTEGER PRIMARY KEY, made TEXT NOT NULL, learner TEXT NOT NULL REFERENCES learner (id), exercise TEXT NOT NULL,
        work TEXT NOT NULL, about TEXT NOT NULL, earned REAL, by TEXT NOT NULL, reason TEXT NOT NULL
    ) STRICT;
    CREATE INDEX settlement_by_learner ON settlement (learner, exercise);
    ALTER TABLE grading ADD COLUMN pile TEXT;
    """,
    # A result is kept packed: a class of a hundred thousand has half a gigabyte of them as text.
    """
    ALTER TABLE grading RENAME TO grading_as_text;
    CREATE TABLE grading (
        id INTEGER PRIMARY KEY, graded TEXT NOT NULL, submission TEXT NOT NULL, fingerprint TEXT NOT NULL,
        version TEXT NOT NULL, scenario TEXT NOT NULL, exercise TEXT NOT NULL, variant TEXT NOT NULL,
        learner TEXT, state TEXT NOT NULL, points REAL NOT NULL, possible REAL NOT NULL, result ANY NOT NULL, pile TEXT
    ) STRICT;
    INSERT INTO grading SELECT * FROM grading_as_text;
    DROP TABLE grading_as_text;
    CREATE INDEX grading_by_fingerprint ON grading (fingerprint, version);
    """,
    # What a host keeps: who may sign in, every push with the refs after it, and raised hands.
    """
    CREATE TABLE password (who TEXT PRIMARY KEY, salt BLOB NOT NULL, hash BLOB NOT NULL, made TEXT NOT NULL) STRICT;
    CREATE TABLE push (
        id INTEGER PRIMARY KEY, at TEXT NOT NULL, learner TEXT NOT NULL REFERENCES learner (id), exercise TEXT NOT NULL,
        refs TEXT NOT NULL, grading INTEGER REFERENCES grading (id)
    ) STRICT;
    CREATE INDEX push_by_learner ON push (learner, exercise);
    CREATE TABLE hand (learner TEXT PRIMARY KEY REFERENCES learner (id), raised TEXT NOT NULL, exercise TEXT NOT NULL) STRICT;
    """,
    # A learner may get another variant later, and a team shares one. Who has more time, or is excused. A
    # folder may be handed in to a host as well.
    """
    ALTER TABLE hand_out RENAME TO hand_out_once;
    CREATE TABLE hand_out (
        exercise TEXT NOT NULL, learner TEXT NOT NULL REFERENCES learner (id), variant TEXT NOT NULL,
        scenario TEXT NOT NULL REFERENCES scenario (digest),
        first_commit TEXT NOT NULL, tips TEXT NOT NULL, file TEXT NOT NULL, made TEXT NOT NULL,
        team TEXT NOT NULL, replaced TEXT, PRIMARY KEY (exercise, learner, variant)
    ) STRICT;
    INSERT INTO hand_out SELECT exercise, learner, variant, scenario, first_commit, tips, file, made, '', NULL
        FROM hand_out_once ORDER BY rowid;
    DROP TABLE hand_out_once;
    CREATE UNIQUE INDEX hand_out_in_force ON hand_out (exercise, learner) WHERE replaced IS NULL;
    CREATE INDEX hand_out_by_variant ON hand_out (exercise, variant);
    ALTER TABLE push ADD COLUMN file TEXT NOT NULL DEFAULT '';
    CREATE TABLE allowance (
        id INTEGER PRIMARY KEY, made TEXT NOT NULL, learner TEXT NOT NULL REFERENCES learner (id),
        exercise TEXT NOT NULL, due TEXT, by TEXT NOT NULL, reason TEXT NOT NULL
    ) STRICT;
    """,
    # What a teammate has pushed to a learner's repository meanwhile, and whether the learner has fetched since; number 0
    # says that the repository was fetched at all.
    """
    CREATE TABLE arrival (
        learner TEXT NOT NULL REFERENCES learner (id), exercise TEXT NOT NULL, variant TEXT NOT NULL, number INTEGER NOT NULL,
        came TEXT NOT NULL, fetched TEXT, PRIMARY KEY (learner, exercise, variant, number)
    ) STRICT;
    """,
    # Who of a team has which role in what they share.
    """
    CREATE TABLE role (
        learner TEXT NOT NULL REFERENCES learner (id), exercise TEXT NOT NULL, variant TEXT NOT NULL, role INTEGER NOT NULL,
        given TEXT NOT NULL, PRIMARY KEY (learner, exercise, variant)
    ) STRICT;
    """,
)
"""How the schema came to be: the n-th script leads from version n to n + 1 (`PRAGMA user_version`)."""


class OfLearners(Struct, frozen=True):
    """A table with rows that are a learner's: the column that says whose, what makes a row anonymous, a term
    of SQL by column (`:name` is what the learner is called then; None where such rows are deleted), and the
    column that says when a row was written (empty: none that counts)."""

    column: str
    anonymous: Mapping[str, str] | None
    written: str


_ANONYMOUS_TEAM = "CASE team WHEN '' THEN '' ELSE 'a team' END"
"""That a hand-out is shared stays; by whom says its variant."""

LEARNERS: Mapping[str, OfLearners] = {
    "push": OfLearners("learner", {"learner": ":name", "refs": "'{}'", "file": "''"}, "at"),
    "hand": OfLearners("learner", None, "raised"),
    "arrival": OfLearners("learner", None, "came"),
    "role": OfLearners("learner", {"learner": ":name"}, "given"),
    "password": OfLearners("who", None, ""),
    "grading": OfLearners("learner", {"learner": ":name"}, "graded"),
    "hand_out": OfLearners("learner", {"learner": ":name", "file": "''", "team": _ANONYMOUS_TEAM}, "made"),
    "allowance": OfLearners("learner", {"learner": ":name", "by": "'somebody'", "reason": "''"}, "made"),
    "settlement": OfLearners("learner", {"learner": ":name"}, "made"),
    "learner": OfLearners("id", {"id": ":name", "name": ":name", "more": "'{}'"}, "added"),
}
"""Every table that says something of learners, in the order in which rows can be deleted."""

OF_NOBODY = ("course", "scenario")
"""The other tables."""
