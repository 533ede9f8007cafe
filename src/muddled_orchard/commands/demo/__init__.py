"""demo: the whole round on made-up learners, in one go.

`made_class` (a class of made-up learners), `live_class` (one that comes in over Git).
"""
