"""What all JSON outputs share.

`writing` (writes it), `shapes` (what outputs share), `exercise` (what a list shows of one), `verdict` (a
person's verdict).
"""
