"""The stage Film."""
