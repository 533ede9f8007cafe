"""catalogue: list the bundled scenarios: kind of conflict, operation, difficulty."""
