"""Recorded logs in the window."""
