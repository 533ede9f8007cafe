"""survey: check scenarios and show what they will do."""
