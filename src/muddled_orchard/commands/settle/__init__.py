"""settle: a person's verdict over the grader's, and what needs a look.

`settling` (a person's last word).
"""
