"""Submissions read as hostile bytes.

`quarantine`, `reader`, `working_tree`, `disk`, `objects`, `tree_reading`, `reached`, `ref_files`, `pushed`
(a push, as a submission); `lying_there` (what lies where a hand-out is to be), `rewritten` (learners'
commits, made anew).
"""
