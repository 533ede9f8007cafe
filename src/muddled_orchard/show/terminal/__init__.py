"""What all texts in a terminal share.

`plain` (lines and tables), `console` (Rich's, for what changes in its place), `characters` (which can be
shown), `progress`, `bar`, `drawn_graph`; what several commands show: `peeked`, `failed`, `proved`.
"""
