"""smartctl 7.3: what a disk says of itself, as text and as JSON."""
