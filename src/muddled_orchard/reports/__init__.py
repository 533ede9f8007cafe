"""Shows finished data to people and to other programs."""
