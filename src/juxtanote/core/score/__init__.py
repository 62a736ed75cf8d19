"""The lesson as frozen values, and the edits that make a new lesson."""
