"""Submissions read as hostile bytes."""
