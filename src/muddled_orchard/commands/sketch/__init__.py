"""sketch: begin a scenario file for a kind of conflict."""
