"""Speed, shown side by side with the by-hand way. Run with `make bench`."""
