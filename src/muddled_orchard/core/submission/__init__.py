"""What was found in a submission, before it is judged.

`submission` (beside its key), `evidence`, `identity` (one work told from another), `made_graph`,
`status` (uncommitted work), `file_source`, `clones`, `reflog`, `handed_out` (and what is new), `to_do`
(of the tasks), `left_to_do` (in the repository itself), `instead` (what was done instead),
`own` (how far a conflict of one's own is), `own_beginning` (a repository of one's own), `next_commands`,
`peek` (all of these).
"""
