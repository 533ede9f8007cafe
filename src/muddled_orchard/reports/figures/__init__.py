"""The commit graph, drawn."""
