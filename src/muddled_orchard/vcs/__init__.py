"""Everything that touches Git."""
