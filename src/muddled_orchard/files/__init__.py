"""Files that people write, hand in and keep."""
