"""A three-way merge and its conflicts as data.

`conflict`, `keep`, `alignment` (hunks found again), `markers`, `differences` (within lines),
`equivalence` (histories that differ in words alone).
"""
