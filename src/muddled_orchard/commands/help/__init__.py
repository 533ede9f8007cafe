"""help: what a command does; manual pages, and completion for a shell.

`manual`, `completion`.
"""
