"""What the operating system is asked for: processes, temporary folders, and the one way to write a file.

`output` (the one way to write a file), `workers` (the one pool, and processes for single pieces),
`cluster` (the same on other machines), `apart` (processes begun as programs), `processes`, `sandbox`
(commands of rules), `temporary`, `stopping`.
"""
