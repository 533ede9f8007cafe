"""Learners acted out, and whether the grader finds what they did.

`session` (works as Git leads), `behaviours/` (what they do right and wrong), `moments` (what teammates
push meanwhile), `rehearsing` (graded, and compared), `proving` (a key's own solution).
"""
