"""Labs to start from."""
