"""What was found in a submission, before it is judged."""
