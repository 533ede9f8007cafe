"""What all texts in a terminal share.

`console` (Rich's), `plain` (writes what must be there at once), `characters` (which can be shown),
`progress`, `bar`, `graph`; what several commands show: `result` (one graded submission), `settled`,
`peek`, `failed`, `proof`.
"""
