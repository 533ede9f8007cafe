"""What everything rests on: problems with input, phrases, limits.

`problems`, `phrases`, `limits`.
"""
