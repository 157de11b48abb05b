"""What would be lost."""
