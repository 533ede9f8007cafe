"""Learners acted out, and whether the grader finds what they did."""
