"""What can be typed: a folder for each command, with all that only it does and shows.

A command's options and its steps are in its `command.py`; how its result is shown is in `terminal.py`,
`page.py`, `as_json.py` or `csv.py`. Its folder sees no other command's, but that of `demo`, which runs
them. `parser` knows them all, `options` has the options of several, `commands_page` writes the page of
all options, `json_outputs` knows all JSON outputs.
"""
