"""One module a command: its options, then a call."""
