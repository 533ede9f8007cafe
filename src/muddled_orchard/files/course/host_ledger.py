"""What a host keeps in the course's ledger: passwords, every push, and raised hands."""

from __future__ import annotations

import json
from collections.abc import Mapping

from msgspec.structs import replace

from muddled_orchard.core.course.passwords import HashedPassword
from muddled_orchard.core.course.pushes import CameMeanwhile, RaisedHand, RecordedPush
from muddled_orchard.core.course.records import Grading
from muddled_orchard.files.course.ledger import Ledger, now, words_of


class HostLedger(Ledger):
    """A ledger with what a host keeps in it."""

    # -- Passwords ------------------------------------------------------------------------------------

    def passwords(self) -> dict[str, HashedPassword]:
        """Everybody's password as it is kept, by id."""
        rows = self._rows("SELECT who, salt, hash FROM password")
        with self._told():
            return {str(who): HashedPassword(bytes(salt), bytes(hash_)) for who, salt, hash_ in rows}

    def set_passwords(self, new: Mapping[str, HashedPassword]) -> None:
        """Give people passwords, in the place of those that they have."""
        rows = [(who, password.salt, password.hash, now()) for who, password in new.items()]
        with self._transaction():
            self._run_many("INSERT OR REPLACE INTO password VALUES (?, ?, ?, ?)", rows)

    # -- Pushes ---------------------------------------------------------------------------------------

    def add_push(
        self, learner: str, exercise: str, refs: Mapping[str, str], at: str, file: str = ""
    ) -> RecordedPush:
        """Write a push down, or a folder in a `file`, with when it came and the refs after it, not graded
        yet."""
        with self._transaction():
            done = self._run(
                "INSERT INTO push VALUES (NULL, ?, ?, ?, ?, NULL, ?)",
                (at, learner, exercise, json.dumps(dict(refs)), file),
            )
        return RecordedPush(int(done.lastrowid or 0), at, learner, exercise, dict(refs), file=file)

    def grade_push(self, push: RecordedPush, grading: Grading) -> RecordedPush:
        """Write down how a push was graded; the push as it is written down then."""
        with self._transaction():
            self._insert_gradings([grading])
            of_it = "SELECT max(id) FROM grading WHERE fingerprint = ?"
            ((newest,),) = self._rows(of_it, (grading.fingerprint,))
            self._run("UPDATE push SET grading = ? WHERE id = ?", (newest, push.id))
        return replace(push, grading=int(newest))

    def pushes(self, *, ungraded: bool = False, newest: bool = False) -> list[RecordedPush]:
        """Pushes, the oldest first: all, those that are not graded yet, or the newest to each repository."""
        query = "SELECT id, at, learner, exercise, refs, grading, file FROM push"
        query += " WHERE grading IS NULL" if ungraded else ""
        query += " WHERE id IN (SELECT max(id) FROM push GROUP BY learner, exercise)" if newest else ""
        rows = self._rows(f"{query} ORDER BY id")
        with self._told():
            return [
                RecordedPush(
                    int(id_), str(at), str(learner), str(exercise), dict(words_of(refs)), grading, str(file)
                )
                for id_, at, learner, exercise, refs, grading, file in rows
            ]

    def forget_older_versions(self) -> list[RecordedPush]:
        """Have pushes count as not graded yet that were graded by another version of their exercise than
        their hand-outs are graded by now; which these are. The gradings stay."""
        found = self._rows(
            """
            SELECT push.id FROM push JOIN grading ON grading.id = push.grading
            JOIN hand_out ON hand_out.exercise = push.exercise AND hand_out.learner = push.learner
            AND hand_out.variant = grading.variant WHERE hand_out.scenario <> grading.scenario
            """
        )
        ids = {int(id_) for (id_,) in found}
        with self._transaction():
            self._run_many("UPDATE push SET grading = NULL WHERE id = ?", [(id_,) for id_ in ids])
        return [push for push in self.pushes(ungraded=True) if push.id in ids]

    # -- What teammates push --------------------------------------------------------------------------

    def add_arrival(self, one: CameMeanwhile) -> None:
        """Write down that something has arrived; what is written down already stays as it is."""
        row = (one.learner, one.exercise, one.variant, one.number, one.came, one.fetched)
        with self._transaction():
            self._run("INSERT OR IGNORE INTO arrival VALUES (?, ?, ?, ?, ?, ?)", row)

    def fetched_arrivals(self, learner: str, exercise: str, variant: str, at: str) -> None:
        """A learner has fetched: they have what had arrived by then."""
        query = """
            UPDATE arrival SET fetched = ?
            WHERE learner = ? AND exercise = ? AND variant = ? AND fetched IS NULL
        """
        with self._transaction():
            self._run(query, (at, learner, exercise, variant))

    def forget_arrivals(self, learner: str, exercise: str, variant: str) -> None:
        """A repository is as it was handed out again."""
        query = "DELETE FROM arrival WHERE learner = ? AND exercise = ? AND variant = ?"
        with self._transaction():
            self._run(query, (learner, exercise, variant))

    def arrivals(self) -> list[CameMeanwhile]:
        """All that has arrived, in order."""
        rows = self._rows(
            "SELECT learner, exercise, variant, number, came, fetched FROM arrival ORDER BY came, number"
        )
        return [
            CameMeanwhile(str(who), str(exercise), str(variant), int(number), str(came), fetched)
            for who, exercise, variant, number, came, fetched in rows
        ]

    # -- Raised hands ---------------------------------------------------------------------------------

    def raise_hand(self, learner: str, exercise: str) -> None:
        """Write down that a learner wants help; who has raised a hand already keeps their place."""
        with self._transaction():
            self._run("INSERT OR IGNORE INTO hand VALUES (?, ?, ?)", (learner, now(), exercise))

    def lower_hand(self, learner: str) -> None:
        """A learner no longer wants help."""
        with self._transaction():
            self._run("DELETE FROM hand WHERE learner = ?", (learner,))

    def hands(self) -> list[RaisedHand]:
        """Who wants help, who has waited longest first."""
        rows = self._rows("SELECT learner, raised, exercise FROM hand ORDER BY raised, rowid")
        return [RaisedHand(str(learner), str(raised), str(exercise)) for learner, raised, exercise in rows]
