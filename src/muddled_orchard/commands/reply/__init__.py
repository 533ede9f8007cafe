"""reply: write each learner's feedback, to send back.

`replying` (writes the feedback of a class).
"""
