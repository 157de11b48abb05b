"""What each file system leaves of the space that it is given."""
