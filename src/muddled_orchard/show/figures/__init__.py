"""The commit graph, drawn.

`drawing` (measures), `signs` (draws with signs), `svg`, `png`, `picture` (both graphs, laid out), `formats`
(knows them all).
"""
