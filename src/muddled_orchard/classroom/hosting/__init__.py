"""A course served over HTTP: learners clone and push, and hear back at once."""
