"""The verdict on a submission, and the words for it."""
