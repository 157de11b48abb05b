"""A lab that runs without a lab: boxes, disks, pools and links that behave, made from a plan.

Stand-ins speak the words of the open tools, so that the very scripts that a real box gets run here,
in fast time and in a folder of their own. No command of the real machine is started by them.
"""
