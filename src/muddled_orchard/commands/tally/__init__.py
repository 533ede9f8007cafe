"""tally: what a class got right and wrong, by exercise and conflict.

`figure` (the class as a picture).
"""
