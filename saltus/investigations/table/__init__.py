"""Trials, cells and what they are linked to."""
