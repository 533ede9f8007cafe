"""Files that people write and keep: scenarios, the catalogue."""
