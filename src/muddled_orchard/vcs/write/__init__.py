"""Repositories made in memory.

`memory`, `build`, `practice`, `bare` (for a server).
"""
