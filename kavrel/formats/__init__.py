"""Open formats, written and read."""
