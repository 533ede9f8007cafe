"""Everything that touches Git.

`planting`, `carrying_out` (tasks, carried out with real Git by whoever types: the walkthrough, learners
acted out), `put_back` (a repository's branches as they were handed out), `arriving` (and as
teammates push to them), `grading`, `peeking`.
Submissions are read in `read/`, real Git is asked in `ask/`, our own repositories are made in `write/`,
demonstrations in `walkthrough/`. What these share: `index`, `asked_file`, `rule_runs`, `isolation` (the
user's configuration stays out), `practice_tree` (how a repository of ours stands).
"""
