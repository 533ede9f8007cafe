"""gather: fetch each learner's repository from a server, to grade.

`gathering` (a class, from servers).
"""
