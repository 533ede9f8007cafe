"""Files for other programs."""
