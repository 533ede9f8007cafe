"""Conflicts of a real history: what was met, and how it was resolved in fact.

`redone` (what is asked of Git again), `conflicts_met` (what was kept in each conflict), `instructive` (which
one teaches most), `exercise` (the story that is made of one), `named_in` (addresses and secrets that stand in
its texts).
"""
