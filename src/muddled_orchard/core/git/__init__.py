"""Git's own things as plain data: lines, commits, trees, refs, stored objects."""
