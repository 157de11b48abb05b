"""When everything runs, and what gets in whose way."""
