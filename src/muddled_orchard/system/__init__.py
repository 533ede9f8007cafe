"""What the operating system is asked for: processes, temporary folders, and the one way to write a file."""
