"""Git's own things as plain data: lines, commits, trees, refs, stored objects.

`commits`, `trees`, `refs`, `lines`, `under_way`, `packs`, `pkt_lines`, `stored_objects`, `patch_text`
(as `git am` reads it), `copies` (what a message says of another commit).
"""
