"""settle: a person's verdict over the grader's, and what needs a look.

`work_to_settle` (a person's last word).
"""
