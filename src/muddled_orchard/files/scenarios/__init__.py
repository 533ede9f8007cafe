"""Scenario files: read, checked, found, sketched."""
