"""What an exercise is and what an answer is worth: plain data in, plain data out."""
