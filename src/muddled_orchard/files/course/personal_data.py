"""What a ledger keeps of persons: told, deleted, made anonymous."""
# ruff: noqa: E501, S608 - SQL reads best as it is, and is put together of our own words alone

from __future__ import annotations

import json
from typing import Any

from muddled_orchard.core.base.problems import BadInput, Problem, likely
from muddled_orchard.files.course.ledger import Ledger
from muddled_orchard.files.course.ledger_schema import LEARNERS
from muddled_orchard.files.stored_results import Conflict, anonymous_result, packed, unpacked


class PersonalData(Ledger):
    """A ledger of which one asks what it keeps of persons."""

    def person(self, learner: str) -> dict[str, list[dict[str, Any]]]:
        """Every row that is a learner's, by table, with what they share with a team; no password is told.
        Raises BadInput where there is no such learner."""
        self._refuse_unknown(learner)
        found = {}
        for table, of in LEARNERS.items():
            whose = f"{of.column} = :learner"
            if table == "grading":
                shared = "SELECT exercise, variant FROM hand_out WHERE learner = :learner AND team <> ''"
                whose += f" OR (exercise, variant) IN ({shared})"
            with self._told():
                cursor = self._db.execute(f"SELECT * FROM {table} WHERE {whose}", {"learner": learner})
                names = [name for name, *_ in cursor.description]
                found[table] = [
                    {
                        name: _plain(name, value)
                        for name, value in zip(names, row, strict=True)
                        if name not in _SECRET
                    }
                    for row in cursor
                ]
        return found

    def last_written(self) -> dict[str, str]:
        """When something was last written down of each learner, by id."""
        of_tables = " UNION ALL ".join(
            f"SELECT {of.column} AS who, {of.written} AS at FROM {table}"
            for table, of in LEARNERS.items()
            if of.written
        )
        last = dict(self._rows(f"SELECT who, max(at) FROM ({of_tables}) GROUP BY who"))
        return {learner: str(last.get(learner) or "") for learner in self.learners()}

    def _refuse_unknown(self, learner: str) -> None:
        if learner not in self.learners():
            what = f'there is no learner "{learner}"'
            raise BadInput(Problem(what, likely(learner, self.learners()), file=str(self.path)))

    def forget(self, *learners: str) -> int:
        """Delete learners with all that is kept of them; how many gradings went. Raises BadInput where one is
        not known."""
        for learner in learners:
            self._refuse_unknown(learner)
        with self._transaction():
            gone = sum(map(self._forget, learners))
        self._leave_nothing()
        return gone

    def _forget(self, learner: str) -> int:
        for (exercise, variant), members in self.teams().items():
            if learner in members:  # what a team made stays with the others
                other = next(member for member in members if member != learner)
                self._run(
                    "UPDATE grading SET learner = ?, submission = 'a team''s work ' || id WHERE learner = ? AND exercise = ? AND variant = ?",
                    (other, learner, exercise, variant),
                )
                self._run(
                    "UPDATE OR IGNORE arrival SET learner = ? WHERE learner = ? AND exercise = ? AND variant = ?",
                    (other, learner, exercise, variant),
                )
        # Gradings of another's variant that came under this name say no learner, but where they lay.
        gone = {
            table: self._run(f"DELETE FROM {table} WHERE {of.column} = ?", (learner,)).rowcount
            for table, of in LEARNERS.items()
        }
        return gone["grading"]

    def make_anonymous(self) -> int:
        """Replace everybody's id and name by a number, for good; how many there were. Where submissions lay,
        what stands in them, and what gradings say in words goes as well: it may name people. Verdicts stay,
        and so does which side was kept in each conflict."""
        numbers = {id_: f"learner-{number:04}" for number, id_ in enumerate(self.learners(), start=1)}
        with self._transaction():
            self._run("PRAGMA defer_foreign_keys = ON")
            for table, of in LEARNERS.items():
                if of.anonymous is None:
                    self._run(f"DELETE FROM {table}")
                    continue
                terms = ", ".join(f"{column} = {term}" for column, term in of.anonymous.items())
                update = f"UPDATE {table} SET {terms} WHERE {of.column} = :id"
                for id_, name in numbers.items():
                    self._run(update, {"id": id_, "name": name})
            self._run("UPDATE settlement SET by = 'somebody', reason = ''")
            works: dict[str, str] = {"": ""}

            def renamed(work: str) -> str:
                return works.setdefault(work, f"work-{len(works)}")

            conflicts: dict[Conflict, str] = {}

            def anonymous(result: str | bytes) -> bytes:
                text, names = anonymous_result(unpacked(result), renamed, numbers)
                conflicts.update(names)
                return packed(text)

            self._db.create_function("renamed", 1, renamed)
            self._db.create_function("anonymous", 1, anonymous)
            self._run(
                "UPDATE grading SET submission = 'submission-' || id, pile = '', fingerprint = '', result = anonymous(result)"
            )
            self._db.create_function("about", 2, lambda work, about: conflicts.get((work, about), about))
            self._run("UPDATE settlement SET about = about(work, about), work = renamed(work)")
            # With it anybody could work out from a name which variant is whose.
            self._run("DELETE FROM course WHERE key = 'secret'")
        self._leave_nothing()
        return len(numbers)

    def _leave_nothing(self) -> None:
        """Make sure that what was deleted is in no free page of the file either."""
        self._run("PRAGMA wal_checkpoint(TRUNCATE)")
        self._run("VACUUM")
        self._run("PRAGMA wal_checkpoint(TRUNCATE)")


_SECRET = ("salt", "hash")


def _plain(name: str, value: Any) -> Any:
    """A value of a column as JSON has it."""
    if name == "result":
        return json.loads(unpacked(value))
    return json.loads(value) if name in ("tips", "more", "refs") else value
