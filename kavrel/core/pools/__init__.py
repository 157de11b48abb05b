"""Layouts: what disks give together and what they outlive."""
