"""Jobs, their schedules, ways and points in time."""
