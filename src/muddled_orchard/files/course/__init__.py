"""The roster and the ledger.

`roster_file`, `ledger` (SQLite), `host_ledger` (what a host keeps in it), `ledger_schema`, `course_file`,
`password_file`.
"""
