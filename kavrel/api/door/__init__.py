"""The door: who is let in, as whom, and what they may do."""
