"""Real Git, asked in repositories of our own.

`git` (how it is called: isolated, bounded), `written_objects` (what Git has written there), `scratch` (the
repository in which it is asked), `predict` (merges), `keymaking`, `surveying`.
"""
