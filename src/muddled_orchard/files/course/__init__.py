"""The roster and the ledger.

`roster_file`, `ledger` (what stands in it), `ledger_file` (the SQLite file itself), `host_ledger` (what a
host keeps in it), `personal_data` (what it keeps of persons), `ledger_schema`, `course_file`,
`password_file`, `drill_file` (a learner's own progress).
"""
