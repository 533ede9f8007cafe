"""A scenario demonstrated with real Git, and recorded.

`recorder` (runs, and records), `building` (the story by hand), `tasks_shown` (each task), `conflicts`
(each conflict shown), `walking` (all of it, or up to a step), `styles` (what Git writes in each conflict
style), `given_states` (what was handed out done already).
"""
