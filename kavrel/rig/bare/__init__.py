"""A machine on which nothing is set up yet: its own setup.sh runs on it, and what that leaves is looked at.

The text is the one that a real machine is given, run by a real shell in a root of its own; every command
that touches disks, pools, accounts or rights is a stand-in, which keeps the rules of the real one.
"""
