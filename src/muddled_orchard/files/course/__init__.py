"""The roster and the ledger.

`roster`, `ledger` (SQLite), `host_ledger` (what a host keeps in it), `ledger_schema`, `course_file`,
`password_file`.
"""
