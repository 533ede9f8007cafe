"""The roster and the ledger.

`roster_file`, `ledger` (what stands in it), `ledger_file` (the SQLite file itself), `host_ledger` (what a
host keeps in it), `ledger_schema`, `course_file`, `password_file`, `drill_file` (a learner's own
progress).
"""
