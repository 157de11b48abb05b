"""What people keep."""
