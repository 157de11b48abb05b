"""What was done and what is due."""
