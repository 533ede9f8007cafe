"""What all JSON outputs share.

`text` (writes it), `shapes` (what outputs share), `exercise` (what a list shows of one), `settled` (a
person's verdict).
"""
