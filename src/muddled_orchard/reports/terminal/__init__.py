"""What people read in a terminal."""
