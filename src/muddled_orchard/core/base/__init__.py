"""What everything rests on: problems with input, phrases, limits, patterns.

`problems`, `phrases`, `limits`, `patterns`, `remembering` (a bounded memory).
"""
