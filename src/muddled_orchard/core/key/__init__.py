"""The answer key of a variant, and what can be said of an exercise before anybody works on it."""
