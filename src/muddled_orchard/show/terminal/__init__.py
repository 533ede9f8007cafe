"""What all texts in a terminal share.

`console` (Rich's), `plain` (writes what must be there at once), `characters` (which can be shown),
`progress`, `bar`, `drawn_graph`; what several commands show: `peeked`, `failed`, `proved`.
"""
