"""The demonstration of a scenario, step by step.

`walkthrough`, `step_names`, `shown` (its parts as lines), `words` (what is said), `marked` (a conflicted
file, its parts named), `moved` (where code has gone), `task_times`.
"""
