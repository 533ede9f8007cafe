"""Files that people write, hand in and keep.

`stored` (scenarios that were checked), `stored_results`, `spool` (results on a disk for a while);
submissions in `archives/`, the class in `course/`, scenario files in `scenarios/`.
"""
