"""Telling people in time: what is new is gathered, bundled, and sent once."""
