"""Scenarios that tests are made of."""

HEADER = """\
format = 1
id = "hive-notes"
title = "Notes on the hives"
brief = "Merge what the others wrote."
starts = 2031-05-01T08:00:00+02:00

[cast]
maren = "Maren Quill <maren@orchard.example>"
tobias = "Tobias Fenn <tobias@orchard.example>"
"""

CHAIN = (
    HEADER
    + '''
[[story]]
on = "main"
by = "maren"
message = "Begin the notes"
[story.write]
"notes.txt" = """
Hives
=======
north: 3

one
two
three
four
south: 5
"""
"old.txt" = "kept for reference\\n"
"swarm.txt" = "call Tobias\\n"

[[story]]
on = "east"
from = "main"
by = "tobias"
message = "Count the north hives anew"
label = "north"
change = [{ file = "notes.txt", find = "north: 3", put = "north: 4" }]
remove = ["old.txt"]

[[story]]
on = "west"
from = "main"
by = "tobias"
message = "Count the south hives anew"
change = [{ file = "notes.txt", find = "south: 5", put = "south: 7" }]
write = { "swarm.txt" = "call Maren\\n" }

[[story]]
on = "main"
by = "maren"
message = "Lose some hives"
change = [
    { file = "notes.txt", find = "north: 3", put = "north: 2" },
    { file = "notes.txt", find = "south: 5", put = "south: 6" },
    { file = "old.txt", after = "kept for reference", put = "and for Tobias" },
]

[[task]]
do = "merge"
on = "main"
bring = "east"

[[task]]
do = "merge"
on = "main"
bring = "west"

[[answer]]
task = 1
file = "notes.txt"
keep = ["theirs"]
why = "The east counted last."

[[answer]]
task = 1
file = "old.txt"
gone = true

[[answer]]
task = 2
file = "notes.txt"
keep = [{ text = "south: 13" }]
why = "The hives of both counts stand there now."

[[rule]]
file = "swarm.txt"
has = "Maren"
'''
)
"""Two merges in a row, a deleted file that was edited, and an underline that looks like a marker."""
