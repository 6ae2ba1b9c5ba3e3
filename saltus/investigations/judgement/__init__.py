"""Slips, levels that scatter, answers of students."""
