"""The stage Motion."""
