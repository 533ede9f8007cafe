"""Submissions read as hostile bytes.

`quarantine`, `reader`, `working_tree`, `disk`, `objects`, `trees`, `reached`, `refs`, `pushed` (a push,
as a submission); `rewritten` (learners' commits, made anew).
"""
