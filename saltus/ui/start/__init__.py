"""The stage Start."""
