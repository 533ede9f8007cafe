"""What the operating system is asked for: processes, temporary folders, and the one way to write a file.

`output` (the one way to write a file), `temporary`, `stopping`, `log`, `sandbox` (commands of
rules; `memory_use` adds up what they hold, `syscall_filter` refuses what can't be added up).

Work in processes of its own is bounded in time and memory everywhere, and what is lost says why (`LOST`,
`why_lost`): `workers` (a pool here, forked, and processes for single pieces), `apart` (processes begun as
programs, for threads and for other machines), `cluster` (on other machines); `processes` is what these share.
"""

LOG_VARIABLE = "MUDDLED_LOG"
"""The variable that names the log's file; processes that are begun as programs go by it as well."""
