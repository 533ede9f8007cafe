"""Conflicts of a real history: what was met, and how it was resolved in fact.

`redone` (what is asked of Git again), `conflicts_met` (what was kept in each conflict), `instructive` (which
one teaches most), `reduced` (what of its trees an exercise needs), `named_in` (whose names, addresses and
secrets stand in it).
"""
