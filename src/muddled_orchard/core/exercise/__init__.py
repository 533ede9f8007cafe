"""An exercise as its author means it: the scenario, its variants, its story, what it asks.

`scenario` and `task` (docstrings are the documentation), `operations/` (a class of `Task` each),
`planned`, `proposed_messages`, `steps` (the commands that carry a task out), `delivering` (what is
pushed and deleted), `claim` (what a repository says of itself), `tasks`, `todo` (the list of a rebase),
`checks`, `asked`, `defaults`, `values`, `variants`, `story`, `arriving` (what teammates push meanwhile),
`roles` (which tasks are whose), `changed_story` (what a mended one still hands out), `edits`, `history`,
`cloning` (what no clone can give), `own_copy` (the commands around it), `brief_notes` (what a brief says
besides), `file_rules`, `text_rules`, `well_formed` (whether a file is).
"""
