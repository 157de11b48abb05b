"""What machines say of themselves, and how it stands to the plan. It never changes a plan by itself."""
