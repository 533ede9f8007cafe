"""Shows finished data; computes nothing about it."""
