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

KINDS = (
    HEADER.replace("hive-notes", "hive-kinds")
    + '''
[[story]]
on = "main"
by = "maren"
message = "Begin"
[story.write]
"empty.txt" = ""
"here.txt" = "one\\ntwo\\n"
"there.txt" = "one\\ntwo\\n"
"list.json" = """
[
  "north",
  "south"
]
"""
"two.txt" = """
first
1
2
3
4
5
last
"""

[[story]]
on = "east"
from = "main"
by = "tobias"
message = "Work in the east"
remove = ["there.txt"]
[story.write]
"empty.txt" = "east\\n"
"new.txt" = "east\\n"
"here.txt" = "one\\nTWO\\n"
"list.json" = """
[
  "north",
  "south",
  "east"
]
"""
"two.txt" = """
first east
1
2
3
4
5
last east
"""

[[story]]
on = "main"
by = "maren"
message = "Work at home"
remove = ["here.txt"]
[story.write]
"empty.txt" = "home\\n"
"new.txt" = "home\\n"
"there.txt" = "ONE\\ntwo\\n"
"list.json" = """
[
  "north",
  "south",
  "home"
]
"""
"two.txt" = """
first home
1
2
3
4
5
last home
"""

[[task]]
do = "merge"
on = "main"
bring = "east"

[[answer]]
file = "empty.txt"
keep = ["ours+theirs"]
[[answer]]
file = "new.txt"
keep = ["ours"]
[[answer]]
file = "here.txt"
keep = ["theirs"]
[[answer]]
file = "there.txt"
gone = true
[[answer]]
file = "list.json"
text = """
[
  "north",
  "south",
  "home",
  "east"
]
"""
[[answer]]
file = "list.json"
text = """
[
  "north",
  "south",
  "east",
  "home"
]
"""
[[answer]]
file = "two.txt"
keep = ["ours", "theirs"]
[[rule]]
file = "list.json"
parses = "json"
'''
)
"""Every kind of conflict that a story of written, changed and removed files can make, in one merge."""

SMALL = (
    HEADER.replace("hive-notes", "small")
    + """
[[story]]
on = "main"
by = "maren"
message = "Count the hives"
write = { "hives.txt" = "north: 3\\n", "README.md" = "The hives.\\n" }

[[story]]
on = "east"
from = "main"
by = "tobias"
message = "Count them again"
write = { "hives.txt" = "north: 4\\n" }

[[story]]
on = "main"
by = "maren"
message = "Lose one"
write = { "hives.txt" = "north: 2\\n" }

[[task]]
do = "merge"
on = "main"
bring = "east"

[[answer]]
file = "hives.txt"
keep = ["ours"]
"""
)
