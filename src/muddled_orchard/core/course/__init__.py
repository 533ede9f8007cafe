"""A class: who takes part, what was handed out, what a pile of submissions shows."""
