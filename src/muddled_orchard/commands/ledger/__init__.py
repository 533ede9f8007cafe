"""ledger: show what the course's database holds, or export it.

`course_terminal` and `course_csv` (what a course adds up to), `person` (all that is kept of one).
"""
