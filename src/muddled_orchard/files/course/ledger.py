"""The course's database: one SQLite file with the roster, what was handed out, and every grading.

A hand-out is written down in one transaction, after its archive is in place; a run that is killed leaves
a ledger that lacks what was not reported as done, and nothing else. Variants come from a secret that the
ledger makes once, so the same ledger gives the same archives whenever it is asked.
"""
# ruff: noqa: E501, S608 - SQL reads best as it is, and is put together of our own words alone

from __future__ import annotations

import json
import secrets
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from sys import intern
from typing import Any

import msgspec

from muddled_orchard.core.base.problems import BadInput, Problem
from muddled_orchard.core.course.allowances import Allowance
from muddled_orchard.core.course.practice import practice_variant
from muddled_orchard.core.course.records import Grading, HandOut
from muddled_orchard.core.course.roster import Learner
from muddled_orchard.core.grading.settling import Settlement
from muddled_orchard.files.course.ledger_file import LedgerFile
from muddled_orchard.files.stored_results import packed, unpacked

_AT_ONCE = 500  # how many are asked for in one go
_PRACTICE = {
    practice: f"variant {how} '{practice_variant('%')}'"
    for practice, how in ((False, "NOT LIKE"), (True, "LIKE"))
}


class Ledger(LedgerFile):
    """An open ledger, and what stands in it."""

    # -- The course -----------------------------------------------------------------------------------

    def secret(self, first: bytes | None = None) -> bytes:
        """What variants are made from; made once, by whoever comes first (`first`: to be this one)."""
        made = first or secrets.token_bytes(32)
        with self._transaction():
            self._run("INSERT OR IGNORE INTO course VALUES ('secret', ?)", (made,))
        with self._told():
            ((kept,),) = self._rows("SELECT value FROM course WHERE key = 'secret'")
            if not isinstance(kept, bytes) or not 16 <= len(kept) <= 64:
                raise ValueError
        return kept

    def setting(self, name: str) -> str | None:
        """What the course has set under a name, or None."""
        rows = self._rows("SELECT value FROM course WHERE key = ?", (f"set {name}",))
        with self._told():
            return bytes(rows[0][0]).decode() if rows else None

    def set(self, name: str, value: str | None) -> None:
        """Set something for the whole course; None takes it back."""
        with self._transaction():
            self._run("DELETE FROM course WHERE key = ?", (f"set {name}",))
            if value is not None:
                self._run("INSERT INTO course VALUES (?, ?)", (f"set {name}", value.encode()))

    def enrol(self, learners: Iterable[Learner]) -> None:
        """Add learners; those that are there get the name and columns of the newest roster."""
        with self._transaction():
            self._run_many(
                "INSERT INTO learner VALUES (?, ?, ?, ?) ON CONFLICT (id) DO UPDATE SET name = excluded.name, more = excluded.more",
                [(learner.id, learner.name, json.dumps(dict(learner.more)), now()) for learner in learners],
            )  # fmt: skip

    def learners(self) -> dict[str, Learner]:
        """Everybody, by id."""
        rows = self._rows("SELECT id, name, more FROM learner ORDER BY rowid")
        with self._told():
            return {
                intern(str(id_)): Learner(intern(str(id_)), str(name), words_of(more))
                for id_, name, more in rows
            }

    # -- Hand-outs ------------------------------------------------------------------------------------

    def add_scenario(self, digest: str, exercise: str, title: str, data: str) -> None:
        """Keep a scenario's text, so that what was handed out can always be graded."""
        with self._transaction():
            self._run(
                "INSERT OR IGNORE INTO scenario VALUES (?, ?, ?, ?, ?)",
                (digest, exercise, title, data, now()),
            )

    def scenario(self, exercise: str) -> str | None:
        """The text of the scenario by which what was handed out under this id is graded, or None; of several
        versions the newest."""
        found = self._rows(
            "SELECT data FROM scenario WHERE digest IN (SELECT scenario FROM hand_out WHERE exercise = ?) ORDER BY rowid DESC LIMIT 1",
            (exercise,),
        )
        return str(found[0][0]) if found else None

    def version(self, digest: str) -> str | None:
        """The text of one version of a scenario, or None."""
        found = self._rows("SELECT data FROM scenario WHERE digest = ?", (digest,))
        return str(found[0][0]) if found else None

    def grade_by(self, exercise: str, versions: Iterable[str], newer: str) -> None:
        """Have hand-outs of these versions of a scenario graded by a newer one from now on."""
        with self._transaction():
            for version in versions:
                query = "UPDATE hand_out SET scenario = ? WHERE exercise = ? AND scenario = ?"
                self._run(query, (newer, exercise, version))

    def titles(self) -> dict[str, str]:
        """The titles of the exercises, by id."""
        rows = self._rows("SELECT exercise, title FROM scenario ORDER BY rowid")  # the newest comes last
        with self._told():
            return {str(exercise): str(title) for exercise, title in rows}

    def add_hand_outs(self, made: Iterable[HandOut]) -> None:
        """Write hand-outs down, each in the place of what its learner had of the exercise; the same ones
        again change nothing. Raises BadInput where one is another learner's, and not of their team: what both
        hand in could not be told apart."""
        with self._transaction():
            for hand_out in made:
                whose = "SELECT learner FROM hand_out WHERE exercise = ? AND variant = ? AND learner <> ? AND (team = '' OR team <> ?)"
                about = (hand_out.exercise, hand_out.variant, hand_out.learner, hand_out.team)
                if rows := self._rows(whose, about):
                    what = f"{hand_out.file} is a hand-out of another learner ({rows[0][0]})"
                    raise BadInput(Problem(what, "Move it away; nothing of it was changed."))
                self._run(
                    "UPDATE hand_out SET replaced = ? WHERE exercise = ? AND learner = ? AND variant <> ? AND replaced IS NULL",
                    (now(), hand_out.exercise, hand_out.learner, hand_out.variant),
                )
                self._run(
                    "INSERT OR IGNORE INTO hand_out VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, NULL)",
                    (hand_out.exercise, hand_out.learner, hand_out.variant, hand_out.scenario, hand_out.first_commit,
                     json.dumps(dict(hand_out.tips)), hand_out.file, now(), hand_out.team),
                )  # fmt: skip

    def hand_outs(self) -> list[HandOut]:
        """What everybody has been handed out, as it is in force."""
        return [hand_out for hand_out in self.each_hand_out() if hand_out.replaced is None]

    def each_hand_out(self, *, practice: bool = False) -> Iterator[HandOut]:
        """Everything that was handed out, also what another one has replaced since, without having all of it
        at once; or what a host gave to practise instead."""
        with self._told():
            query = f"SELECT * FROM hand_out WHERE {_PRACTICE[practice]} ORDER BY rowid"
            for row in self._db.execute(query):
                yield HandOut(
                    exercise=str(row[0]), learner=str(row[1]), variant=str(row[2]), scenario=str(row[3]),
                    first_commit=str(row[4]), tips=words_of(row[5]), file=str(row[6]), made=str(row[7]),
                    team=str(row[8]), replaced=row[9] if row[9] is None else str(row[9]),
                )  # fmt: skip

    def teams(self) -> dict[tuple[str, str], list[str]]:
        """Who shares a hand-out, by exercise and variant, in the order of the roster; only where several do."""
        rows = self._rows(
            "SELECT exercise, variant, learner FROM hand_out JOIN learner ON learner.id = hand_out.learner WHERE team <> '' ORDER BY learner.rowid"
        )
        found: dict[tuple[str, str], list[str]] = {}
        for exercise, variant, learner in rows:
            found.setdefault((intern(str(exercise)), str(variant)), []).append(intern(str(learner)))
        return {place: members for place, members in found.items() if len(members) > 1}

    def roles(self) -> dict[tuple[str, str, str], int]:
        """Who has which role in what their team shares, by learner, exercise and variant."""
        rows = self._rows("SELECT learner, exercise, variant, role FROM role ORDER BY given, rowid")
        return {(str(who), str(exercise), str(variant)): int(role) for who, exercise, variant, role in rows}

    def give_roles(self, roles: Mapping[tuple[str, str, str], int]) -> None:
        """Give roles, by learner, exercise and variant, to those who have none."""
        rows = [(*place, role, now()) for place, role in roles.items()]
        with self._transaction():
            self._run_many("INSERT OR IGNORE INTO role VALUES (?, ?, ?, ?, ?)", rows)

    def times_handed_out(self, exercise: str, learner: str) -> int:
        """How many variants of an exercise a learner has had."""
        query = "SELECT count(*) FROM hand_out WHERE exercise = ? AND learner = ?"
        return int(self._rows(query, (exercise, learner))[0][0])

    def has_begun(self, exercise: str, learner: str) -> bool:
        """Whether something came of a learner's exercise that is not as it was handed out."""
        query = "SELECT 1 FROM grading WHERE exercise = ? AND learner = ? AND state NOT IN ('untouched', 'unreadable') UNION ALL SELECT 1 FROM push WHERE exercise = ? AND learner = ? LIMIT 1"
        return bool(self._rows(query, (exercise, learner) * 2))

    def given(self) -> list[tuple[str, str]]:
        """Learner and exercise of everything that was handed out."""
        query = f"SELECT learner, exercise FROM hand_out WHERE replaced IS NULL AND {_PRACTICE[False]} ORDER BY rowid"
        rows = self._rows(query)
        return [(intern(str(learner)), intern(str(exercise))) for learner, exercise in rows]

    # -- Gradings -------------------------------------------------------------------------------------

    def add_gradings(self, graded: Iterable[Grading]) -> None:
        """Write gradings down. One that says what the newest of the same submission says is not stored
        again."""
        with self._transaction():
            self._insert_gradings(graded)

    def _insert_gradings(self, graded: Iterable[Grading]) -> None:
        self._run_many(
            f"""
                INSERT INTO grading ({", ".join(_GRADING)}) SELECT {", ".join(f":{name}" for name in _GRADING)}
                WHERE NOT EXISTS (
                    SELECT 1 FROM grading WHERE id = (
                        SELECT max(id) FROM grading
                        WHERE fingerprint = :fingerprint AND version = :version AND submission = :submission
                    ) AND scenario = :scenario AND result = :result
                )
                """,
            [
                {
                    **{name: getattr(grading, name) for name in _GRADING},
                    "graded": grading.graded or now(),
                    "result": packed(grading.result),
                }
                for grading in graded
            ],
        )

    def has_gradings(self) -> bool:
        """Whether anything was graded yet."""
        return bool(self._rows("SELECT 1 FROM grading LIMIT 1"))

    def graded(self, fingerprint: str, version: str) -> Grading | None:
        """The newest grading of a submission with this content by this version, if there is one."""
        rows = self._rows(
            "SELECT * FROM grading WHERE fingerprint = ? AND version = ? ORDER BY id DESC LIMIT 1",
            (fingerprint, version),
        )
        with self._told():
            return _grading(rows[0]) if rows else None

    def newest_grading(self, fingerprint: str) -> Grading | None:
        """The newest grading of a submission with this content by any version, if there is one."""
        query = "SELECT * FROM grading WHERE fingerprint = ? ORDER BY id DESC LIMIT 1"
        rows = self._rows(query, (fingerprint,))
        with self._told():
            return _grading(rows[0]) if rows else None

    def gradings(self) -> list[Grading]:
        """Every grading, the oldest first."""
        return list(self.each_grading())

    def each_grading(self) -> Iterator[Grading]:
        """Every grading, the oldest first, without having all of them at once; none of practice."""
        with self._told():
            for row in self._db.execute(f"SELECT * FROM grading WHERE {_PRACTICE[False]} ORDER BY id"):
                yield _grading(row)

    def practised(self, learner: str) -> list[Grading]:
        """What a learner has practised on a host, the oldest grading of each push first."""
        query = f"SELECT * FROM grading WHERE learner = ? AND {_PRACTICE[True]} ORDER BY graded, id"
        rows = self._rows(query, (learner,))
        with self._told():
            return [_grading(row) for row in rows]

    def results(self, ids: Sequence[int]) -> Iterator[tuple[int, str]]:
        """The results of these gradings, as text, by the gradings' ids."""
        for start in range(0, len(ids), _AT_ONCE):
            some = ids[start : start + _AT_ONCE]
            marks = ", ".join("?" * len(some))
            for id_, result in self._rows(f"SELECT id, result FROM grading WHERE id IN ({marks})", some):
                yield id_, unpacked(result)

    # -- Settlements ----------------------------------------------------------------------------------

    def settle(self, *settlements: Settlement) -> None:
        """Write a person's verdicts down, beside those that there are: all of them or none."""
        rows = [{**{name: getattr(one, name) for name in _SETTLEMENT}, "made": now()} for one in settlements]
        with self._transaction():
            self._run_many(_ADD_SETTLEMENT, rows)

    def unsettle(self, *settlements: Settlement) -> bool:
        """Delete a person's verdicts; whether any was still there."""
        return self._delete("settlement", [one.id for one in settlements])

    def settlements(self) -> list[Settlement]:
        """Every person's verdict, the oldest first."""
        rows = self._rows("SELECT * FROM settlement ORDER BY id")
        with self._told():
            return [_settlement(row) for row in rows]

    # -- Allowances -----------------------------------------------------------------------------------

    def allow(self, *allowances: Allowance) -> None:
        """Write down that some have more time, or are excused: all of it or nothing."""
        rows = [
            (now(), one.learner, one.exercise, one.due and one.due.isoformat(), one.by, one.reason)
            for one in allowances
        ]
        with self._transaction():
            self._run_many("INSERT INTO allowance VALUES (NULL, ?, ?, ?, ?, ?, ?)", rows)

    def disallow(self, *allowances: Allowance) -> bool:
        """Take allowances back; whether any was still there."""
        return self._delete("allowance", [one.id for one in allowances])

    def _delete(self, table: str, ids: Iterable[int]) -> bool:
        with self._transaction():
            query = f"DELETE FROM {table} WHERE id = ?"
            return sum(self._run(query, (id_,)).rowcount for id_ in ids) > 0

    def allowances(self) -> list[Allowance]:
        """Everything that was allowed, the oldest first."""
        rows = self._rows("SELECT id, made, learner, exercise, due, by, reason FROM allowance ORDER BY id")
        with self._told():
            return [
                Allowance(
                    id=int(id_), made=str(made), learner=str(learner), exercise=str(exercise),
                    due=None if due is None else datetime.fromisoformat(due), by=str(by), reason=str(reason),
                )
                for id_, made, learner, exercise, due, by, reason in rows
            ]  # fmt: skip


_NO_WORDS: Mapping[str, str] = {}


def words_of(text: str) -> Mapping[str, str]:
    """Words by names, as a column of JSON holds them."""
    if text == "{}":
        return _NO_WORDS  # of a large class there are many
    found = json.loads(text)
    return {intern(str(name)): intern(str(value)) for name, value in found.items()}


_GRADING = Grading.__struct_fields__[1:]
"""The columns of a grading, behind its id."""

_RESULT = Grading.__struct_fields__.index("result")

_SETTLEMENT = ("made", "learner", "exercise", "work", "about", "earned", "by", "reason")
"""The columns of a settlement, behind its id."""

_ADD_SETTLEMENT = f"INSERT INTO settlement VALUES (NULL, {', '.join(f':{name}' for name in _SETTLEMENT)})"


def _settlement(row: tuple[Any, ...]) -> Settlement:
    fields = dict(zip(_SETTLEMENT, row[1:], strict=True))
    if not (fields["earned"] is None or 0 <= fields["earned"] <= 1):
        raise ValueError
    return Settlement(id=row[0], **fields)


def _grading(row: tuple[Any, ...]) -> Grading:
    return msgspec.convert((*row[:_RESULT], unpacked(row[_RESULT]), *row[_RESULT + 1 :]), Grading)


def now() -> str:
    """The time, as the ledger writes it."""
    return datetime.now(UTC).isoformat(timespec="seconds")
