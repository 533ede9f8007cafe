"""Pages for a browser."""
