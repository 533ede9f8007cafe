"""Archives and folders of submissions."""
