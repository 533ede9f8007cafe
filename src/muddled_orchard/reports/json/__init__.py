"""Every JSON output."""
