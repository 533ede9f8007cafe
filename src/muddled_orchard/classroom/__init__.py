"""What takes files, repositories and reports together: handing out to a class, and grading it."""
