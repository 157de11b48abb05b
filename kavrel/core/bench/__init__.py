"""Hosts, bays and disks: what is there."""
