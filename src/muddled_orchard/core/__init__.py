"""What an exercise is and what an answer is worth: plain data in, plain data out.

`document` (a text for people as blocks); the rooms are described in their own folders.
"""
