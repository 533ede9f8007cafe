"""The answer key of a variant, and what can be said of an exercise before anybody works on it.

`answer_key`, `answers` (of a scenario), `answer_from_text` (of a tree that is wanted), `chains` (tasks
of which nothing could be seen), `accepted` (what they come to), `solution`, `outside_edits`, `survey`,
`proof` (what its solution earns, and the other ways), `difficulty`, `exercise_summary` (what a list
shows), `graph`, `graph_layout` (the one layout of graphs), `conflict_view` (a conflict to be looked at),
`comparison` (two ways to the same files), `own_course` (a conflict made on purpose).
"""
