"""The commit graph, drawn.

`drawing` (measures), `text` (draws with signs), `svg`, `png`, `picture` (knows the formats).
"""
