"""A document of blocks, and the forms in which it is written.

`text` (Markdown and plain text), `page`.
"""
