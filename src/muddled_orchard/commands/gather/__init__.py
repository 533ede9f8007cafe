"""gather: fetch each learner's repository from a server, to grade.

`fetching_all` (a class, from servers).
"""
