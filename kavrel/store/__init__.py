"""The plan in SQLite."""
