"""A scenario demonstrated with real Git, and recorded."""
