"""A three-way merge and its conflicts as data."""
