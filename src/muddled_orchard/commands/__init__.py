"""What can be typed: a module for each command, with its options, and what they share."""
