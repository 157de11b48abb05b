"""Tools of the project: not part of what is installed."""
