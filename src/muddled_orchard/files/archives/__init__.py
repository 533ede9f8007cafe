"""Archives and folders of submissions.

`forms`: `tar`, `zip`, `bundle`; `members`, `packing`, `unpacking`, `export` (a platform's file of many),
`submissions`, `fingerprint`, `working_state` (whether somebody went on working).
"""
