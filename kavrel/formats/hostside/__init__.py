"""What runs on the hosts themselves: Python's standard library and the system's own tools only."""
