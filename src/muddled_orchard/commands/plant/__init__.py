"""plant: build one practice repository."""
