"""Looks: what machines print, read."""
