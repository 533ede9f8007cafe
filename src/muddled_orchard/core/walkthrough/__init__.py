"""The demonstration of a scenario, step by step."""
