"""Repositories made in memory."""
