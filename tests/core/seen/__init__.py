"""What machines say, against the plan."""
