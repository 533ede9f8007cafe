"""peek: for learners: what is pending, which side is which, what is left."""
