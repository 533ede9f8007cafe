"""walkthrough: demonstrate one step by step, with what Git really answers.

`markdown`, `script` (a shell script that plays it).
"""
