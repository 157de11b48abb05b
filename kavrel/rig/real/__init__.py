"""What runs here as itself, in the place of its stand-in: rsync, SSH, and Btrfs on a loop.

Where both can answer, both are asked: where they differ, one of the stand-ins is wrong, and the report says so.
"""
