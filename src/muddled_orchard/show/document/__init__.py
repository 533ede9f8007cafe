"""A document of blocks, and the forms in which it is written.

`text` (Markdown, plain text, what Git shows after a push), `page`, `terminal`.
"""
