"""Who may touch what."""
