"""A real history, asked again: `source` (the history, behind a repository of ours), `past` (its commits),
`asking` (Git's answers, many in one process), `found` (the conflicts, read), `trees` (what lies in them),
`taking` (an exercise of one).
"""
