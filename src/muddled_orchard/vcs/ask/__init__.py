"""Real Git, asked in repositories of our own."""
