"""The stage Scale."""
